"""``crisp-hornet restore``: a backup put back with guards and proof."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import PORT
from crisp_hornet.commands.guarded import PROVED, Refused, add_confirmations, guarded, perform, session_at, tell_changes
from crisp_hornet.commands.output import say, tell
from crisp_hornet.documents import store
from crisp_hornet.documents.backup import read_backup
from crisp_hornet.link.operations import Restore
from crisp_hornet.link.way_back import way_back


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--port", required=True, help=PORT)
    parser.add_argument("--backup", type=Path, required=True)
    parser.add_argument(
        "--bike", type=Path, help="its document: whose controller is expected, and a safe order of writing"
    )
    parser.add_argument("--calibration", action="store_true", help="what belongs to motor and sensors too")
    add_confirmations(parser)


@guarded
def run(options: argparse.Namespace) -> int:
    """Bring back what a backup holds, by name; calibrations only where asked for."""
    backup = read_backup(options.backup)
    bike = store.read_bike(options.bike) if options.bike is not None else None
    with session_at(options.port, bike.controller.serial if bike is not None else None) as session:
        contact = session.contact
        if session.made.blocked:
            raise Refused(session.made.blocked)
        back = way_back(backup, contact.identity, contact.map, contact.raws, options.calibration)
        for words in back.left_alone:
            say(f"left as it is, --calibration restores it too: {words}")
        for name in back.unknown:
            say(f"not known to this controller's description: {name}")
        tell_changes(back.changes)
        if not back.changes and not session.made.unkept:
            tell("the controller already holds what the backup holds")
            return PROVED
        operation = Restore(tuple(back.changes), back.other_controller, bike)
        return perform(options, session, operation, back.changes)
