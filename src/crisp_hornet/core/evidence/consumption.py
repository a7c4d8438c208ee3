"""Where the energy of a ride went: Wh per km by speed, by grade and by assist level, and how far the pack would go at this style."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.energy_seen import CAPACITY_SPREAD
from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.pack.cells import usable
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import grade, summed
from crisp_hornet.core.ride.even import even
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

SPEEDS_KMH, GRADES = (3.0, 15.0, 25.0, 35.0, 45.0, np.inf), (-np.inf, -2.0, 2.0, 5.0, 9.0, np.inf)
LEAST_KM, STEP_S = 0.15, 1.0
CHANNELS = ("wheel_speed_kmh", "pack_v", "battery_a", "altitude_m", "level")


@dataclass(frozen=True)
class Share:
    """A part of the ride: what it was (``15 to 25 km/h``), how far (km), what it used (Wh), and per km."""

    what: str
    km: float
    wh: float

    @property
    def wh_per_km(self) -> float:
        """Net energy per km."""
        return self.wh / self.km


def shares(ride: Ride, kind: str) -> list[Share]:
    """The ride cut up by ``kind``, "speed", "grade" or "level"; parts of less than 150 m are left out. Empty where a channel is missing."""
    if not all(ride.has(name) for name in ("wheel_speed_kmh", "pack_v", "battery_a")):
        return []
    smooth = even(ride, CHANNELS, STEP_S)
    speed = np.nan_to_num(smooth.get("wheel_speed_kmh"))
    parts = parts_of(smooth, kind)
    watts = np.nan_to_num(smooth.get("pack_v") * smooth.get("battery_a"))
    found = [
        Share(what, float(speed[rows].sum()) * STEP_S / 3600, float(watts[rows].sum()) * STEP_S / 3600)
        for what, rows in parts
    ]
    return [one for one in found if one.km >= LEAST_KM]


def parts_of(smooth: Ride, kind: str) -> list[tuple[str, NDArray[np.bool_]]]:
    """A ride's rows (n,) cut up by ``kind``, with the words for each part; nothing where a channel is missing."""
    speed = np.nan_to_num(smooth.get("wheel_speed_kmh"))
    if kind == "speed":
        return _cut(speed, SPEEDS_KMH, "km/h")
    if kind == "grade" and smooth.has("altitude_m"):
        climbs = 100 * grade(summed(smooth.time_s, speed) / 3.6, smooth.get("altitude_m"))
        return _cut(climbs, GRADES, "%")
    if kind == "level" and smooth.has("level"):
        level = np.round(smooth.get("level"))
        return [
            (say("level {number}", number=quantity(number, "", ".0f")), level == number)
            for number in np.unique(level[np.isfinite(level)]).tolist()
        ]
    return []


def _cut(values: Array, edges: tuple[float, ...], unit: str) -> list[tuple[str, NDArray[np.bool_]]]:
    found: list[tuple[str, NDArray[np.bool_]]] = []
    for low, high in pairwise(edges):
        start, end = quantity(low, unit, bare=np.isfinite(high)), quantity(high, unit)
        if np.isfinite(low) and np.isfinite(high):
            what = say("{low} to {high}", low=start, high=end)
        else:
            what = say("over {low}", low=start) if np.isfinite(low) else say("under {high}", high=end)
        found.append((what, (values >= low) & (values < high)))
    return found


def range_km(bike: Bike, tune: Tune, wh_per_km: Estimate, speed_kmh: float) -> Estimate:
    """How far a full pack goes at this style, down to where the low-voltage fade leaves nothing; ``speed_kmh``: the mean while riding."""
    unit = "km"
    if not wh_per_km.known or wh_per_km.value <= 0:
        return refused(wh_per_km.reason or "the ride gave back more than it used", unit)
    try:
        whole = usable(bike.battery, 1.0, tune.battery_guard.fade_end_v, max(wh_per_km.value * speed_kmh, 10.0)).wh
    except ValueError as error:
        return refused(str(error), unit)
    share = float(np.hypot(wh_per_km.half_width / wh_per_km.value, 1.96 * CAPACITY_SPREAD))
    value = whole / wh_per_km.value
    return Estimate(value, value * (1 - share), value * (1 + share), unit)
