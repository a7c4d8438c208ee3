"""A rider's legs: what they bring at each speed, shifting through the gears a usual bicycle has.

At the cadence they like they give their power. Below the lowest gear's speed the cadence falls with the speed, and the torque rises to
keep the power, up to the most they push; above the highest gear's the cadence rises, until the legs only follow.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array

PEDAL_EFFICIENCY = 0.95  # chain and hub, clean
SLOWEST_KMH = 0.5
LOWEST_DEVELOPMENT_M, HIGHEST_DEVELOPMENT_M = 2.2, 7.5  # metres per crank turn in a usual lowest and highest gear


@dataclass(frozen=True)
class Rider:
    """Whom a prediction is for: power (W), the cadence (rpm) they shift for, the fastest they turn, and the greatest mean torque (N·m) at
    the crank."""

    watts: float = 120.0
    cadence_rpm: float = 70.0
    most_rpm: float = 110.0
    most_nm: float = 60.0


@dataclass(frozen=True, eq=False)
class Legs:
    """Over the speeds asked for: cadence (rpm), mean crank torque (N·m) and the force at the wheel (N)."""

    cadence_rpm: Array
    torque_nm: Array
    force_n: Array


def runs_empty_kmh(rider: Rider) -> float:
    """From which speed (km/h) the pedals run empty: in the highest gear the legs no longer follow."""
    return max(rider.most_rpm, rider.cadence_rpm) * HIGHEST_DEVELOPMENT_M * 60 / 1000


def starts_at_w(start_nm: float, rider: Rider) -> float:
    """The rider's watts at their cadence at which a start threshold in crank torque (N·m) is met."""
    return start_nm * rider.cadence_rpm * 2 * math.pi / 60


def legs(rider: Rider, speed_kmh: Array) -> Legs:
    """What a rider brings at each speed (km/h, any shape), with the gears of a usual bicycle; nothing beyond what the legs follow."""
    mps = np.maximum(np.asarray(speed_kmh, float), SLOWEST_KMH) / 3.6
    least, most = mps * 60 / HIGHEST_DEVELOPMENT_M, mps * 60 / LOWEST_DEVELOPMENT_M
    cadence = np.clip(rider.cadence_rpm, least, most)
    follows = cadence <= max(rider.most_rpm, rider.cadence_rpm)
    torque = np.where(follows, np.minimum(rider.watts / (cadence * 2 * math.pi / 60), rider.most_nm), 0.0)
    force = PEDAL_EFFICIENCY * torque * 2 * math.pi * cadence / (mps * 60)
    return Legs(cadence, torque, force)
