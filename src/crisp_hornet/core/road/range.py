"""On the road: energy by speed and slope, range with its uncertainty, how far stopping takes."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.pack.cells import charge_at, usable
from crisp_hornet.core.road.performance import steady_ride
from crisp_hornet.core.road.vehicle import G_MPS2
from crisp_hornet.documents.bike import Bike

REACTION_S = 1.0
BRAKING_SHARE = 0.6  # of what grip would allow: what a rider dares with good brakes on a dry road


def stopping_distance_m(speed_kmh: float, grip: float) -> float:
    """Metres from seeing to standing: a second of reaction, then ``v²/(2·share·grip·g)``."""
    v = speed_kmh / 3.6
    return v * REACTION_S + v**2 / (2 * BRAKING_SHARE * grip * G_MPS2)


def energy_map(bike: Bike, speeds_kmh: Array, grades: Array, rested_v: float) -> Array:
    """Wh per km without pedalling, shape (grades, speeds); NaN where the pack cannot give the power."""
    return np.array([[steady_ride(bike, float(v), rested_v, float(g)).wh_per_km for v in speeds_kmh] for g in grades])


@dataclass(frozen=True)
class Range:
    """Distance (km) with its 95 % interval."""

    km: float
    low_km: float
    high_km: float


def range_km(
    bike: Bike, speed_kmh: float, grade: float, rested_v: float, cutoff_v: float, consumption_spread: float = 0.12
) -> Range:
    """How far a charge carries at one speed and slope, down to the loaded voltage ``cutoff_v``.

    The interval combines the charge's uncertainty with that of the consumption (relative, one standard deviation),
    which rolling and air drag from a table rather than a coast-down leave.
    """
    ride = steady_ride(bike, speed_kmh, rested_v, grade)
    at_terminals = ride.battery_w / speed_kmh
    charge = charge_at(bike.battery, rested_v)

    def km(share: float) -> float:
        return usable(bike.battery, share, cutoff_v, ride.battery_w).wh / at_terminals

    middle = km(charge.value)
    by_charge = (km(min(charge.value + charge.spread, 1.0)) - km(max(charge.value - charge.spread, 0.0))) / 2
    spread = math.hypot(by_charge, middle * consumption_spread)
    return Range(middle, max(0.0, middle - 1.96 * spread), middle + 1.96 * spread)
