"""``crisp-hornet take BIKE --out FILE``: a bike with its story into one file, to go to another garage and home again."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import garage_of
from crisp_hornet.commands.garages import bike_called, garage_at
from crisp_hornet.commands.output import tell


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("bike", help="its name in the garage")
    garage_of(parser)
    parser.add_argument("--out", type=Path, required=True, help="the file (ZIP)")


def run(options: argparse.Namespace) -> int:
    """Write it."""
    from crisp_hornet.garage.archive import export_bike

    with garage_at(options.garage) as garage:
        export_bike(garage, bike_called(garage, options.bike), options.out)
    tell(f"{options.bike} with its whole story: {options.out}")
    return 0
