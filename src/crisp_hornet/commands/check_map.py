"""``crisp-hornet check-map``: whether a controller's description can be used."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.output import tell
from crisp_hornet.documents.map_file import read_map


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("map", type=Path)


def run(options: argparse.Namespace) -> int:
    """Read it; what is wrong with it ends as one line that names line and key."""
    found = read_map(options.map)
    counts = f"{len(found.register_list)} registers, {len(found.lacks)} settings it lacks, {len(found.fault)} faults"
    tell(f"{found.name}: {counts}")
    return 0
