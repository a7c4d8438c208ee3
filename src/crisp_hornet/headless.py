"""The headless commands that judge a tune or speak to a controller: the same path as the window, told in lines of text."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

from crisp_hornet.core.rules import Strength, Warning_
from crisp_hornet.core.watch import typical_v, watch_list
from crisp_hornet.documents import store
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.maps import all_maps
from crisp_hornet.documents.setting_words import in_words
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.garage import CONTROLLERS, SENDING, default_folder
from crisp_hornet.link.contact import Contact, doubts, make_contact, open_line, read_live
from crisp_hornet.link.difference import Change, difference, left_out, said
from crisp_hornet.link.errors import LinkError, PortFailed, WrongDevice
from crisp_hornet.link.faults import clear_faults, standing_fault
from crisp_hornet.link.marker import FileJournal, resolve
from crisp_hornet.link.order import NoOrder, safe_order
from crisp_hornet.link.send import Held, Outcome, Plan, Report, send, trial_refusal
from crisp_hornet.link.squeeze import Squeeze, can_show

PROVED, REFUSED, BAD_INPUT, NOT_PROVED = 0, 1, 2, 3
CAUTION = "Caution: driven wheel in the air or held, hands clear of it, throttle closed. Local codes decide what may be ridden where."


class Refused(Exception):
    """Nothing was written, and why."""


def run(command: Callable[[argparse.Namespace], int], options: argparse.Namespace) -> int:
    """Run one of the commands below; what the controller or the rules refuse ends as a line and an exit code."""
    try:
        return command(options)
    except PortFailed as error:
        _say(str(error))
        return BAD_INPUT
    except (Refused, WrongDevice, ValueError) as error:
        _say(f"refused: {str(error).rstrip('.')}. Nothing was written.")
        return REFUSED
    except LinkError as error:
        _say(f"{error} Nothing was written.")
        return NOT_PROVED


def check_tune(options: argparse.Namespace) -> int:
    """The watch list on standard output."""
    found = watch_list(store.read_bike(options.bike), store.read_tune(options.tune))
    if options.json:
        told = [{"id": one.id, "strength": one.strength.value, "text": one.text, "mend": one.mend} for one in found]
        print(json.dumps(told, ensure_ascii=False, indent=1))
    else:
        for one in found:
            print(f"{one.strength.value}: {one.text} ({one.id}). {one.reason} {one.mend}.")
        if not found:
            print("nothing to watch")
    return REFUSED if any(one.strength is Strength.STOP for one in found) else 0


def back_up(options: argparse.Namespace) -> int:
    """Every readable register into a file."""
    if not options.out.absolute().parent.is_dir():
        raise DocumentError(str(options.out), "", "its folder does not exist", "Make the folder, or choose another.")
    with _contact(options.port) as (_, backup):
        store.write(options.out, backup)
        print(
            f"{len(backup.registers)} registers of {backup.product} {backup.serial}, firmware {backup.firmware}: {options.out}"
        )
    return 0


def tell_faults(options: argparse.Namespace) -> int:
    """What stands, after clearing it if that was asked."""
    with _contact(options.port) as (contact, _):
        fault = clear_faults(contact) if options.clear else standing_fault(contact)
        print(fault.text if fault is not None else "no fault stands")
        return REFUSED if fault is not None else 0


def send_tune(options: argparse.Namespace) -> int:
    """Difference, guards, write, proof."""
    bike, tune = store.read_bike(options.bike), store.read_tune(options.tune)
    with _contact(options.port) as (contact, backup):
        return _send(options, bike, tune, contact, backup)


def _send(options: argparse.Namespace, bike: Bike, tune: Tune, contact: Contact, backup: Backup) -> int:
    folder = default_folder()
    journal = FileJournal(folder / SENDING)
    running = contact.tune(tune.name)
    _guard(options, bike, tune, contact, running)
    marker = journal.found(contact.identity.serial)
    if marker is not None:
        _say(resolve(marker, contact).text)
    for one in left_out(contact.map, tune):
        _say(f"left out: {one.lack.name} {in_words(one.lack.name, one.asked)}. {one.lack.reason}")
    changes = difference(contact.map, contact.raws, tune)
    for change in changes:
        print(change.in_words() + (f" (asked {said(change.register, change.asked)})" if change.rounded else ""))
    if not changes:
        print("the controller already holds this tune")
        return PROVED
    if options.trial and (why := trial_refusal(changes)):
        raise Refused(f"not on trial: {why}")
    try:
        order = safe_order(bike, running, changes, typical_v(bike))
    except NoOrder as none:
        raise Refused(str(none)) from None
    _say(f"backup kept: {_keep_backup(folder, backup)}")
    _say(CAUTION)
    if options.squeeze is not None:
        _wait_for_squeeze(contact, options.squeeze)
    report = send(contact, Plan(order, keep=not options.trial), lambda step: _say(step.text), lambda: False, journal)
    return _tell(report, order)


def _guard(options: argparse.Namespace, bike: Bike, tune: Tune, contact: Contact, running: Tune) -> None:
    """Everything that keeps a tune from being sent; raises :class:`Refused`. Nothing overrides a stop."""
    confirmed = set(options.confirm)
    for doubt in doubts(contact.identity, contact.map, bike.controller.serial):
        if doubt.blocks or doubt.id not in confirmed:
            hint = "" if doubt.blocks else f". Confirm it with --confirm {doubt.id}"
            raise Refused(doubt.text + hint)
    found = watch_list(bike, contact.map.as_run(tune), running)
    stops = [one for one in found if one.strength is Strength.STOP]
    if stops:
        raise Refused("; ".join(_line(one) for one in stops) + ". Nothing overrides a stop")
    open_ = [one for one in found if one.strength is Strength.WARN and one.id not in confirmed]
    if open_:
        ids = " ".join(one.id for one in open_)
        raise Refused("; ".join(_line(one) for one in open_) + f". Confirm with --confirm {ids}")


def _line(warning: Warning_) -> str:
    return f"{warning.strength.value} {warning.id}: {warning.text}. {warning.mend}"


def _wait_for_squeeze(contact: Contact, longest_s: float) -> None:
    """Wait until the bike has shown itself; raises :class:`Refused`."""
    if not can_show(contact.map):
        raise Refused("this controller shows neither brake lever nor turning direction: leave out --squeeze")
    _say(f"work the brake lever twice, or turn the wheel back by hand, within {longest_s:g} s")
    squeeze, end = Squeeze(), time.monotonic() + longest_s
    while time.monotonic() < end:
        if squeeze.take(read_live(contact)):
            _say(f"shown by {squeeze.by}")
            return
    raise Refused("the bike has not shown itself in time")


def _keep_backup(folder: Path, backup: Backup) -> Path:
    place = folder / "backups"
    place.mkdir(parents=True, exist_ok=True)
    serial = "".join(letter if letter.isalnum() else "-" for letter in backup.serial) or "unnamed"
    path = place / f"{serial}-{datetime.now():%Y%m%d-%H%M%S}.json"
    store.write(path, backup)
    return path


def _tell(report: Report, changes: list[Change]) -> int:
    print(f"{report.outcome.value}: {report.message}")
    if report.outcome is Outcome.PROVED:
        return PROVED
    all_old = all(report.held.get(change.register.name) is Held.OLD for change in changes)
    return REFUSED if all_old and report.outcome in (Outcome.REFUSED, Outcome.STOPPED) else NOT_PROVED


@contextmanager
def _contact(port: str) -> Iterator[tuple[Contact, Backup]]:
    """A contact and its backup. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    maps, faulty = all_maps(default_folder() / CONTROLLERS)
    for one in faulty:
        _say(f"not used: {one}")
    line = open_line(port, maps)
    try:
        yield make_contact(line, maps, _say)
    finally:
        line.close()


def _say(text: str) -> None:
    print(" ".join(text.split()), file=sys.stderr)
