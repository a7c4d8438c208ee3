"""``crisp-hornet open FILE``: the window, with a file in it: what a double click does."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import garage_of


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument(
        "file", type=Path, nargs="?", help="a bike, a tune, a backup, a bike's archive, a sheet, or a ride's log"
    )
    garage_of(parser)


def run(options: argparse.Namespace) -> int:
    """Open the window."""
    from crisp_hornet.commands.window import open_window

    return open_window(demo=False, verbose=options.verbose, file=options.file, garage=options.garage)
