"""``crisp-hornet backup``: every readable register of a controller into a file."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import PORT
from crisp_hornet.commands.guarded import guarded, session_at
from crisp_hornet.commands.output import say, tell
from crisp_hornet.documents import store
from crisp_hornet.documents.errors import DocumentError


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--port", required=True, help=PORT)
    parser.add_argument("--out", type=Path, required=True)


@guarded
def run(options: argparse.Namespace) -> int:
    """Every readable register into a file."""
    if not options.out.absolute().parent.is_dir():
        raise DocumentError(str(options.out), "", "its folder does not exist", "Make the folder, or choose another.")
    with session_at(options.port) as session:
        backup = session.made.backup
        store.write(options.out, backup)
        tell(
            f"{len(backup.registers)} registers of {backup.product} {backup.serial}, firmware {backup.firmware}: {options.out}"
        )
        if session.made.unkept:
            say(
                "Not all active values are permanent: a power cycle restores old ones. The backup holds the active ones."
            )
    return 0
