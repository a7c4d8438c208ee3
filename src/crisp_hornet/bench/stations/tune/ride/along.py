"""What is drawn along a road: the rides that are foreseen or were logged, as rows of figures over the way."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.virtual_ride.band import Foreseen
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.promise import way_m
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import Units

FADE_C = {"winding_c": "heat_guard.motor_fade_start_c", "controller_c": "heat_guard.controller_fade_start_c"}
CHANNELS = {
    "speed_kmh": "wheel_speed_kmh", "pack_v": "pack_v", "battery_a": "battery_a", "phase_a": "phase_a", "winding_c": "motor_c",
    "controller_c": "controller_c",
}  # fmt: skip


@dataclass(frozen=True)
class Row:
    """A strip: its name, the column of a course, its unit, and the digits that matter. ``least``: the least that its axis spans."""

    name: str
    column: str
    unit: str
    digits: int = 0
    least: float = 1.0
    scale: float = 1.0


ROWS = (
    Row("speed", "speed_kmh", "km/h", 1), Row("pack", "pack_v", "V", 1, 2.0), Row("battery", "battery_a", "A", 0, 5.0),
    Row("phase", "phase_a", "A", 0, 5.0), Row("winding", "winding_c", "°C", 0, 10.0), Row("controller", "controller_c", "°C", 0, 10.0),
    Row("charge", "charge", "%", 1, 5.0, 100.0),
)  # fmt: skip


@dataclass(frozen=True, eq=False)
class Along:
    """All that is drawn along ``road``; any ride may be missing. ``band`` is the draft's."""

    road: Route
    drafted: Journey | None = None
    now: Journey | None = None
    band: Foreseen | None = None
    measured: Ride | None = None
    beside: Journey | None = None

    def line(self, truth: str, row: Row) -> tuple[Array, Array] | None:
        """(m, figures) of a truth along the way."""
        if truth == "measured":
            return self._logged(row)
        journey = {"drafted": self.drafted, "controller": self.now, "beside": self.beside}[truth]
        if journey is None:
            return None
        return journey.course["at_m"], journey.course[row.column] * row.scale

    def _logged(self, row: Row) -> tuple[Array, Array] | None:
        ride, channel = self.measured, CHANNELS.get(row.column)
        if ride is None or channel is None or not ride.has(channel):
            return None
        return way_m(ride) * (self.road.length_m / max(way_m(ride)[-1], 1.0)), ride.get(channel)

    def at(self, truth: str, row: Row, at_m: float) -> float:
        """The figure of a truth at a place; NaN where there is none."""
        line = self.line(truth, row)
        if line is None or not len(line[0]) or at_m > line[0][-1] + 1:
            return float("nan")
        return float(np.interp(at_m, *line))

    def told(self, at_m: float, units: Units) -> str:
        """The figures at a place; those of the controller in brackets."""
        words = [units.text(say("{way}", way=quantity(at_m / 1000, "km", ".2f")))]
        for row in ROWS:
            here, there = self.at("drafted", row, at_m), self.at("controller", row, at_m)
            if not np.isfinite(here):
                continue
            text = say("{name} {value}", name=row.name, value=quantity(here, row.unit, f".{row.digits}f"))
            if np.isfinite(there):
                text = say("{text} ({there})", text=text, there=quantity(there, row.unit, f".{row.digits}f", bare=True))
            words.append(units.text(text))
        return " · ".join(words)
