"""``crisp-hornet bring FILE``: a bike with its story into a garage; one that was away is brought together with what happened meanwhile.

Exit 1 where something was changed on both sides and ``--keep`` does not say which counts: that stays as it is here.
"""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import garage_of
from crisp_hornet.commands.garages import garage_at
from crisp_hornet.commands.output import tell
from crisp_hornet.documents.saying import counted
from crisp_hornet.garage.merging import BIKE, NOUNS, Conflict, Side

SIDES: dict[str, Side] = {"here": "mine", "elsewhere": "theirs"}


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("file", type=Path, help="what take, or Export the bike, wrote")
    garage_of(parser)
    parser.add_argument("--keep", choices=SIDES, help="whose counts where a thing was changed here and elsewhere")


def run(options: argparse.Namespace) -> int:
    """Bring it and say what came."""
    from crisp_hornet.garage.archive import import_bike

    with garage_at(options.garage) as garage:
        taken = import_bike(garage, options.file)
        left = taken.conflicts
        if left and options.keep:
            left = import_bike(garage, options.file, {one.key: SIDES[options.keep] for one in left}).conflicts
        name = garage.bikes.get(taken.number).name
    came = ", ".join(counted(count, NOUNS[table]) for table, count in taken.new.items()) or "nothing new"
    tell(f"{name}: {came}")
    for one in left:
        tell(f"changed here and elsewhere, left as it is here: {_called(one)}")
    return 1 if left else 0


def _called(one: Conflict) -> str:
    if one.key == BIKE:
        return f"the bike ({', '.join(one.paths) or 'as a whole'})"
    row = one.mine or one.theirs or {}
    return f"{NOUNS[one.key[0]]} {row.get('name') or row.get('title') or one.key[1]}"
