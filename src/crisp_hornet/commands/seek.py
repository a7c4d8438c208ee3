"""``crisp-hornet seek``: wishes in, settings out."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput, number
from crisp_hornet.commands.output import say, tell
from crisp_hornet.commands.seek_report import as_json, as_lines
from crisp_hornet.core.goal.parts import Instead, instead
from crisp_hornet.core.goal.seek import Answer, Seeker
from crisp_hornet.documents import store, wire
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Goals, OnRoute
from crisp_hornet.documents.tune import Tune
from crisp_hornet.rides.roads import read_road


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True, help="what is to be changed; its other settings stay")
    parser.add_argument(
        "--goals", type=Path, required=True, help="a goals document: wishes, and the settings that are free"
    )
    parser.add_argument("--rested-v", type=number, help="pack voltage at rest at which it shall hold, V (full)")
    parser.add_argument("--json", type=Path, metavar="FILE", help="the answer")
    parser.add_argument("--out", type=Path, metavar="TUNE", help="the tune with the settings found")


def run(options: argparse.Namespace) -> int:
    """Seek and tell; 0 found, 1 not. Raises :class:`~crisp_hornet.documents.errors.DocumentError` and :class:`BadInput`."""
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    goals = with_roads(store.read_goals(options.goals), options.goals.parent)
    if options.rested_v is not None and options.rested_v <= 0:
        raise BadInput("--rested-v: must be above 0 V.")
    try:
        answer, parts = _sought(bike, tune, goals, options.rested_v)
    except ValueError as error:
        raise BadInput(f"{options.goals}: {error}.") from None
    if options.json is not None:
        wire.write_object(options.json, as_json(answer, parts, goals))
    if options.out is not None and answer.found:
        store.write(options.out, answer.tune)
    for line in as_lines(answer, parts, goals):
        tell(line)
    if options.out is not None and not answer.found:
        say(f"{options.out}: not written, for no settings meet every wish.")
    return 0 if answer.found else 1


def _sought(bike: Bike, tune: Tune, goals: Goals, rested_v: float | None) -> tuple[Answer, list[Instead]]:
    answer = Seeker(bike, tune, goals, rested_v).answer()
    parts = [] if answer.found or not answer.conflict else list(instead(bike, tune, goals, answer.conflict, rested_v))
    return answer, parts


def with_roads(goals: Goals, folder: Path) -> Goals:
    """Wishes with the roads that they only name, read from beside them."""
    read = [
        goal.model_copy(update={"route": read_road(folder / goal.route).route})
        if isinstance(goal, OnRoute) and isinstance(goal.route, str)
        else goal
        for goal in goals.goals
    ]
    return goals.model_copy(update={"goals": read})
