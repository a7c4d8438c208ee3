"""What was foreseen of a ride against what was ridden."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.virtual_ride.again import logged_figures
from crisp_hornet.core.virtual_ride.band import SIDE, Ends
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import joined, quantity, say

LENGTH_SHARE, HEIGHT_M, PLACES, ROLLS_KMH = 0.03, 7.0, 60, 1.0
RIDER_SHARE, RIDER_K = {"time_s": 0.02, "wh_cells": 0.02}, {"winding_c": 1.0}  # one standard deviation
COMPARED = {
    "time_s": ("there in", "s", ".0f"),
    "wh_cells": ("from the cells", "Wh", ".0f"),
    "winding_c": ("hottest winding", "°C", ".0f"),
}


TITLE = "{road}: {inside} of {count} figures as promised"
_TITLE = re.compile(r": (\d+) of (\d+) figures as promised$")


def counted_in(title: str) -> tuple[int, int] | None:
    """How many figures of how many came true, by the logbook's line; None for another line."""
    found = _TITLE.search(title)
    return (int(found[1]), int(found[2])) if found else None


@dataclass(frozen=True)
class Kept:
    """One figure: promised with its ends, and done; ``inside``: whether the band held it."""

    name: str
    promised: Ends
    done: float

    @property
    def inside(self) -> bool:
        """Whether what was done lies in the band."""
        return self.promised.low <= self.done <= self.promised.high


def way_m(ride: Ride) -> np.ndarray:
    """How far a logged ride had gone at each of its rows (m)."""
    speed = "wheel_speed_kmh" if ride.has("wheel_speed_kmh") else "gps_speed_kmh"
    return summed(ride.time_s, np.nan_to_num(ride.get(speed))) / 3.6


def goes_along(ride: Ride | None, road: Route) -> bool:
    """Whether a logged ride went over a road: as long, and as high along it where it has heights."""
    if ride is None or not (ride.has("wheel_speed_kmh") or ride.has("gps_speed_kmh")):
        return False
    way = way_m(ride)
    if not len(way) or abs(way[-1] / road.length_m - 1) > LENGTH_SHARE:
        return False
    if not ride.has("altitude_m"):
        return True
    places = np.linspace(0, 1, PLACES)
    logged = np.interp(places * way[-1], way, np.nan_to_num(ride.get("altitude_m")))
    heights = np.interp(
        places * road.length_m, [one.at_m for one in road.points], [one.altitude_m for one in road.points]
    )
    off = logged - heights
    return float(np.sqrt(np.mean((off - off.mean()) ** 2))) < HEIGHT_M


def done(ride: Ride, bike: Bike) -> dict[str, float]:
    """The figures of a logged ride, from when it first rolls to when it last does."""
    speed = ride.get("wheel_speed_kmh" if ride.has("wheel_speed_kmh") else "gps_speed_kmh")
    rolls = np.flatnonzero(np.nan_to_num(speed) > ROLLS_KMH)
    if rolls.size < 2:
        return {}
    seconds = float(ride.time_s[rolls[-1]] - ride.time_s[rolls[0]])
    return logged_figures(ride, bike, seconds, max(float(way_m(ride)[-1]), 1.0))


def promised(figures: Mapping[str, Ends]) -> dict[str, Ends]:
    """What may be promised of a ride that was foreseen: its bands, and that no rider holds a speed and brakes to the letter."""
    made = {}
    for name in COMPARED:
        if name in figures:
            ends = figures[name]
            loose = SIDE * math.hypot(RIDER_SHARE.get(name, 0.0) * ends.value, RIDER_K.get(name, 0.0))
            low, high = (math.hypot(side, loose) for side in (ends.value - ends.low, ends.high - ends.value))
            made[name] = Ends(ends.value, ends.value - low, ends.value + high)
    return made


def kept(promise: Mapping[str, Ends], did: Mapping[str, float]) -> list[Kept]:
    """The figures that were both promised and logged."""
    return [
        Kept(name, promise[name], did[name])
        for name in COMPARED
        if name in promise and name in did and np.isfinite(did[name])
    ]


def told(figures: list[Kept]) -> str:
    """Promised against done, in one line."""
    parts = []
    for one in figures:
        name, unit, spec = COMPARED[one.name]
        promised = say(
            "{value} ({low} to {high})", value=quantity(one.promised.value, unit, spec, bare=True),
            low=quantity(one.promised.low, unit, spec, bare=True), high=quantity(one.promised.high, unit, spec),
        )  # fmt: skip
        parts.append(
            say(
                "{name}: promised {promised}, done {done}, {verdict}", name=name, promised=promised,
                done=quantity(one.done, unit, spec), verdict="inside" if one.inside else "outside",
            )
        )  # fmt: skip
    return joined("; ", parts)
