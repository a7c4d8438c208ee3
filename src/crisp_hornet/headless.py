"""The headless commands that judge a tune or speak to a controller: the same session as the window's, told in lines of text."""

from __future__ import annotations

import argparse
import json
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

from crisp_hornet.core.rules import Strength
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.documents import store
from crisp_hornet.documents.backup import Backup, read_backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.maps import all_maps
from crisp_hornet.documents.setting_words import in_words
from crisp_hornet.garage.garage import CONTROLLERS, SENDING, default_folder
from crisp_hornet.link.contact import read_live
from crisp_hornet.link.difference import Change, difference, left_out, said
from crisp_hornet.link.errors import LinkError, PortFailed, SeveralAnswer, WrongDevice
from crisp_hornet.link.faults import standing_fault
from crisp_hornet.link.marker import FileJournal
from crisp_hornet.link.operations import (
    SENSORS,
    ClearFaults,
    Operation,
    Release,
    Restore,
    SendTune,
    Watched,
)
from crisp_hornet.link.report import Held, Kept, Outcome, Report
from crisp_hornet.link.session import ContactMade, Session, open_session
from crisp_hornet.link.squeeze import can_show
from crisp_hornet.link.way_back import way_back
from crisp_hornet.output import say, tell

PROVED, REFUSED, BAD_INPUT, NOT_PROVED = 0, 1, 2, 3
CAUTION = "Caution: driven wheel in the air or held, hands clear of it, throttle closed. Local codes decide what may be ridden where."
SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class Refused(Exception):
    """Nothing was written, and why."""


def run(command: Callable[[argparse.Namespace], int], options: argparse.Namespace) -> int:
    """Run one of the commands below; what the controller or the rules refuse ends as a line and an exit code.

    Whatever raises here does so before anything is written: a session never raises for what happens afterwards.
    """
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


def check_tune(options: argparse.Namespace) -> int:
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
    return REFUSED if any(one.strength is Strength.STOP for one in found) else 0


def back_up(options: argparse.Namespace) -> int:
    """Every readable register into a file."""
    if not options.out.absolute().parent.is_dir():
        raise DocumentError(str(options.out), "", "its folder does not exist", "Make the folder, or choose another.")
    with _session(options.port) as session:
        backup = session.made.backup
        store.write(options.out, backup)
        tell(
            f"{len(backup.registers)} registers of {backup.product} {backup.serial}, firmware {backup.firmware}: {options.out}"
        )
        if session.made.unkept:
            say("What runs is not all kept: power-off brings earlier values back. The backup holds what runs.")
    return 0


def tell_faults(options: argparse.Namespace) -> int:
    """What stands, after clearing it or enabling the motor if that was asked."""
    with _session(options.port) as session:
        for asked, operation in ((options.release, Release()), (options.clear, ClearFaults())):
            if asked:
                report = session.perform(operation)
                say(report.message)
                if report.outcome is Outcome.REFUSED:
                    return REFUSED
        fault = standing_fault(session.contact)
        tell(fault.text if fault is not None else "no fault stands")
        return REFUSED if fault is not None or session.made.held_off else 0


def send_tune(options: argparse.Namespace) -> int:
    """Difference, guards, write, proof."""
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    with _session(options.port, bike.controller.serial) as session:
        contact, made = session.contact, session.made
        if made.blocked:
            raise Refused(made.blocked)
        for one in left_out(contact.map, tune):
            say(f"left out: {one.lack.name} {in_words(one.lack.name, one.asked)}. {one.lack.reason}")
        changes = difference(contact.map, contact.raws, tune)
        _tell_changes(changes)
        operation = SendTune(tune, tuple(changes), not options.trial, Watched(bike))
        if not changes:
            if not made.unkept:
                tell("the controller already holds this tune")
                return PROVED
            if options.trial:
                tell("the controller already runs this tune, until power-off")
                return PROVED
            tell("the controller already runs this tune, but does not keep it over power-off: keeping it")
        return _perform(options, session, operation, changes)


def restore_backup(options: argparse.Namespace) -> int:
    """Bring back what a backup holds, by name; calibrations only where asked for."""
    backup = read_backup(options.backup)
    bike = store.read_bike(options.bike) if options.bike is not None else None
    with _session(options.port, bike.controller.serial if bike is not None else None) as session:
        contact = session.contact
        if session.made.blocked:
            raise Refused(session.made.blocked)
        back = way_back(backup, contact.identity, contact.map, contact.raws, options.calibration)
        for words in back.left_alone:
            say(f"left as it is, --calibration puts it back too: {words}")
        for name in back.unknown:
            say(f"not known to this controller's description: {name}")
        _tell_changes(back.changes)
        if not back.changes and not session.made.unkept:
            tell("the controller already holds what the backup holds")
            return PROVED
        operation = Restore(tuple(back.changes), back.other_controller, bike)
        return _perform(options, session, operation, back.changes)


def _tell_changes(changes: list[Change]) -> None:
    for change in changes:
        tell(change.in_words() + (f" (asked {said(change.register, change.asked)})" if change.rounded else ""))


def _perform(options: argparse.Namespace, session: Session, operation: Operation, changes: list[Change]) -> int:
    """Keep a backup, show the caution, and let the session do it; whatever interrupts is heard by it alone."""
    confirmed = set(options.confirm)
    if session.made.map.inhibit is not None and any(one.id == "sensors" for one in session.made.questions(operation)):
        confirmed.add("sensors")  # nothing can move while they change: said, not asked
        say(SENSORS)
    shown_soon = {"not-shown"} if options.squeeze is not None else set()
    if why := session.refusal(operation, confirmed | shown_soon):
        raise Refused(why)
    say(f"backup kept: {_keep_backup(default_folder(), session.made.backup)}")
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
    say(f"work the brake lever twice, or turn the wheel back by hand, within {longest_s:g} s")
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
    path = place / f"{serial}-{datetime.now():%Y%m%d-%H%M%S}.json"
    store.write(path, backup, private=True)
    return path


def _tell(report: Report, changes: list[Change], keep: bool) -> int:
    tell(f"{report.outcome.value}: {report.message}")
    if report.outcome is Outcome.PROVED:
        return PROVED if not keep or report.kept in (Kept.SEEN, Kept.POWER_CYCLED) else NOT_PROVED
    if report.outcome is Outcome.REFUSED:
        return REFUSED
    all_old = all(report.held.get(change.register.name) is Held.OLD for change in changes)
    return REFUSED if all_old and report.outcome is Outcome.STOPPED and not report.held_off else NOT_PROVED


@contextmanager
def _session(port: str, expected_serial: str | None = None) -> Iterator[Session]:
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
