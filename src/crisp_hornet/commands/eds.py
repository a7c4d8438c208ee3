"""``crisp-hornet eds``: a CANopen description begun from an electronic data sheet, or a data sheet of a description."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.output import tell
from crisp_hornet.documents import wire
from crisp_hornet.documents.map_file import read_map


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("file", type=Path, help="FILE.eds to begin a description from, or a description (.toml)")
    parser.add_argument("--out", type=Path, required=True)


def run(options: argparse.Namespace) -> int:
    """Write the other one."""
    from crisp_hornet.link.lines.canopen.eds import begun_from, eds_of

    if options.file.suffix.lower() == ".toml":
        eds_of(read_map(options.file), options.out)
        tell(f"data sheet written: {options.out}")
    else:
        wire.write_text(options.out, begun_from(options.file))
        tell(f"begun: {options.out}. Name its settings and live values, then: crisp-hornet check-map {options.out}")
    return 0
