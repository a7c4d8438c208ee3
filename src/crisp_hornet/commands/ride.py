"""``crisp-hornet ride``: a ride over a road, foreseen."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput, number
from crisp_hornet.commands.output import say, tell
from crisp_hornet.commands.ride_report import as_csv, as_json, as_lines
from crisp_hornet.core.drive.modes import in_mode, mode_of
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.virtual_ride.again import ride_again
from crisp_hornet.core.virtual_ride.band import Foreseen, foresee
from crisp_hornet.core.virtual_ride.ride import Setting
from crisp_hornet.core.virtual_ride.wishes import Held, Pedalled, Share, Wish
from crisp_hornet.documents import store, wire
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune
from crisp_hornet.rides.registry import read_ride
from crisp_hornet.rides.roads import read_road


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True)
    parser.add_argument("--mode", help="with the limits of this mode of the tune")
    parser.add_argument("--route", type=Path, help="a route document, GPX, TCX, FIT or a ride log with heights")
    parser.add_argument("--again", type=Path, metavar="LOG", help="a ride's log: the same road and the same wish")
    parser.add_argument("--ridden", type=Path, metavar="TUNE", help="the tune that the log was ridden on")
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
    parser.add_argument("--ambient-c", type=number, help="°C (25; of a log what it began with)")
    parser.add_argument("--headwind-kmh", type=number, default=0.0, help="where the route gives no wind (0)")
    parser.add_argument("--json", type=Path, metavar="FILE", help="figures with their bands, climbs, what held it back")
    parser.add_argument("--csv", type=Path, metavar="FILE", help="the course")


def run(options: argparse.Namespace) -> int:
    """Ride it and tell. Raises :class:`~crisp_hornet.documents.errors.DocumentError` and :class:`BadInput`."""
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    if options.mode is not None:
        tune = _in_mode(tune, options.mode)
    found, route, sentence = (_over_a_road if options.again is None else _again)(options, bike, tune)
    if options.json is not None:
        wire.write_object(options.json, as_json(found, route))
    if options.csv is not None:
        wire.write_text(options.csv, as_csv(found))
    for line in [*([sentence] if sentence else []), *as_lines(found)]:
        tell(line)
    return 0


def _over_a_road(options: argparse.Namespace, bike: Bike, tune: Tune) -> tuple[Foreseen, Route, str]:
    if options.route is None:
        raise BadInput("--route: which road? Or --again with a ride's log.")
    if options.ridden is not None:
        raise BadInput("--ridden: goes with --again.")
    wish, setting = _wish(options), _setting(options)
    road = read_road(options.route)
    if road.logged_climb_m > road.climb_m + 1:
        say(f"heights smoothed: it climbs {road.climb_m:.0f} m, {road.logged_climb_m:.0f} m as they were logged")
    try:
        return foresee(bike, tune, road.route, wish, setting), road.route, ""
    except ValueError as error:
        raise BadInput(f"{error}.") from None


def _again(options: argparse.Namespace, bike: Bike, tune: Tune) -> tuple[Foreseen, Route, str]:
    for name in ("route", "hold", "throttle", "level"):
        if getattr(options, name) is not None:
            raise BadInput(f"--{name}: --again takes road and wish from the log.")
    if options.ridden is None:
        raise BadInput("--ridden: which tune was the log ridden on?")
    loaded = read_ride(options.again)
    given = _setting(options)
    if given.headwind_kmh:
        raise BadInput("--headwind-kmh: --again takes the wind from the log.")
    try:
        found = ride_again(loaded.ride, store.read_tune(options.ridden), tune, bike, given.rested_v, options.ambient_c)
    except ValueError as error:
        raise BadInput(f"{options.again}: {error}.") from None
    return found.foreseen, found.route, found.sentence


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
    ambient = 25.0 if options.ambient_c is None else options.ambient_c
    if not -40 <= ambient <= 60:
        raise BadInput("--ambient-c: must lie between -40 and 60 °C.")
    if abs(options.headwind_kmh) > 200:
        raise BadInput("--headwind-kmh: must lie between -200 and 200 km/h.")
    return Setting(options.rested_v, ambient, options.headwind_kmh)
