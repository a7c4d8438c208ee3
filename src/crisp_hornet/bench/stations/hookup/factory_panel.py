"""The maker's settings, where a controller can go back to them: asked for, never offered by accident."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.questions import Questions
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.link.operations import Factory
from crisp_hornet.link.report import Outcome, Report


class FactoryPanel(QWidget):
    """Hidden where the controller has no such command."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link = desk, link
        self.questions = Questions(theme)
        self._go = button("Restore the maker's settings", self.start, "large")
        column = column_of(self, margins=0, spacing=6)
        column.addWidget(label("THE MAKER'S SETTINGS", "caps"))
        column.addWidget(self.questions)
        column.addWidget(self._go)
        self.questions.changed.connect(self._enable)
        link.changed.connect(self._show)
        link.shown_changed.connect(self._show)
        self._show()

    def start(self) -> None:
        """Ask for them, as confirmed."""
        self._link.perform("restoring the maker's settings", Factory(), self.questions.confirmed, self._done)

    def _done(self, report: Report) -> None:
        taken = report.outcome is Outcome.PROVED
        self._desk.log(
            "send", "The maker's settings asked for" if taken else "The maker's settings refused", report.message
        )
        self._desk.said.emit("warn" if taken else "stop", report.message)
        self.questions.forget()

    def _show(self) -> None:
        contact = self._link.contact
        wanted = contact is not None and contact.map.commands.factory is not None and not contact.blocked
        self.setVisible(wanted)
        self.questions.ask(
            contact.questions(Factory()) if contact is not None and wanted else [], contact and contact.identity
        )
        self._enable()

    def _enable(self) -> None:
        contact = self._link.contact
        self._go.setEnabled(
            contact is not None and bool(contact.shown) and not self._link.busy and not self.questions.left
        )
