"""Whether this bench works alone, or on a garage that several benches share: tried first, then chosen, and kept so."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.start.copies_panel import CopiesPanel
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label, rule
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.garage.garage import choose, chosen, default_folder, folder_of

WORDS = (
    "One bench alone needs nothing: its garage is a file of this computer. Where several benches share their bikes, the garage lies in a "
    "PostgreSQL database (version 15 or newer) of the workshop. Each bench goes on working while the line is lost."
)
OWN_STAYS = "The bikes of this computer stay in its own garage. Export and Import on Logbook carry one over."
LATER = "Its password is not kept: this system has no secret store that can be used. A password file of PostgreSQL serves as well."
ADDRESS, FIELD_PX = "postgresql://name@host/database", 420


@dataclass(frozen=True)
class Tried:
    """What lies at an address: how many bikes and benches; whether one may only read; whether the password is kept."""

    address: str
    bikes: int
    benches: int
    reads_only: bool
    kept: bool


class SharingPanel(QWidget):
    """``reopen``: another garage was chosen, the window has to be opened on it."""

    reopen = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._work = Background(DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(lambda error: self._say(str(error)))
        self._tried: Tried | None = None
        self.address, self.password = QLineEdit(), QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        for field in (self.address, self.password):
            fix(field, wide=FIELD_PX)
            field.textChanged.connect(self._other)
            field.returnPressed.connect(self.try_it)
        self.said = label("", wrap=True)
        self.use = button("Work on it from now on", self._use)
        self._alone = button("Work on this computer's own garage again", self._work_alone)
        self._now = label("", wrap=True)
        column = column_of(self, margins=(0, 4, 12, 0), spacing=10)
        head = row_of(spacing=10)
        head.addWidget(label("Which garage, and its copies", "title"))
        head.addStretch(1)
        head.addWidget(button("Back to the doors", self.closed.emit, "small", "Back to the doors from sharing"))
        column.addLayout(head)
        column.addWidget(label("SHARED WITH OTHER BENCHES", "caps"))
        column.addWidget(label(WORDS, "quiet", wrap=True))
        column.addWidget(self._now)
        for words, field in ((f"address, as {ADDRESS}", self.address), ("password, where it takes one", self.password)):
            column.addWidget(Captioned(words, field, above=True))
        acts = row_of(spacing=12)
        for act in (button("Try it", self.try_it), self.use, self._alone):
            acts.addWidget(act)
        acts.addStretch(1)
        column.addLayout(acts)
        column.addWidget(self.said)
        column.addWidget(label(OWN_STAYS, "quiet", wrap=True))
        column.addWidget(rule())
        self.copies = CopiesPanel(desk)
        column.addWidget(self.copies)
        column.addStretch(1)
        self.refresh()

    @property
    def may_choose(self) -> bool:
        """Whether this window is on a garage that was not named at its start: the demo, practice and ``--garage`` stay what they are."""
        return self._desk.folder in (default_folder(), folder_of(chosen(None)))

    @property
    def trying(self) -> bool:
        """Whether an address is being tried."""
        return self._work.running

    def refresh(self) -> None:
        """Say which garage is worked on."""
        self.show_now(chosen(None))

    def show_now(self, address: str | None) -> None:
        """The garage that is worked on: a shared one, or none, this computer's own."""
        self._now.setText(f"Now: {address}" if address else "Now: this computer's own garage.")
        self._alone.setVisible(address is not None)
        if address and not self.address.text():
            self.address.setText(address)
        self.use.setEnabled(False)

    def try_it(self) -> None:
        """Connect to the address, beside the window; makes its tables where there are none."""
        address, password = self.address.text().strip(), self.password.text()
        self._say("Trying …")
        self._work.start(lambda: tried(address, password))

    def _other(self) -> None:
        self._tried = None
        self._work.cancel()
        self.use.setEnabled(False)

    def _take(self, found: Tried) -> None:
        self._tried = found
        self.use.setEnabled(True)
        self.use.setFocus()
        may = " You may only read it." if found.reads_only else ""
        kept = "" if found.kept else f" {LATER}"
        there = f"It answers: {counted(found.bikes, 'bike')}, {counted(found.benches, 'bench', 'benches')} seen in the last minute."
        self._say(f"{there}{may}{kept}")

    def _use(self) -> None:
        if self._tried is not None and not self._desk.stays():
            self._choose(self._tried.address)

    def _work_alone(self) -> None:
        if not self._desk.stays():
            self._choose(None)

    def _choose(self, address: str | None) -> None:
        try:
            choose(address)
        except DocumentError as error:
            self._say(str(error))
            return
        self.reopen.emit()

    def _say(self, words: str) -> None:
        self.said.setText(words)


def tried(address: str, password: str) -> Tried:
    """What lies at an address; a password that was typed is kept in the secret store. Raises :class:`DocumentError`."""
    try:
        from crisp_hornet.garage.in_step import WorkshopError
        from crisp_hornet.garage.workshop import Workshop, checked, keep_password, password_of

        checked(address)
        import psycopg  # noqa: F401 - whether it is there
    except ImportError:
        raise DocumentError(
            address, "", "a shared garage takes crisp-hornet[workshop]", "Install that, then try again."
        ) from None
    except WorkshopError as error:
        raise DocumentError(address or "The address", "", "cannot be used", str(error)) from None
    kept = True
    try:
        workshop = Workshop(address, password or password_of(address))
        try:
            bikes, benches = workshop.counted()
        finally:
            workshop.close()
    except WorkshopError as error:
        raise DocumentError(address, "", "cannot be used", str(error)) from None
    if password:
        try:
            keep_password(address, password)
        except WorkshopError:
            kept = False
    return Tried(address, bikes, benches, workshop.reads_only, kept)
