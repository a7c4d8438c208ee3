"""``crisp-hornet fleet``: what all rides of all bikes say together, with intervals and numbers of cases. No positions are read."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from datetime import datetime
from pathlib import Path

from crisp_hornet.commands.arguments import garage_of
from crisp_hornet.commands.garages import bike_called, garage_at
from crisp_hornet.commands.output import tell
from crisp_hornet.core.fleet.asked import Told
from crisp_hornet.documents import wire

HEADS = {
    "ageing": "packs: how much more they resist in a year",
    "running_hot": "tunes: rides on which the motor came to where derating starts",
    "shared_faults": "controllers: rides on which a fault stood",
    "consumption": "Wh/km by kind of bike and load",
    "promises": "figures that were promised and came true",
}
AS_SHARES = ("ageing", "running_hot", "shared_faults", "promises")


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    garage_of(parser)
    parser.add_argument("--bike", action="append", default=[], help="only this one; several times for several")
    parser.add_argument("--since", type=_moment, help="only rides since a day, as 2026-09-01")
    parser.add_argument("--json", type=Path, help="write it there")


def run(options: argparse.Namespace) -> int:
    """Ask and tell."""
    from crisp_hornet.garage.fleet import Asked, asked_of_all

    with garage_at(options.garage) as garage:
        for name in options.bike:
            bike_called(garage, name)
        fleet = asked_of_all(garage, Asked(options.bike, options.since))
    assert fleet is not None  # nobody says not to go on
    if options.json is not None:
        told = {
            "format": "crisp-hornet/fleet",
            "version": 1,
            "bikes": fleet.bikes,
            "rides": fleet.rides,
            "unread": fleet.unread,
            "kept_out": fleet.kept_out,
        }
        answers = {name: [asdict(one) for one in lines] for name, lines in fleet.answers.items()}
        wire.write_object(options.json, told | answers)
    unread = f", {fleet.unread} more could not be read" if fleet.unread else ""
    out = f", {fleet.kept_out} bikes left out: not allowed by the customer" if fleet.kept_out else ""
    tell(f"{fleet.rides} rides of {fleet.bikes} bikes{unread}{out}")
    for name, lines in fleet.answers.items():
        tell(f"\n{HEADS[name]}")
        for one in lines:
            tell(f"  {line(one, name in AS_SHARES)}")
        if not lines:
            tell("  nothing tells of it")
    return 0


def line(told: Told, as_share: bool) -> str:
    """An answer in a line."""
    if told.value is None or told.low is None or told.high is None:
        return f"{told.of}: {told.why} ({told.cases})"
    scale, unit = (100, " %") if as_share else (1, "")
    value, low, high = (f"{scale * one:.0f}" if as_share else f"{one:.1f}" for one in (told.value, told.low, told.high))
    beside = f"; {told.beside}" if told.beside else ""
    return f"{told.of}: {value}{unit} ({low} to {high}), {told.cases} cases{beside}"


def _moment(text: str) -> datetime:
    try:
        return datetime.fromisoformat(text).astimezone()
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is no day; write it as 2026-09-01") from None
