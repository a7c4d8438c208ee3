"""``crisp-hornet rescue``: what is sound of a damaged garage, into a new one."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.output import tell
from crisp_hornet.garage.rescue import rescue


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--garage", type=Path, required=True, help="the damaged one; it is only read")
    parser.add_argument("--out", type=Path, required=True, help="a folder for the new one")


def run(options: argparse.Namespace) -> int:
    """Save it and say what was lost."""
    tell(rescue(options.garage, options.out).text)
    return 0
