"""What the commands that speak to a controller share: the same session as the window's, told in lines of text."""

from __future__ import annotations

import argparse
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import wraps
from pathlib import Path

from crisp_hornet.commands.arguments import number
from crisp_hornet.commands.output import say, tell
from crisp_hornet.documents import store
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.maps import all_maps
from crisp_hornet.garage.garage import CONTROLLERS, SENDING, default_folder
from crisp_hornet.link.contact import read_live
from crisp_hornet.link.difference import Change, said
from crisp_hornet.link.errors import LinkError, PortFailed, SeveralAnswer, WrongDevice
from crisp_hornet.link.marker import FileJournal
from crisp_hornet.link.operations import (
    SENSORS,
    Operation,
)
from crisp_hornet.link.report import Held, Kept, Outcome, Report
from crisp_hornet.link.session import ContactMade, Session, open_session
from crisp_hornet.link.squeeze import can_show

PROVED, REFUSED, BAD_INPUT, NOT_PROVED = 0, 1, 2, 3
CAUTION = "Caution: driven wheel lifted or blocked, hands clear of it, throttle closed. Local codes decide what may be ridden where."
SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class Refused(Exception):
    """Nothing was written, and why."""


def guarded(command: Callable[[argparse.Namespace], int]) -> Callable[[argparse.Namespace], int]:
    """A command that speaks to a controller: what it or the rules refuse ends as a line and an exit code.

    Whatever raises here does so before anything is written: a session never raises for what happens afterwards.
    """

    @wraps(command)
    def run(options: argparse.Namespace) -> int:
        try:
            return command(options)
        except PortFailed as error:
            say(str(error))
            return BAD_INPUT
        except (Refused, WrongDevice, SeveralAnswer, ValueError) as error:
            say(f"refused: {str(error).rstrip('.')}. Nothing was written.")
            return REFUSED
        except LinkError as error:
            say(f"{error} Nothing was written.")
            return NOT_PROVED
        except DocumentError:
            raise
        except Exception as error:  # noqa: BLE001 - said here in one line, with what it means for the bike
            told = f"{type(error).__name__}: {error}"
            say(f"This failed in a way that was not foreseen ({told}). Read the controller again before you ride.")
            return NOT_PROVED

    return run


def add_confirmations(parser: argparse.ArgumentParser) -> None:
    """What somebody at the bike has read or can show."""
    parser.add_argument("--confirm", nargs="+", default=[], metavar="ID", action="extend", help="what you have read")
    parser.add_argument("--squeeze", type=number, metavar="SECONDS", help="wait for the brake lever, worked twice")


def tell_changes(changes: list[Change]) -> None:
    """The difference, a line each."""
    for change in changes:
        tell(change.in_words() + (f" (asked {said(change.register, change.asked)})" if change.rounded else ""))


def perform(options: argparse.Namespace, session: Session, operation: Operation, changes: list[Change]) -> int:
    """Keep a backup, show the caution, and let the session do it; whatever interrupts is heard by it alone."""
    confirmed = set(options.confirm)
    if session.made.map.inhibit is not None and any(
        question.id == "sensors" for question in session.made.questions(operation)
    ):
        confirmed.add("sensors")  # nothing can move while they change: said, not asked
        say(SENSORS)
    shown_soon = {"not-shown"} if options.squeeze is not None else set()
    if why := session.refusal(operation, confirmed | shown_soon):
        raise Refused(why)
    say(f"backup saved: {_keep_backup(default_folder(), session.made.backup)}")
    say(CAUTION)
    with _interrupts() as stopped:
        if options.squeeze is not None:
            _wait_for_squeeze(session, options.squeeze, stopped)
        report = session.perform(operation, confirmed, lambda step: say(step.text), stopped.is_set)
        return _tell(report, changes, keep=not getattr(options, "trial", False))


@contextmanager
def _interrupts() -> Iterator[threading.Event]:
    """While something is written, Ctrl+C, SIGTERM and a closed terminal ask it to stop: it takes back what it wrote, and says so."""
    stopped = threading.Event()
    before = {number: signal.signal(number, lambda *_: stopped.set()) for number in SIGNALS}
    try:
        yield stopped
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def _wait_for_squeeze(session: Session, longest_s: float, stopped: threading.Event) -> None:
    """Wait until the bike has shown itself; raises :class:`Refused`."""
    if not can_show(session.made.map):
        raise Refused("this controller shows neither brake lever nor turning direction: leave out --squeeze")
    say(f"pull the brake lever twice, or turn the wheel back by hand, within {longest_s:g} s")
    end = time.monotonic() + longest_s
    while time.monotonic() < end and not stopped.is_set():
        session.take(read_live(session.contact))
        if session.made.shown:
            say(f"shown by {session.made.shown}")
            return
    raise Refused("the bike has not shown itself in time")


def _keep_backup(folder: Path, backup: Backup) -> Path:
    place = folder / "backups"
    place.mkdir(parents=True, exist_ok=True, mode=0o700)
    serial = "".join(letter if letter.isalnum() else "-" for letter in backup.serial) or "unnamed"
    path = place / f"{serial}-{datetime.now().astimezone():%Y%m%d-%H%M%S}.json"
    store.write(path, backup, private=True)
    return path


def _tell(report: Report, changes: list[Change], keep: bool) -> int:
    word = f"{report.outcome.value}: "
    tell(word + report.message.removeprefix(word.capitalize()))
    if report.outcome is Outcome.PROVED:
        return PROVED if not keep or report.kept in (Kept.SEEN, Kept.POWER_CYCLED) else NOT_PROVED
    if report.outcome is Outcome.REFUSED:
        return REFUSED
    all_old = all(report.held.get(change.register.name) is Held.OLD for change in changes)
    return REFUSED if all_old and report.outcome is Outcome.STOPPED and not report.held_off else NOT_PROVED


@contextmanager
def session_at(port: str, expected_serial: str | None = None) -> Iterator[Session]:
    """A session; what an earlier one left behind is said. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    maps, faulty = all_maps(default_folder() / CONTROLLERS)
    for one in faulty:
        say(f"not used: {one}")
    session = open_session(port, maps, expected_serial, FileJournal(default_folder() / SENDING), False, say)
    try:
        _say_standing(session.made)
        yield session
    finally:
        session.close()


def _say_standing(made: ContactMade) -> None:
    if made.interrupted is not None:
        say(made.interrupted.text)
    if made.held_off:
        say("The motor is disabled: an earlier send held it off. crisp-hornet faults --release enables it.")
