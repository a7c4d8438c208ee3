"""The link on a thread of its own: the window asks by signal and is told by signal; it never waits.

Only this object touches the line. While nothing else is asked it reads the live values a few times a second.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass

from PyQt6.QtCore import QObject, QThread, QTimer, pyqtSignal, pyqtSlot

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.contact import Contact, Identity, Live, make_contact, read_live
from crisp_hornet.link.difference import difference
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.line import SerialLine
from crisp_hornet.link.send import Progress, Report, send

LIVE_EVERY_MS = 150


@dataclass(frozen=True)
class ContactMade:
    """What the window needs to know of a new contact; the line itself stays with the worker."""

    port: str
    identity: Identity
    map: ControllerMap
    words: dict[int, int]
    tune: Tune
    backup: Backup


class LinkWorker(QObject):
    """Lives on its own thread. Use :class:`Link`."""

    said = pyqtSignal(str)
    contact_made = pyqtSignal(object)
    contact_failed = pyqtSignal(str)
    contact_lost = pyqtSignal(str)
    live = pyqtSignal(object)
    progress = pyqtSignal(object)
    sent = pyqtSignal(object, object, object)  # report, tune, words

    def __init__(self, maps: list[ControllerMap]) -> None:
        super().__init__()
        self._maps = maps
        self._line: SerialLine | None = None
        self._contact: Contact | None = None
        self._timer: QTimer | None = None
        self.stop = threading.Event()

    @pyqtSlot(str)
    def connect_to(self, port: str) -> None:
        """Open a port, identify, read everything."""
        self.disconnect_now()
        line = SerialLine(port, self._maps[0].line)
        try:
            line.open()
            self._contact, backup = make_contact(line, self._maps, self.said.emit)
            tune = self._contact.tune(f"On {self._contact.identity.product}")
        except (LinkError, DocumentError) as error:
            line.close()
            self._contact = None
            self.contact_failed.emit(str(error))
            return
        self._line = line
        contact = self._contact
        self.contact_made.emit(ContactMade(port, contact.identity, contact.map, dict(contact.words), tune, backup))
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._read_live)
        self._timer.start(LIVE_EVERY_MS)

    @pyqtSlot()
    def disconnect_now(self) -> None:
        """Let go of the line."""
        if self._timer is not None:  # deleted here, on its own thread
            self._timer.stop()
            self._timer.deleteLater()
            self._timer = None
        if self._line is not None:
            self._line.close()
        self._line = self._contact = None

    @pyqtSlot()
    def finish(self) -> None:
        """Let go of the line and end the thread, in that order: timers can only be stopped from here."""
        self.disconnect_now()
        thread = QThread.currentThread()
        assert thread is not None
        thread.quit()

    @pyqtSlot(object, bool)
    def send_tune(self, tune: Tune, keep: bool) -> None:
        """Send a tune with proof; the report comes by signal, whatever happens."""
        if self._contact is None:
            return
        contact = self._contact
        report = send(contact, difference(contact.map, contact.words, tune), keep, self.progress.emit, self.stop.is_set)
        self.sent.emit(report, tune, dict(contact.words))

    @pyqtSlot()
    def _read_live(self) -> None:
        if self._contact is None:
            return
        try:
            self.live.emit(read_live(self._contact))
        except LinkError as error:
            self.disconnect_now()
            self.contact_lost.emit(str(error))


class Link(QObject):
    """The window's end of the link: starts and ends the thread, knows who is connected."""

    changed = pyqtSignal()
    said = pyqtSignal(str)
    contact_made = pyqtSignal(object)
    failed = pyqtSignal(str)
    live_changed = pyqtSignal(object)
    progress = pyqtSignal(object)
    sent = pyqtSignal(object, object)

    _ask_connect = pyqtSignal(str)
    _ask_disconnect = pyqtSignal()
    _ask_finish = pyqtSignal()
    _ask_send = pyqtSignal(object, bool)

    def __init__(self, maps: list[ControllerMap]) -> None:
        super().__init__()
        self.contact: ContactMade | None = None
        self.live: Live | None = None
        self.busy = ""
        self._thread = QThread()
        self._thread.setObjectName("link")
        self._worker = LinkWorker(maps)
        self._worker.moveToThread(self._thread)
        self._ask_connect.connect(self._worker.connect_to)
        self._ask_disconnect.connect(self._worker.disconnect_now)
        self._ask_finish.connect(self._worker.finish)
        self._ask_send.connect(self._worker.send_tune)
        self._worker.said.connect(self.said)
        self._worker.contact_made.connect(self._on_contact)
        self._worker.contact_failed.connect(self._on_failed)
        self._worker.contact_lost.connect(self._on_failed)
        self._worker.live.connect(self._on_live)
        self._worker.progress.connect(self.progress)
        self._worker.sent.connect(self._on_sent)
        self._thread.start()

    def connect_to(self, port: str) -> None:
        """Ask for a contact at ``port``."""
        self.contact, self.live, self.busy = None, None, f"connecting to {port}"
        self.changed.emit()
        self._ask_connect.emit(port)

    def disconnect_now(self) -> None:
        """Let go of the controller."""
        self.contact, self.live, self.busy = None, None, ""
        self._ask_disconnect.emit()
        self.changed.emit()

    def send(self, tune: Tune, keep: bool) -> None:
        """Ask for a send with proof."""
        self._worker.stop.clear()
        self.busy = "sending"
        self.changed.emit()
        self._ask_send.emit(tune, keep)

    def stop_sending(self) -> None:
        """Stop a send; what was written is taken back."""
        self._worker.stop.set()

    def close(self) -> None:
        """End the thread; the line is closed there first."""
        self._worker.stop.set()
        self._ask_finish.emit()
        self._thread.wait(5000)

    def _on_contact(self, made: ContactMade) -> None:
        self.contact, self.busy = made, ""
        self.contact_made.emit(made)
        self.changed.emit()

    def _on_failed(self, why: str) -> None:
        self.contact, self.live, self.busy = None, None, ""
        self.failed.emit(why)
        self.changed.emit()

    def _on_live(self, live: Live) -> None:
        if self.contact is not None:
            self.live = live
            self.live_changed.emit(live)

    def _on_sent(self, report: Report, tune: Tune, words: dict[int, int]) -> None:
        self.busy = ""
        if self.contact is not None:
            self.contact = ContactMade(
                self.contact.port,
                self.contact.identity,
                self.contact.map,
                words,
                self.contact.tune,
                self.contact.backup,
            )
        self.sent.emit(report, tune)
        self.changed.emit()


__all__ = ["ContactMade", "Link", "Progress"]
