"""``crisp-hornet verdict``: what a ride proves, as lines of text and as JSON."""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

from crisp_hornet.commands.arguments import BadInput, number
from crisp_hornet.commands.output import say, tell
from crisp_hornet.commands.verdict_report import against_as_json, as_json, as_lines
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.compare import compare
from crisp_hornet.core.evidence.day import UNKNOWN, Day
from crisp_hornet.core.evidence.differences import between_rides
from crisp_hornet.core.evidence.dyno import dyno_runs
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.core.rules.watch import typical_v
from crisp_hornet.documents import store, wire
from crisp_hornet.documents.bike import Bike
from crisp_hornet.rides.registry import read_ride

LEAST_KMH, SPEEDS = 60.0, 241


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True, help="the tune it was ridden on")
    parser.add_argument("--ride", type=Path, required=True, help="a log in any form that Rides reads")
    parser.add_argument("--json", type=Path, metavar="FILE", help="write it all into this file too")
    parser.add_argument("--against", type=Path, metavar="LOG", help="another ride of the same bike to compare with")
    stopwatch = "what a stopwatch said: '100 m in 9.8 s and 10.4 s; 0 to 25 km/h in 6.2 s'"
    parser.add_argument("--timed", default="", metavar="WORDS", help=stopwatch)
    parser.add_argument("--pack", metavar="NAME", help="which of the bike's packs it was ridden on (the one in use)")
    rested = "the pack's voltages at rest: energy for a log that has none"
    parser.add_argument("--rested", type=number, nargs=2, metavar=("BEFORE", "AFTER"), help=rested)


def run(options: argparse.Namespace) -> int:
    """Judge ``options.ride``; raises :class:`~crisp_hornet.documents.errors.DocumentError` for what cannot be read or written."""
    bike, tune = _with_pack(store.read_bike(options.bike), options.pack), store.read_tune(options.tune)
    loaded = read_ride(options.ride)
    for note in loaded.notes:
        say(note)
    ride = loaded.ride
    fastest = float(np.nanmax(ride.get("wheel_speed_kmh"))) if ride.has("wheel_speed_kmh") else 0.0
    speeds = np.linspace(0.0, max(LEAST_KMH, 1.3 * fastest), SPEEDS)
    rested = None if options.rested is None else (options.rested[0], options.rested[1])
    curve = pull_curve(bike, tune, speeds, _at_start(ride, bike, rested))
    day = Day(rested_v=rested, timed=options.timed)
    verdict, findings = judge(ride, bike, tune, curve, day)
    told, lines = as_json(ride, tune, verdict, findings), list(as_lines(verdict, findings))
    if options.against is not None:
        other = read_ride(options.against).ride
        compared = compare(ride, other, bike, (day, UNKNOWN))
        there = judge(other, bike, tune, pull_curve(bike, tune, speeds, _at_start(other, bike)))[0]
        stretch = verdict.stretch(bike)  # one bike, one wheel
        runs = dyno_runs(ride, bike, None, stretch), dyno_runs(other, bike, None, stretch)
        found = between_rides((verdict, there), (ride, other), compared, runs)
        told["against"] = against_as_json(other, compared, found)
        lines += [compared.sentence, *(f"{one.what}: {one.in_words}; {one.this} against {one.other}" for one in found)]
    if options.json is not None:
        wire.write_object(options.json, told)
    for line in lines:
        tell(line)
    return 0


def _with_pack(bike: Bike, name: str | None) -> Bike:
    if name is None:
        return bike
    packs = bike.packs
    if packs is None or packs.how != "in turn" or packs.place(name) is None:
        there = (
            ", ".join(one.name for one in packs.each)
            if packs is not None and packs.how == "in turn"
            else "none in turn"
        )
        raise BadInput(f"--pack: the bike has no pack {name!r}; packs: {there}.")
    return bike.with_pack(name)


def _at_start(ride: Ride, bike: Bike, rested_v: tuple[float, float] | None = None) -> Conditions:
    return conditions_at_start(ride, bike) or Conditions(rested_v[0] if rested_v is not None else typical_v(bike))
