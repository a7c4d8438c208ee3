"""``crisp-hornet install-desktop``: the entry in the desktop's menu, for this user; ``--undo`` takes it back."""

from __future__ import annotations

import argparse
import os
import shutil
import sys
from pathlib import Path

from crisp_hornet.commands.output import tell
from crisp_hornet.system.entry import install, remove


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--undo", action="store_true", help="take everything away again")
    parser.add_argument("--command", help="what the entry runs (this very program)")
    parser.add_argument("--prefix", type=Path, help="where the desktop looks (~/.local/share)")


def run(options: argparse.Namespace) -> int:
    """Write or remove the files, naming each."""
    prefix = options.prefix or Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    own = Path(sys.argv[0])
    command = options.command or (
        str(own.resolve())
        if own.name == "crisp-hornet" and own.exists()
        else shutil.which("crisp-hornet") or "crisp-hornet"
    )
    done = remove(prefix) if options.undo else install(prefix, command)
    for path in done:
        tell(f"{'removed' if options.undo else 'written'}: {path}")
    if not done:
        tell("there was nothing to remove")
    return 0
