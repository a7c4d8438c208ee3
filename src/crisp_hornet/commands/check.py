"""``crisp-hornet check``: the watch list of a tune on a bike."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from crisp_hornet.commands.output import tell
from crisp_hornet.core.rules import Strength
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.documents import store


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True)
    parser.add_argument("--json", action="store_true", help="as a JSON list")


def run(options: argparse.Namespace) -> int:
    """The watch list on standard output."""
    found = watch_list(store.read_bike(options.bike), store.read_tune(options.tune))
    if options.json:
        told = [{"id": one.id, "strength": one.strength.value, "text": one.text, "mend": one.mend} for one in found]
        tell(json.dumps(told, ensure_ascii=False, indent=1))
    else:
        for one in found:
            tell(f"{one.strength.value}: {one.text} ({one.id}). {one.reason} {one.mend}.")
        if not found:
            tell("nothing to watch")
    return 1 if any(one.strength is Strength.STOP for one in found) else 0
