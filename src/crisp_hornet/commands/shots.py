"""``crisp-hornet shots``: a picture of each main view."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.bench.shots import take_shots
from crisp_hornet.commands.arguments import BadInput
from crisp_hornet.commands.output import tell
from crisp_hornet.documents.translation import ENGLISH, LANGUAGES


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--only", default="", help="names of pictures, with commas between them")
    parser.add_argument("--language", choices=LANGUAGES, default=ENGLISH)


def run(options: argparse.Namespace) -> int:
    """Take them."""
    if options.out.exists() and not options.out.is_dir():
        raise BadInput(f"{options.out}: --out must name a folder.")
    for path in take_shots(options.out, [one for one in options.only.split(",") if one], options.language):
        tell(str(path))
    return 0
