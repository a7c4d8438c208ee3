"""``crisp-hornet faults``: the fault that stands, explained; cleared, or the motor enabled, where that was asked."""

from __future__ import annotations

import argparse

from crisp_hornet.commands.arguments import PORT
from crisp_hornet.commands.guarded import NOT_PROVED, REFUSED, guarded, session_at
from crisp_hornet.commands.output import say, tell
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.faults import standing_fault
from crisp_hornet.link.operations import ClearFaults, Release
from crisp_hornet.link.report import Outcome


def arguments(parser: argparse.ArgumentParser) -> None:
    """What it takes."""
    parser.add_argument("--port", required=True, help=PORT)
    parser.add_argument("--clear", action="store_true")
    parser.add_argument("--release", action="store_true", help="enable a motor that an earlier send left disabled")


@guarded
def run(options: argparse.Namespace) -> int:
    """What stands, after clearing it or enabling the motor if that was asked."""
    with session_at(options.port) as session:
        for asked, operation in ((options.release, Release()), (options.clear, ClearFaults())):
            if asked:
                report = session.perform(operation)
                say(report.message)
                if report.outcome is Outcome.REFUSED:
                    return REFUSED
        try:
            fault = standing_fault(session.contact)
        except LinkError as error:
            if not (options.release or options.clear):
                raise
            say(f"{error} What was asked for was sent before that; read the faults again before you ride.")
            return NOT_PROVED
        tell(fault.text if fault is not None else "no active fault")
        return REFUSED if fault is not None or session.made.held_off else 0
