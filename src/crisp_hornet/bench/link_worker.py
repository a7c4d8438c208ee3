"""The link on a thread of its own: the window asks by signal and is told by signal; it never waits.

Only the worker touches the line. While nothing else is asked it reads the live values many times a second. A contact that is
lost is looked for again at the same place, and taken up when the same controller answers.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import count
from typing import Any

from PyQt6.QtCore import QObject, QThread, QTimer, pyqtSignal, pyqtSlot

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.contact import Contact, Doubt, Identity, Live, Raws, doubts, make_contact, open_line, read_live
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.line import ModbusLine
from crisp_hornet.link.marker import FileJournal, Interrupted, resolve
from crisp_hornet.link.order import NoOrder, safe_order
from crisp_hornet.link.send import Outcome, Plan, Progress, Report, send
from crisp_hornet.link.squeeze import Squeeze, can_show

LIVE_EVERY_MS = 40
RESUME_EVERY_MS = 1000
Work = Callable[[Contact], Any]


@dataclass(frozen=True)
class ContactMade:
    """What the window needs to know of a new contact; the line itself stays with the worker.

    ``doubts`` speak against it being the right controller; ``interrupted`` is what an interrupted send left on it; ``shown``
    says by what the bike has shown that it is the one under the hands ("" until it has).
    """

    port: str
    identity: Identity
    map: ControllerMap
    raws: Raws
    tune: Tune
    backup: Backup
    doubts: tuple[Doubt, ...] = ()
    interrupted: Interrupted | None = None
    shown: str = ""

    @property
    def ways_to_show(self) -> list[str]:
        """By what this controller can show which bike it sits on."""
        return can_show(self.map)


class LinkWorker(QObject):
    """Lives on its own thread. Use :class:`Link`."""

    said = pyqtSignal(str)
    contact_made = pyqtSignal(object)
    contact_failed = pyqtSignal(str)
    contact_lost = pyqtSignal(str)
    live = pyqtSignal(object)
    shown = pyqtSignal(str, int)  # by what the bike showed itself, how often the lever was worked so far
    progress = pyqtSignal(object)
    did = pyqtSignal(int, object, object)  # token, result or error, what the registers hold

    def __init__(self, maps: list[ControllerMap], journal: FileJournal | None) -> None:
        super().__init__()
        self._maps, self.journal = maps, journal
        self._line: ModbusLine | None = None
        self._contact: Contact | None = None
        self._timer: QTimer | None = None
        self._resume: QTimer | None = None
        self._lost = ("", "")  # port and serial number of the contact that was lost
        self._live_every_ms = LIVE_EVERY_MS
        self._squeeze = Squeeze()
        self._beat: tuple[float | None, float] = (None, 0.0)
        self.stop = threading.Event()

    @pyqtSlot(str, str)
    def connect_to(self, port: str, expected_serial: str) -> None:
        """Open a port, identify, read everything."""
        self.disconnect_now()
        self._lost = ("", "")
        try:
            self._contact_at(port, expected_serial)
        except (LinkError, DocumentError) as error:
            self._close()
            self.contact_failed.emit(str(error))

    @pyqtSlot()
    def disconnect_now(self) -> None:
        """Let go of the line, and do not look for it again."""
        for timer in (self._timer, self._resume):
            if timer is not None:  # deleted here, on its own thread
                timer.stop()
                timer.deleteLater()
        self._timer = self._resume = None
        self._close()

    @pyqtSlot()
    def finish(self) -> None:
        """Let go of the line and end the thread, in that order: timers can only be stopped from here."""
        self.disconnect_now()
        thread = QThread.currentThread()
        assert thread is not None
        thread.quit()

    @pyqtSlot(int, object)
    def do(self, token: int, work: Work) -> None:
        """Carry out work on the contact; result or error come by signal, whatever happens."""
        if self._contact is None:
            self.did.emit(token, LinkError("The controller", "nobody is connected", "Connect again."), {})
            return
        contact = self._contact
        try:
            result = work(contact)
        except (LinkError, DocumentError) as error:
            result = error
        self.did.emit(token, result, dict(contact.raws))

    @pyqtSlot(int)
    def set_live_every(self, ms: int) -> None:
        """Read the live values every so many milliseconds."""
        self._live_every_ms = ms
        if self._timer is not None:
            self._timer.setInterval(ms)

    def _contact_at(self, port: str, expected_serial: str) -> None:
        self._line = open_line(port, self._maps)
        self._contact, backup = make_contact(self._line, self._maps, self.said.emit)
        contact = self._contact
        tune = contact.tune(f"On {contact.identity.product}")
        against = tuple(doubts(contact.identity, contact.map, expected_serial))
        self._squeeze = Squeeze()
        self.contact_made.emit(
            ContactMade(
                port, contact.identity, contact.map, dict(contact.raws), tune, backup, against, self._left_over()
            )
        )
        self._lost = (port, contact.identity.serial)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._read_live)
        self._timer.start(self._live_every_ms)

    def _left_over(self) -> Interrupted | None:
        """What an interrupted send left on this controller."""
        assert self._contact is not None
        if self.journal is None:
            return None
        marker = self.journal.found(self._contact.identity.serial)
        if marker is None:
            return None
        found = resolve(marker, self._contact)
        if found.settled:
            self.journal.settle(self._contact.identity.serial)
        return found

    def _close(self) -> None:
        if self._line is not None:
            self._line.close()
        self._line = self._contact = None

    @pyqtSlot()
    def _read_live(self) -> None:
        if self._contact is None:
            return
        try:
            live = read_live(self._contact)
        except LinkError as error:
            self.disconnect_now()
            self.contact_lost.emit(str(error))
            self._resume = QTimer(self)
            self._resume.timeout.connect(self._try_again)
            self._resume.start(RESUME_EVERY_MS)
            return
        beat = live.values.get("heartbeat")
        if beat is not None and beat == self._beat[0]:
            live = replace(live, at_s=self._beat[1])  # the same reading again is as old as it was
        else:
            self._beat = (beat, live.at_s)
        self.live.emit(live)
        before = (self._squeeze.by, self._squeeze.pulls)
        self._squeeze.take(live)
        if (self._squeeze.by, self._squeeze.pulls) != before:
            self.shown.emit(self._squeeze.by, self._squeeze.pulls)

    @pyqtSlot()
    def _try_again(self) -> None:
        """Take the lost contact up again, if the same controller answers at the same place."""
        port, serial = self._lost
        try:
            self._contact_at(port, serial)
        except (LinkError, DocumentError):
            self._close()
            return
        if self._resume is not None:
            self._resume.stop()
            self._resume.deleteLater()
            self._resume = None


class Link(QObject):
    """The window's end of the link: starts and ends the thread, knows who is connected."""

    changed = pyqtSignal()
    said = pyqtSignal(str)
    contact_made = pyqtSignal(object)
    failed = pyqtSignal(str)
    live_changed = pyqtSignal(object)
    shown_changed = pyqtSignal()
    progress = pyqtSignal(object)
    sent = pyqtSignal(object, object)

    _ask_connect = pyqtSignal(str, str)
    _ask_disconnect = pyqtSignal()
    _ask_finish = pyqtSignal()
    _ask_do = pyqtSignal(int, object)
    _ask_live_every = pyqtSignal(int)

    def __init__(self, maps: list[ControllerMap], journal: FileJournal | None = None) -> None:
        super().__init__()
        self.maps = maps
        self.refused_maps: list[str] = []  # descriptions of the user's own that cannot be read, and why
        self.contact: ContactMade | None = None
        self.live: Live | None = None
        self.busy = ""
        self.waiting_for = ""  # the port at which a lost contact is looked for
        self.lever_pulls = 0
        self._tokens = count(1)
        self._done: dict[int, Callable[[Any], None]] = {}
        self._quiet: set[int] = set()
        self._thread = QThread()
        self._thread.setObjectName("link")
        self._worker = LinkWorker(maps, journal)
        self._worker.moveToThread(self._thread)
        self._ask_connect.connect(self._worker.connect_to)
        self._ask_disconnect.connect(self._worker.disconnect_now)
        self._ask_finish.connect(self._worker.finish)
        self._ask_do.connect(self._worker.do)
        self._ask_live_every.connect(self._worker.set_live_every)
        self._worker.said.connect(self.said)
        self._worker.contact_made.connect(self._on_contact)
        self._worker.contact_failed.connect(self._on_failed)
        self._worker.contact_lost.connect(self._on_lost)
        self._worker.live.connect(self._on_live)
        self._worker.shown.connect(self._on_shown)
        self._worker.progress.connect(self.progress)
        self._worker.did.connect(self._on_did)
        self._thread.start()

    def connect_to(self, port: str, expected_serial: str | None = None) -> None:
        """Ask for a contact at ``port``; another controller than the expected one raises a doubt."""
        self.contact, self.live, self.busy, self.waiting_for = None, None, f"connecting to {port}", ""
        self.changed.emit()
        self._ask_connect.emit(port, expected_serial or "")

    def disconnect_now(self) -> None:
        """Let go of the controller."""
        self.contact, self.live, self.busy, self.waiting_for = None, None, "", ""
        self._ask_disconnect.emit()
        self.changed.emit()

    def run(self, what: str, work: Work, done: Callable[[Any], None]) -> None:
        """Carry out ``work`` on the contact, on the link's thread; ``done`` gets its result or the error, here."""
        token = next(self._tokens)
        self._done[token] = done
        self._worker.stop.clear()
        self.busy = what
        self.changed.emit()
        self._ask_do.emit(token, work)

    def quietly(self, work: Work, done: Callable[[Any], None]) -> None:
        """Carry out something short without anybody being kept from anything meanwhile."""
        token = next(self._tokens)
        self._done[token] = done
        self._quiet.add(token)
        self._ask_do.emit(token, work)

    def set_live_every(self, ms: int) -> None:
        """Read the live values every so many milliseconds."""
        self._ask_live_every.emit(ms)

    @property
    def journal(self) -> FileJournal | None:
        """Where a send leaves its marker."""
        return self._worker.journal

    def send(self, plan: Plan, tune: Tune, bike: Bike, rested_v: float) -> None:
        """Ask for a send with proof, in a safe order; the report comes by :attr:`sent`, whatever happens."""
        worker = self._worker

        def work(contact: Contact) -> Report:
            try:
                order = safe_order(bike, contact.tune(tune.name), plan.changes, rested_v)
            except NoOrder as none:
                return Report(Outcome.REFUSED, f"{none} Nothing was written.")
            ordered = replace(plan, changes=order)
            return send(contact, ordered, worker.progress.emit, worker.stop.is_set, worker.journal)

        self.run("sending", work, lambda report: self.sent.emit(report, tune))

    @property
    def cancelled(self) -> Callable[[], bool]:
        """Whether the work under way is to stop; for work that asks."""
        return self._worker.stop.is_set

    @property
    def tell_progress(self) -> Callable[[Progress], None]:
        """Tells the window how far work is; may be called from the link's thread."""
        return self._worker.progress.emit

    def stop(self) -> None:
        """Stop the work under way; a send takes back what it wrote."""
        self._worker.stop.set()

    def close(self) -> None:
        """End the thread; the line is closed there first."""
        self._worker.stop.set()
        self._ask_finish.emit()
        self._thread.wait(5000)
        self.blockSignals(True)  # what is still on its way has nobody to go to
        self._done.clear()

    def prove_by_hand(self, words: str) -> None:
        """The bike was identified in another way, said in ``words``."""
        if self.contact is not None:
            self.contact = replace(self.contact, shown=words)
            self.shown_changed.emit()

    def _on_contact(self, made: ContactMade) -> None:
        self.contact, self.busy, self.waiting_for, self.lever_pulls = made, "", "", 0
        self.contact_made.emit(made)
        self.changed.emit()

    def _on_failed(self, why: str) -> None:
        self.contact, self.live, self.busy = None, None, ""
        self.failed.emit(why)
        self.changed.emit()

    def _on_lost(self, why: str) -> None:
        self.waiting_for = self.contact.port if self.contact else ""
        self._on_failed(why)

    def _on_live(self, live: Live) -> None:
        if self.contact is not None:
            self.live = live
            self.live_changed.emit(live)

    def _on_shown(self, by: str, pulls: int) -> None:
        self.lever_pulls = pulls
        if self.contact is not None and by and not self.contact.shown:
            self.contact = replace(self.contact, shown=by)
        self.shown_changed.emit()

    def _on_did(self, token: int, result: object, raws: Raws) -> None:
        if token in self._quiet:
            self._quiet.discard(token)
            self._answer(token, result)
            return
        self.busy = ""
        if self.contact is not None and raws:
            self.contact = replace(self.contact, raws=raws)
        self._answer(token, result)
        self.changed.emit()

    def _answer(self, token: int, result: object) -> None:
        done = self._done.pop(token, None)
        if done is not None:  # nobody waits for it any more once the link is closed
            done(result)


__all__ = ["ContactMade", "Link", "Progress"]
