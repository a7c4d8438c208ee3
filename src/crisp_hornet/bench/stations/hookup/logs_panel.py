"""Rides that the controller stored itself: listed, and fetched into the garage."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtWidgets import QProgressBar, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label, sheet
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.link.contact import Contact
from crisp_hornet.link.report import Progress
from crisp_hornet.link.session import ContactMade
from crisp_hornet.link.stored_logs import StoredLog, fetch_log, list_logs


class LogsPanel(QWidget):
    """A line per stored ride."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link, self.theme = desk, link, theme
        self.found: list[StoredLog] | None = None
        self._column = column_of(spacing=8)
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.hide()
        outer = column_of(self, margins=0)
        outer.addLayout(self._column)
        outer.addWidget(self._bar)
        outer.addStretch(1)
        link.contact_made.connect(self._forget)
        link.changed.connect(self._show)
        link.progress.connect(self._take_progress)
        self._show()

    def look(self) -> None:
        """Ask the controller what it stored."""
        self._link.read("listing stored rides", list_logs, self._take_list)

    def fetch(self, log: StoredLog) -> None:
        """Fetch one into the garage."""
        link = self._link

        def work(contact: Contact) -> dict[str, list[float]]:
            return fetch_log(
                contact, log, lambda done, total: link.tell_progress(Progress(done, total, "fetch")), link.cancelled
            )

        link.read("fetching a stored ride", work, partial(self._take_ride, log))

    def _forget(self, _made: ContactMade) -> None:
        self.found = None
        self._show()

    def _take_list(self, result: list[StoredLog] | Exception) -> None:
        if isinstance(result, Exception):
            self._desk.said.emit("stop", str(result))
        else:
            self.found = result
        self._show()

    def _take_ride(self, log: StoredLog, result: dict[str, list[float]] | Exception) -> None:
        self._bar.hide()
        if isinstance(result, Exception):
            self._desk.said.emit("stop", str(result))
            return
        channels = {name: np.array(values) for name, values in result.items() if name != "time_s"}
        ride = Ride(f"stored ride {log.number + 1}", np.array(result["time_s"]), channels)
        self._desk.ride.take(ride, ["fetched from the controller"])
        self._desk.said.emit("settled", f"Stored ride {log.number + 1} is on Rides.")

    def _take_progress(self, progress: Progress) -> None:
        if progress.text == "fetch":
            self._bar.show()
            self._bar.setRange(0, progress.total)
            self._bar.setValue(progress.done)

    def _show(self) -> None:
        clear(self._column)
        contact = self._link.contact
        if contact is None:
            words = "Connect to see what the controller stored."
        elif contact.map.logs is None:
            words = f"{contact.map.name} stores no rides that its description knows of."
        elif self.found is None:
            words = "The controller may have stored rides."
        else:
            words = f"{len(self.found)} stored rides" if self.found else "It stored none."
        self._column.addWidget(label(words, wrap=True))
        if contact is not None and contact.map.logs is not None and self.found is None:
            look = button("List them", self.look, "large", "List stored rides")
            look.setEnabled(not self._link.busy)
            self._column.addWidget(look)
        for log in self.found or []:
            self._column.addWidget(self._line(log))

    def _line(self, log: StoredLog) -> QWidget:
        inside = QWidget()
        row = row_of(inside, margins=0)
        row.addWidget(label(f"ride {log.number + 1}: {log.seconds / 60:.1f} min, {log.rows} rows"), 1)
        fetch = button("fetch", partial(self.fetch, log), "small", f"Fetch stored ride {log.number + 1}")
        fetch.setEnabled(not self._link.busy)
        row.addWidget(fetch)
        return sheet(inside, margin=10)
