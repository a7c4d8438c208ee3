"""What Send offers besides sending: keep what runs, prove it by a power cycle, go back to a backup."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.stations.send import words
from crisp_hornet.bench.stations.send.power_cycle import PowerCycle
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.contact import tune_of
from crisp_hornet.link.report import Kept, Outcome, Report
from crisp_hornet.link.session import ContactMade


class Afterwards(QWidget):
    """One row of ways on and ways back."""

    keep_asked = pyqtSignal()
    restore_asked = pyqtSignal(object)  # Backup
    draft_asked = pyqtSignal()  # back to the draft

    def __init__(self, desk: Desk, link: Link, power_cycle: PowerCycle) -> None:
        super().__init__()
        self._desk, self._link, self._power_cycle = desk, link, power_cycle
        self._row = row_of(self, margins=0, spacing=10)

    def refresh(self, report: Report | None, backup: Backup | None, sending: bool) -> None:
        """Offer what fits what came of the send, and what is about to be put back."""
        clear(self._row)
        cycle, contact = self._power_cycle, self._link.contact
        if cycle.waiting:
            self._row.addWidget(label(words.CYCLE_WAITS if cycle.lost else words.CYCLE, wrap=True), 1)
            self._row.addWidget(button("Do not wait", cycle.give_up, "large", "Skip the power cycle"))
            return
        if contact is None or self._link.busy or sending:
            return
        if report is not None and report.outcome is Outcome.PROVED and not contact.blocked:
            self._offer_lasting(report, contact)
        if backup is not None:
            self._row.addWidget(button("Back to the draft", self.draft_asked.emit, "small"))
        else:
            self._offer_backup(contact)
        self._row.addStretch(1)

    def _offer_lasting(self, report: Report, contact: ContactMade) -> None:
        if report.kept is Kept.NO and contact.unkept:
            self._row.addWidget(button("Make it permanent", self.keep_asked.emit, "large"))
        elif report.kept in (Kept.SAID, Kept.SEEN):
            self._row.addWidget(button("Prove it by a power cycle", self._power_cycle.begin, "large"))

    def _offer_backup(self, contact: ContactMade) -> None:
        """The newest backup that differs from what the controller holds."""
        others = [(at, one) for at, one in self._desk.story.backups() if one.raws() != contact.raws and not one.by_hand]
        if not others:
            return
        at, backup = others[0]
        self._row.addWidget(
            button(
                f"Load the backup of {time_words(at)} as draft",
                partial(self._draft, backup, contact),
                "small",
                "Draft the newest other backup",
            )
        )
        self._row.addSpacing(14)
        put_back = partial(self.restore_asked.emit, backup)
        self._row.addWidget(button("Restore it unchanged", put_back, "small", "Restore the newest other backup"))

    def _draft(self, backup: Backup, contact: ContactMade) -> None:
        try:
            self._desk.draft.open(tune_of(contact.map, backup.raws(), "From the backup"))
        except DocumentError as error:
            self._desk.said.emit("stop", f"That backup does not fit this controller: {error}")
