"""``crisp-hornet ride``: a ride over a road, foreseen."""

from __future__ import annotations

import argparse
import csv
import io
import math
from pathlib import Path
from typing import Any

from crisp_hornet.commands.arguments import BadInput, number
from crisp_hornet.commands.output import say, tell
from crisp_hornet.core.drive.modes import in_mode, mode_of
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.virtual_ride.band import Ends, Foreseen, foresee
from crisp_hornet.core.virtual_ride.climbs import climbed
from crisp_hornet.core.virtual_ride.journey import COURSE
from crisp_hornet.core.virtual_ride.ride import Setting
from crisp_hornet.core.virtual_ride.wishes import Held, Pedalled, Share, Wish
from crisp_hornet.documents import store, wire
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune
from crisp_hornet.rides.roads import read_road


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True)
    parser.add_argument("--mode", help="with the limits of this mode of the tune")
    parser.add_argument(
        "--route", type=Path, required=True, help="a route document, GPX, TCX, FIT or a ride log with heights"
    )
    parser.add_argument("--hold", type=number, metavar="KMH", help="where the route gives no lower limit")
    parser.add_argument("--throttle", type=number, metavar="SHARE", help="of what the throttle asks for, 0 to 1")
    parser.add_argument("--level", type=int, help="an assist level, from 1, with a rider")
    parser.add_argument(
        "--rider-w", type=number, default=Rider.watts, metavar="W", help="what the rider gives (%(default)g)"
    )
    parser.add_argument(
        "--cadence", type=number, default=Rider.cadence_rpm, metavar="RPM", help="what they pedal at (%(default)g)"
    )
    parser.add_argument("--rested-v", type=number, help="pack voltage at rest, V (full)")
    parser.add_argument("--ambient-c", type=number, default=25.0, help="°C (25)")
    parser.add_argument("--headwind-kmh", type=number, default=0.0, help="where the route gives no wind (0)")
    parser.add_argument("--json", type=Path, metavar="FILE", help="figures with their bands, climbs, what held it back")
    parser.add_argument("--csv", type=Path, metavar="FILE", help="the course")


def run(options: argparse.Namespace) -> int:
    """Ride it and tell. Raises :class:`~crisp_hornet.documents.errors.DocumentError` and :class:`BadInput`."""
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    if options.mode is not None:
        tune = _in_mode(tune, options.mode)
    wish, setting = _wish(options), _setting(options)
    road = read_road(options.route)
    if road.logged_climb_m > road.climb_m + 1:
        say(f"heights smoothed: it climbs {road.climb_m:.0f} m, {road.logged_climb_m:.0f} m as they were logged")
    try:
        found = foresee(bike, tune, road.route, wish, setting)
    except ValueError as error:
        raise BadInput(f"{error}.") from None
    if options.json is not None:
        wire.write_object(options.json, as_json(found, road.route))
    if options.csv is not None:
        wire.write_text(options.csv, as_csv(found))
    for line in _lines(found):
        tell(line)
    return 0


def _in_mode(tune: Tune, name: str) -> Tune:
    try:
        return in_mode(tune, mode_of(tune, name))
    except LookupError as error:
        raise BadInput(f"--mode: {error.args[0]}.") from None


def _wish(options: argparse.Namespace) -> Wish:
    given = [name for name in ("hold", "throttle", "level") if getattr(options, name) is not None]
    if len(given) > 1:
        raise BadInput(f"--{given[0]} and --{given[1]}: only one of them says how it is ridden.")
    try:
        if options.hold is not None:
            return Held(options.hold)
        if options.level is not None:
            return Pedalled(options.level, Rider(options.rider_w, options.cadence))
        return Share(1.0 if options.throttle is None else options.throttle)
    except ValueError as error:
        raise BadInput(f"--{given[0] if given else 'throttle'}: {error}.") from None


def _setting(options: argparse.Namespace) -> Setting:
    if options.rested_v is not None and options.rested_v <= 0:
        raise BadInput("--rested-v: must be above 0 V.")
    if not -40 <= options.ambient_c <= 60:
        raise BadInput("--ambient-c: must lie between -40 and 60 °C.")
    if abs(options.headwind_kmh) > 200:
        raise BadInput("--headwind-kmh: must lie between -200 and 200 km/h.")
    return Setting(options.rested_v, options.ambient_c, options.headwind_kmh)


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


def _lines(found: Foreseen) -> list[str]:
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
    at_work = {name: seconds for name, seconds in journey.fades.items() if seconds > 0}
    lines += [f"{name.replace('_', ' ')} fade at work: {seconds:.0f} s" for name, seconds in at_work.items()]
    lines += [f"the protection board would trip by {name} at {place:.0f} m" for name, place in journey.trips.items()]
    return lines


def _clock(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}"
