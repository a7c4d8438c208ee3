"""The link on a thread of its own: the window asks by signal and is told by signal; it never waits.

Only the worker touches the line, and it writes through its session alone. While nothing else is asked it reads the live values many times a
second. A contact that is lost is looked for again at the same place, and taken up when the same controller answers.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection
from dataclasses import replace
from functools import cached_property
from itertools import count
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QThread, QTimer, pyqtSignal, pyqtSlot

from crisp_hornet.bench.boundary import Unforeseen, unforeseen
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.errors import LinkError, SeveralAnswer
from crisp_hornet.link.report import Outcome, Progress, Report

if TYPE_CHECKING:  # what speaks to a controller is loaded when somebody first connects
    from crisp_hornet.documents.controller_map import ControllerMap
    from crisp_hornet.link.contact import Contact, Live
    from crisp_hornet.link.marker import FileJournal
    from crisp_hornet.link.operations import Operation
    from crisp_hornet.link.session import ContactMade, Session

LIVE_EVERY_MS = 40
RESUME_EVERY_MS = 1000
Work = Callable[["Contact"], Any]
Journal = Callable[[], "FileJournal | None"]
Descriptions = Callable[[], tuple[list["ControllerMap"], list[str]]]  # of controllers, and why others cannot be read


class LinkWorker(QObject):
    """Lives on its own thread. Use :class:`Link`."""

    said = pyqtSignal(str)
    contact_made = pyqtSignal(object)
    contact_failed = pyqtSignal(object)
    contact_lost = pyqtSignal(str)
    live = pyqtSignal(object)
    known = pyqtSignal(object, int)  # the contact as it is now known, and how often the lever was worked so far
    progress = pyqtSignal(object)
    did = pyqtSignal(int, object, object)  # token, result or error, the contact as it is now known

    def __init__(self, maps: Callable[[], list[ControllerMap]], journal: Journal) -> None:
        super().__init__()
        self._maps, self._journal = maps, journal
        self._session: Session | None = None
        self._timer: QTimer | None = None
        self._resume: QTimer | None = None
        self._lost: tuple[str, str, str] = (
            "",
            "",
            "",
        )  # port, serial number and expected one of the contact that was lost
        self._seen_at: dict[str, ControllerMap] = {}  # who answered at a port before
        self._live_every_ms = LIVE_EVERY_MS
        self._beat: tuple[float | None, float] = (None, 0.0)
        self.stop = threading.Event()

    @pyqtSlot(str, str, str)
    def connect_to(self, port: str, expected_serial: str, product: str) -> None:
        """Open a port, identify, read everything; a controller like ``product`` is looked for first."""
        self.disconnect_now()
        self._lost = ("", "", "")
        known = next((one for one in self._maps() if product and one.identity.product == product), None)
        if known is not None:
            self._seen_at.setdefault(port, known)
        try:
            self._contact_at(port, expected_serial)
        except (LinkError, DocumentError) as error:
            self._close()
            self.contact_failed.emit(error)
        except Exception as error:  # noqa: BLE001 - told by the boundary; the window must hear that it failed
            self._close()
            self.contact_failed.emit(unforeseen("Connecting", error))

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
    def read(self, token: int, work: Work) -> None:
        """Read something from the contact; result or error come by signal, whatever happens."""
        self._do(token, lambda session: work(session.contact))

    @pyqtSlot(int, object, object)
    def perform(self, token: int, operation: Operation, confirmed: Collection[str]) -> None:
        """Carry out an operation, if the session admits it; its report comes by signal, whatever happens."""
        self._do(
            token,
            lambda session: session.perform(operation, confirmed, self.progress.emit, self.stop.is_set),
        )

    def _do(self, token: int, work: Callable[[Session], Any]) -> None:
        session = self._session
        if session is None:
            self.did.emit(token, LinkError("The controller", "no controller is connected", "Connect again."), None)
            return
        result: Any
        try:
            result = work(session)
        except (LinkError, DocumentError) as error:
            result = error
        except Exception as error:  # noqa: BLE001 - told by the boundary; the window must hear that it failed
            result = unforeseen("Speaking to the controller", error)
        self.did.emit(token, result, session.made)

    @pyqtSlot(int)
    def set_live_every(self, ms: int) -> None:
        """Read the live values every so many milliseconds."""
        self._live_every_ms = ms
        if self._timer is not None:
            self._timer.setInterval(ms)

    @pyqtSlot(str)
    def prove_by_hand(self, words: str) -> None:
        """The bike was identified in another way, said in ``words``."""
        if self._session is not None:
            self._session.prove_by_hand(words)
            self.known.emit(self._session.made, self._session.squeeze.pulls)

    def _contact_at(self, port: str, expected_serial: str) -> None:
        from crisp_hornet.link.session import open_session

        self._session = open_session(
            port,
            self._maps(),
            expected_serial or None,
            self._journal(),
            True,
            self.said.emit,
            first=self._seen_at.get(port),
        )
        made = self._session.made
        self._seen_at[port] = made.map
        self._lost = (port, made.identity.serial, expected_serial)
        self.contact_made.emit(made)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._read_live)
        self._timer.start(self._live_every_ms)

    def _close(self) -> None:
        if self._session is not None:
            self._session.close()
        self._session = None

    @pyqtSlot()
    def _read_live(self) -> None:
        session = self._session
        if session is None:
            return
        from crisp_hornet.link.contact import read_live

        try:
            live = read_live(session.contact)
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
        if session.take(live):
            self.known.emit(session.made, session.squeeze.pulls)

    @pyqtSlot()
    def _try_again(self) -> None:
        """Take the lost contact up again, if the same controller answers at the same place."""
        port, serial, expected = self._lost
        try:
            self._contact_at(port, expected or serial)
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
    several = pyqtSignal(object)  # the addresses to choose from, where several controllers answer
    live_changed = pyqtSignal(object)
    shown_changed = pyqtSignal()
    progress = pyqtSignal(object)

    _ask_connect = pyqtSignal(str, str, str)
    _ask_disconnect = pyqtSignal()
    _ask_finish = pyqtSignal()
    _ask_read = pyqtSignal(int, object)
    _ask_perform = pyqtSignal(int, object, object)
    _ask_prove = pyqtSignal(str)
    _ask_live_every = pyqtSignal(int)

    def __init__(self, descriptions: Descriptions, journal: Journal) -> None:
        super().__init__()
        self._read_descriptions = descriptions
        self.contact: ContactMade | None = None
        self.live: Live | None = None
        self.busy = ""
        self.writing = False
        self.loss_expected = False  # the key is to be turned off: that the contact goes is no failure
        self.waiting_for = ""  # the port at which a lost contact is looked for
        self.lever_pulls = 0
        self._tokens = count(1)
        self._done: dict[int, Callable[[Any], None]] = {}
        self._quiet: set[int] = set()
        self._rates: dict[str, int] = {}
        self._thread = QThread()
        self._thread.setObjectName("link")
        self._worker = LinkWorker(lambda: self.maps, journal)
        self._worker.moveToThread(self._thread)
        self._ask_connect.connect(self._worker.connect_to)
        self._ask_disconnect.connect(self._worker.disconnect_now)
        self._ask_finish.connect(self._worker.finish)
        self._ask_read.connect(self._worker.read)
        self._ask_perform.connect(self._worker.perform)
        self._ask_prove.connect(self._worker.prove_by_hand)
        self._ask_live_every.connect(self._worker.set_live_every)
        self._worker.said.connect(self.said)
        self._worker.contact_made.connect(self._on_contact)
        self._worker.contact_failed.connect(self._on_failed)
        self._worker.contact_lost.connect(self._on_lost)
        self._worker.live.connect(self._on_live)
        self._worker.known.connect(self._on_known)
        self._worker.progress.connect(self.progress)
        self._worker.did.connect(self._on_did)
        self._thread.start()

    @cached_property
    def _descriptions(self) -> tuple[list[ControllerMap], list[str]]:
        return self._read_descriptions()

    @property
    def maps(self) -> list[ControllerMap]:
        """The descriptions of controllers, read when they are first needed."""
        return self._descriptions[0]

    def read_descriptions_anew(self) -> None:
        """One of the user's own was added or changed."""
        self.__dict__.pop("_descriptions", None)
        self.changed.emit()

    @property
    def refused_maps(self) -> list[str]:
        """Descriptions of the user's own that cannot be read, and why."""
        return self._descriptions[1]

    def connect_to(self, port: str, expected_serial: str | None = None, product: str = "") -> None:
        """Ask for a contact at ``port``; another controller than the expected one raises a doubt. ``product``: what the bike had last."""
        self.contact, self.live, self.busy, self.waiting_for = None, None, f"connecting to {port}", ""
        self.changed.emit()
        self._ask_connect.emit(port, expected_serial or "", product)

    def disconnect_now(self) -> None:
        """Let go of the controller."""
        self.contact, self.live, self.busy, self.waiting_for = None, None, "", ""
        self._ask_disconnect.emit()
        self.changed.emit()

    def read(self, what: str, work: Work, done: Callable[[Any], None]) -> None:
        """Read something from the contact, on the link's thread; ``done`` gets the result or the error, here."""
        self._ask_read.emit(self._begin(what, done), work)

    def perform(
        self, what: str, operation: Operation, confirmed: Collection[str], done: Callable[[Report], None]
    ) -> None:
        """Ask the session for something that writes; ``done`` gets its report, whatever happens."""
        self.writing = True
        token = self._begin(what, lambda result: self._written(result, done))
        self._ask_perform.emit(token, operation, frozenset(confirmed))

    def _written(self, result: object, done: Callable[[Report], None]) -> None:
        self.writing = False
        done(_as_report(result))

    def _begin(self, what: str, done: Callable[[Any], None]) -> int:
        token = next(self._tokens)
        self._done[token] = done
        self._worker.stop.clear()
        self.busy = what
        self.changed.emit()
        return token

    def perform_quietly(self, operation: Operation, done: Callable[[Report], None]) -> None:
        """Ask for something short without anybody being kept from anything meanwhile."""
        token = next(self._tokens)
        self._done[token] = lambda result: done(_as_report(result))
        self._quiet.add(token)
        self._ask_perform.emit(token, operation, frozenset())

    def want_rate(self, who: str, every_ms: int | None) -> None:
        """``who`` wants the live values every so many milliseconds (None: no longer); the fastest that is wanted counts."""
        if every_ms is None:
            self._rates.pop(who, None)
        else:
            self._rates[who] = every_ms
        self._ask_live_every.emit(min([LIVE_EVERY_MS, *self._rates.values()]))

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
        self._ask_prove.emit(words)

    def _on_contact(self, made: ContactMade) -> None:
        self.contact, self.busy, self.waiting_for, self.lever_pulls = made, "", "", 0
        self.contact_made.emit(made)
        self.changed.emit()

    def _on_failed(self, why: Exception | str) -> None:
        self.contact, self.live, self.busy = None, None, ""
        self.failed.emit(str(why))
        if isinstance(why, SeveralAnswer):
            self.several.emit(why.addresses)
        self.changed.emit()

    def _on_lost(self, why: str) -> None:
        self.waiting_for = self.contact.port if self.contact else ""
        self._on_failed(why)

    def _on_live(self, live: Live) -> None:
        if self.contact is not None:
            self.live = live
            self.live_changed.emit(live)

    def _on_known(self, made: ContactMade, pulls: int) -> None:
        self.lever_pulls = pulls
        before = self.contact
        if before is None or before.backup is not made.backup:
            return  # of an earlier contact
        self.contact = made
        self.shown_changed.emit()
        if before.standing != made.standing:
            self.changed.emit()

    def _on_did(self, token: int, result: object, made: ContactMade | None) -> None:
        if self.contact is not None and made is not None and self.contact.backup is made.backup:
            self.contact = made
        if token in self._quiet:
            self._quiet.discard(token)
            self._answer(token, result)
            return
        self.busy = ""
        self._answer(token, result)
        self.changed.emit()

    def _answer(self, token: int, result: object) -> None:
        done = self._done.pop(token, None)
        if done is not None:  # nobody waits for it any more once the link is closed
            done(result)


def _as_report(result: object) -> Report:
    """What came of an operation; an error that nobody foresaw claims nothing."""
    if isinstance(result, Report):
        return result
    words = str(result)
    if isinstance(result, Unforeseen):
        words += " What the controller holds is not known: connect again, and read it before you ride."
    return Report(Outcome.NOT_PROVED, words)
