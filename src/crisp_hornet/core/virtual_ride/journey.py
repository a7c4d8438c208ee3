"""What a ride over a road came to: its course, its figures, and what held it back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array

COURSE = (
    "time_s", "at_m", "speed_kmh", "wheel_force_n", "battery_a", "pack_v", "phase_a", "winding_c", "housing_c", "controller_c", "charge",
)  # fmt: skip
FADES = ("motor", "controller", "low_voltage")


@dataclass(frozen=True, eq=False)
class Journey:
    """A ride over a road.

    ``course``: the columns of :data:`COURSE` by name, (n,) each, a row at the end of each step, the first at the start; currents, voltage
    and force are means over the step. ``limit`` (n,): what set the force there, "held" where the speed wished for did, "brakes", "stop",
    or "asked" where throttle or level did. ``wh_cells``: from the cells (Wh). ``held_by``: seconds that each limit held it back;
    ``fades``: seconds that each fade of :data:`FADES` was at work. ``stalled_at_m``: where it could not go on, and ``why``; None where it
    arrived. ``trips``: where the protection board would have cut the pack off (m) and what for, empty where it would not.
    """

    course: dict[str, Array]
    limit: list[str]
    wh_cells: float
    held_by: dict[str, float]
    fades: dict[str, float]
    stalled_at_m: float | None
    why: str
    trips: dict[str, float]

    @property
    def figures(self) -> dict[str, float]:
        """The figures by which rides are compared, by name; temperatures, voltage and currents the furthest they went."""
        course = self.course
        time_s, metres = float(course["time_s"][-1]), float(course["at_m"][-1])
        return {
            "time_s": time_s,
            "wh_cells": self.wh_cells,
            "wh_per_km": self.wh_cells / max(metres, 1.0) * 1000,
            "end_charge": float(course["charge"][-1]),
            "min_pack_v": float(course["pack_v"].min()),
            "max_battery_a": float(course["battery_a"].max()),
            "max_phase_a": float(course["phase_a"].max()),
            "winding_c": float(course["winding_c"].max()),
            "controller_c": float(course["controller_c"].max()),
        }

    @property
    def distance_m(self) -> float:
        """How far it went."""
        return float(self.course["at_m"][-1])

    def between(self, from_m: float, to_m: float) -> tuple[float, float, float]:
        """(seconds, slowest km/h, hottest winding °C) of a part of the road; NaN of one that it never reached."""
        at, time = self.course["at_m"], self.course["time_s"]
        if at[-1] < from_m + 1:
            return float("nan"), float("nan"), float("nan")
        to_m = min(to_m, float(at[-1]))
        first, last = (int(np.searchsorted(at, one)) for one in (from_m, to_m))
        inside = slice(first, max(last, first + 1) + 1)
        seconds = _when(at, time, to_m, right=False) - _when(at, time, from_m, right=True)
        return seconds, float(self.course["speed_kmh"][inside].min()), float(self.course["winding_c"][inside].max())


def _when(at: Array, time: Array, place: float, right: bool) -> float:
    """The time at a place; where it stood there, as it left (``right``) or as it came."""
    index = int(np.searchsorted(at, place, side="right" if right else "left"))
    if index == 0:
        return float(time[0])
    if index >= len(at):
        return float(time[-1])
    part = (place - at[index - 1]) / max(float(at[index] - at[index - 1]), 1e-9)
    return float(time[index - 1] + part * (time[index] - time[index - 1]))
