"""A ride that was foreseen, as JSON, CSV and lines of text."""

from __future__ import annotations

import csv
import io
import math
from typing import Any

from crisp_hornet.core.virtual_ride.band import Ends, Foreseen
from crisp_hornet.core.virtual_ride.climbs import climbed
from crisp_hornet.core.virtual_ride.journey import COURSE
from crisp_hornet.documents.route import Route


def as_json(found: Foreseen, route: Route) -> dict[str, Any]:
    """``crisp-hornet/journey``."""
    journey = found.journey
    return {
        "format": "crisp-hornet/journey",
        "version": 1,
        "route": route.name,
        "distance_m": round(journey.distance_m, 2),
        **{name: _ends(ends) for name, ends in found.figures.items()},
        "arrives": found.arrive,
        "stalled_at_m": None if journey.stalled_at_m is None else round(journey.stalled_at_m, 2),
        "why": journey.why or None,
        "held_by": {name: round(seconds, 3) for name, seconds in journey.held_by.items()},
        "fades": {name: round(seconds, 3) for name, seconds in journey.fades.items()},
        "trips": {name: round(place, 1) for name, place in journey.trips.items()},
        "climbs": [
            {
                "from_m": one.climb.from_m, "to_m": one.climb.to_m, "grade": _usable(one.climb.grade), "time_s": _usable(one.time_s),
                "mean_kmh": _usable(one.mean_kmh), "slowest_kmh": _usable(one.slowest_kmh), "winding_c": _usable(one.winding_c),
            }
            for one in climbed(journey, route)
        ],
    }  # fmt: skip


def _ends(ends: Ends) -> dict[str, float]:
    return {"value": float(f"{ends.value:.8g}"), "low": float(f"{ends.low:.8g}"), "high": float(f"{ends.high:.8g}")}


def _usable(value: float) -> float | None:
    return float(f"{value:.8g}") if math.isfinite(value) else None


def as_csv(found: Foreseen) -> str:
    """The course, a row for each step."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([*COURSE, "limit"])
    journey = found.journey
    for *figures, limit in zip(*(journey.course[name] for name in COURSE), journey.limit, strict=True):
        writer.writerow([*(f"{float(figure):.8g}" for figure in figures), limit])
    return text.getvalue()


_SHOWN = (
    ("wh_cells", "from the cells", "Wh", 1, 0), ("end_charge", "charge left", "%", 100, 0),
    ("min_pack_v", "lowest pack voltage", "V", 1, 1), ("winding_c", "hottest winding", "°C", 1, 0),
    ("controller_c", "hottest controller", "°C", 1, 0),
)  # fmt: skip


AT_WORK = {"motor": "motor derating", "controller": "controller derating", "low_voltage": "low-voltage cutoff"}


def as_lines(found: Foreseen) -> list[str]:
    """The figures, a line each."""
    figures, journey = found.figures, found.journey
    if journey.stalled_at_m is not None:
        why = "the pack is empty" if journey.why == "empty" else "it stalls"
        lines = [f"{why} at {journey.stalled_at_m:.0f} m"]
    else:
        time = figures["time_s"]
        lines = [
            f"{journey.distance_m / 1000:.2f} km in {_clock(time.value)} ({_clock(time.low)} to {_clock(time.high)})"
        ]
    if 0 < found.arrive < 1:
        lines.append(f"of the bikes that yours may be, {100 * found.arrive:.0f} % arrive")
    for name, what, unit, scale, digits in _SHOWN:
        value, low, high = (scale * one for one in (figures[name].value, figures[name].low, figures[name].high))
        lines.append(f"{what}: {value:.{digits}f} {unit} ({low:.{digits}f} to {high:.{digits}f})")
    longest = sorted(journey.held_by.items(), key=lambda item: -item[1])
    lines += [f"held back by {name.replace('_', ' ')}: {seconds:.0f} s" for name, seconds in longest]
    lines += [f"{AT_WORK[name]} at work: {seconds:.0f} s" for name, seconds in journey.fades.items() if seconds > 0]
    lines += [f"the BMS would cut off by {name} at {place:.0f} m" for name, place in journey.trips.items()]
    return lines


def _clock(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}"
