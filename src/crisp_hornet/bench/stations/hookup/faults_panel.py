"""Faults: what stands, what it means, what to check next, and clearing it."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.bench.widgets.watch_list import card
from crisp_hornet.documents.kinds import CANOPEN
from crisp_hornet.link.contact import Live
from crisp_hornet.link.faults import StandingFault, code_text, explain
from crisp_hornet.link.line import Event
from crisp_hornet.link.operations import ClearFaults
from crisp_hornet.link.report import Outcome, Report
from crisp_hornet.link.session import ContactMade

MOST_EARLIER = 8


class FaultsPanel(QWidget):
    """Follows the live values; each fault that appears or goes is a line in the logbook."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link, self.theme = desk, link, theme
        self.standing: StandingFault | None = None
        self._column = column_of(self, margins=0, spacing=10)
        link.live_changed.connect(self._take_live)
        link.contact_made.connect(self._forget)
        self._earlier: list[Event] = []
        link.changed.connect(self._show)
        self._show()

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours."""
        self.theme = theme
        self._show()

    def clear_now(self) -> None:
        """Ask the controller to clear its faults."""
        self._link.perform("clearing faults", ClearFaults(), (), self._cleared)

    def _forget(self, _made: ContactMade) -> None:
        self.standing = None
        self._earlier = []
        self._show()
        self._ask_earlier()

    def _ask_earlier(self) -> None:
        """What the controller remembers, where it does."""
        contact = self._link.contact
        if contact is not None and contact.map.line.kind == CANOPEN and not self._link.busy:
            self._link.read("reading earlier faults", lambda known: known.line.history(), self._take_earlier)

    def _take_earlier(self, found: object) -> None:
        self._earlier = list(found) if isinstance(found, list) else []
        self._show()

    def _take_live(self, live: Live) -> None:
        contact = self._link.contact
        if contact is None:
            return
        found = explain(contact.map, live.values.get("fault", 0.0))
        if found == self.standing:
            return
        if found is not None:
            self._desk.log("fault", f"Fault {found.shown}: {found.name}", f"{found.meaning} {found.check}")
        elif self.standing is not None:
            self._desk.log("fault", f"Fault {self.standing.shown} is gone: {self.standing.name}")
        self.standing = found
        self._show()
        self._ask_earlier()

    def _cleared(self, report: Report) -> None:
        severity = {Outcome.PROVED: "settled", Outcome.NOT_PROVED: "warn"}.get(report.outcome, "stop")
        self._desk.said.emit(severity, report.message)

    def _show(self) -> None:
        clear(self._column)
        contact = self._link.contact
        if contact is None:
            self._column.addWidget(label("Connect to read faults.", "quiet", wrap=True))
        elif self.standing is None:
            self._column.addWidget(label("No active fault.", wrap=True))
            self._column.addWidget(
                label(
                    f"The description of {contact.map.name} knows {len(contact.map.fault)} fault codes.",
                    "quiet",
                    wrap=True,
                )
            )
        else:
            fault = self.standing
            self._column.addWidget(card(self.theme, "stop", f"Fault {fault.shown}: {fault.name}", fault.meaning))
            if fault.causes:
                self._column.addWidget(label("USUAL CAUSES", "caps"))
                for cause in fault.causes:
                    self._column.addWidget(label(f"·  {cause}", wrap=True))
            self._column.addWidget(label("CHECK NEXT", "caps"))
            self._column.addWidget(label(fault.check, wrap=True))
            clearing = button("Clear the fault", self.clear_now, "large")
            clearing.setEnabled(not self._link.busy)
            self._column.addWidget(clearing)
        self._show_earlier(contact)
        self._column.addStretch(1)

    def _show_earlier(self, contact: ContactMade | None) -> None:
        if contact is None or not self._earlier:
            return
        self._column.addWidget(label("REPORTED BEFORE, NEWEST FIRST", "caps"))
        for event in self._earlier[:MOST_EARLIER]:
            known = contact.map.fault_of(event.code)
            when = "" if event.at_s is None else ", since connecting"
            self._column.addWidget(
                label(
                    f"{code_text(contact.map, event.code)}, {known.name if known is not None else 'not described'}{when}"
                )
            )
