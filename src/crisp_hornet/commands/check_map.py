"""``crisp-hornet check-map``: whether a controller's description can be used; and what its frames would be."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.commands.output import tell
from crisp_hornet.documents import wire
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import HAND
from crisp_hornet.documents.map_file import read_map

MOST_SAMPLES = 64 * 1024


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("map", type=Path)
    parser.add_argument(
        "--try",
        dest="samples",
        type=Path,
        metavar="FILE",
        help="of frames: lines such as 'ask identity', 'ask page drive' or bytes in hex (- reads them from standard input)",
    )


def run(options: argparse.Namespace) -> int:
    """Read it; what is wrong with it ends as one line that names line and key."""
    found = read_map(options.map)
    counts = f"{len(found.register_list)} registers, {len(found.lacks)} settings it lacks, {len(found.fault)} faults"
    kind = {HAND: "set by hand"}.get(found.line.kind, found.line.kind)
    tell(f"{found.name}: {counts} ({kind})")
    return 0 if options.samples is None else _try(found, options.samples)


def _try(described: ControllerMap, path: Path) -> int:
    """Each sample, and what it comes to; 2 where one makes no sense."""
    from crisp_hornet.link.lines.frames.trying import Trying

    text = (
        sys.stdin.read(MOST_SAMPLES)
        if str(path) == "-"
        else wire.read_bytes(path, MOST_SAMPLES).decode("utf-8", "replace")
    )
    try:
        trying = Trying(described)
    except ValueError as error:
        raise BadInput(f"{error}.") from None
    for number, sample in enumerate(text.splitlines(), start=1):
        try:
            for line in trying.take(sample):
                tell(line)
        except ValueError as error:
            raise BadInput(f"{path}, line {number}: {error}.") from None
    return 0
