"""``crisp-hornet copy --to FOLDER``: a dated copy of the whole garage, for a timer of the system; ``--back`` makes a garage of one."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput, garage_of
from crisp_hornet.commands.garages import check_address, garage_at
from crisp_hornet.commands.output import tell
from crisp_hornet.garage.copies import bring_back, copy_garage, copy_shared
from crisp_hornet.garage.garage import is_shared
from crisp_hornet.garage.opening import GarageError

KEEP = 14


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    garage_of(parser)
    way = parser.add_mutually_exclusive_group(required=True)
    way.add_argument("--to", type=Path, help="the folder of the copies, best on another disk")
    way.add_argument("--back", type=Path, help="a copy; --garage names a folder that has no garage yet")
    parser.add_argument("--keep", type=int, default=KEEP, help=f"how many copies stay; {KEEP}")


def run(options: argparse.Namespace) -> int:
    """Copy, or bring back."""
    where = options.garage
    if options.back is not None:
        if where is None or is_shared(where):
            raise BadInput(
                "copy --back: name the folder of the new garage with --garage. A shared one comes back by pg_restore."
            )
        try:
            files = bring_back(options.back, Path(where))
        except GarageError as error:
            raise BadInput(str(error)) from error
        tell(f"{where}: a garage from {options.back.name}, with {files} files")
        return 0
    if options.keep < 1:
        raise BadInput("--keep must be at least 1.")
    if where is not None and is_shared(where):
        check_address(where)
        made = copy_shared(where, options.to, options.keep)
    else:
        with garage_at(where) as garage:
            made = copy_garage(garage, options.to, options.keep)
    tell(f"{made.path}: {made.files} new files beside it, {made.dropped} older copies deleted")
    return 0
