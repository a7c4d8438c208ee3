"""``crisp-hornet send``: a tune with guards and proof."""

from __future__ import annotations

import argparse
from pathlib import Path

from crisp_hornet.commands.arguments import PORT
from crisp_hornet.commands.guarded import PROVED, Refused, add_confirmations, guarded, perform, session_at, tell_changes
from crisp_hornet.commands.output import say, tell
from crisp_hornet.documents import store
from crisp_hornet.documents.setting_words import in_words
from crisp_hornet.link.difference import difference, left_out
from crisp_hornet.link.operations import SendTune, Watched


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--port", required=True, help=PORT)
    parser.add_argument("--bike", type=Path, required=True)
    parser.add_argument("--tune", type=Path, required=True)
    parser.add_argument("--trial", action="store_true", help="until power-off only")
    add_confirmations(parser)


@guarded
def run(options: argparse.Namespace) -> int:
    """Difference, guards, write, proof."""
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    with session_at(options.port, bike.controller.serial) as session:
        contact, made = session.contact, session.made
        if made.blocked:
            raise Refused(made.blocked)
        for one in left_out(contact.map, tune):
            say(f"left out: {one.lack.name} {in_words(one.lack.name, one.asked)}. {one.lack.reason}")
        changes = difference(contact.map, contact.raws, tune)
        tell_changes(changes)
        operation = SendTune(tune, tuple(changes), not options.trial, Watched(bike))
        if not changes:
            if not made.unkept:
                tell("the controller already holds this tune")
                return PROVED
            if options.trial:
                tell("the controller already runs this tune, until power-off")
                return PROVED
            tell("the controller already runs this tune, but not permanently: making it permanent")
        return perform(options, session, operation, changes)
