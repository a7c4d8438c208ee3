"""All bikes: what all rides of the garage say together, each line with its interval and its number of cases."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.painted_table import PaintedTable
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted, quantity, say

if TYPE_CHECKING:
    from crisp_hornet.core.fleet.asked import Told
    from crisp_hornet.garage.fleet import Fleet

SINCE: dict[str, int | None] = {"all time": None, "the last year": 365, "the last 90 days": 90}
HEADS = ("of", "", "95 %", "cases", "")
QUESTIONS = {
    "ageing": ("PACKS: RESISTANCE GAINED IN A YEAR", "of the pack", "%"),
    "running_hot": ("TUNES: RIDES ON WHICH THE MOTOR CAME TO WHERE DERATING STARTS", "of the tune", "%"),
    "shared_faults": ("CONTROLLERS: RIDES ON WHICH A FAULT STOOD", "of the controller", "%"),
    "consumption": ("CONSUMPTION BY KIND OF BIKE AND LOAD", "kind", "Wh/km"),
    "promises": ("FIGURES THAT WERE PROMISED AND CAME TRUE", "bike", "%"),
}
NOTHING, POLL_MS, MOST_LINES = "no ride tells of it", 200, 12


class FleetView(QWidget):
    """Rides are read off the interface thread, once each; where they went is not read."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._stop, self._share = [False], [0.0]
        self._work = Background(DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(self._refuse)
        self.since = Chooser("rides of")
        self.since.offer(list(SINCE))
        self.since.activated.connect(lambda _at: self.ask())
        self.act = button("Ask again", self._press, "small", "Ask all rides again")
        self.words = label("", wrap=True)
        self.tables = {name: PaintedTable(theme, head, HEADS) for name, (head, _, _) in QUESTIONS.items()}
        head = row_of(spacing=8)
        head.addWidget(self.words, 1)
        head.addWidget(Captioned("rides of", self.since))
        head.addWidget(self.act)
        column = column_of(self, margins=(0, 0, 12, 0), spacing=8)
        column.addLayout(head)
        for table in self.tables.values():
            column.addWidget(table)
        column.addStretch(1)
        self._poll = QTimer(self)
        self._poll.setInterval(POLL_MS)
        self._poll.timeout.connect(self._show_progress)
        self.fleet: Fleet | None = None

    @property
    def reading(self) -> bool:
        """Whether rides are being read."""
        return self._work.running

    def refresh(self) -> None:
        """Ask, where that was not done yet."""
        if self.fleet is None and not self._work.running:
            self.ask()
        elif self.fleet is not None:
            self._show(self.fleet)

    def stop(self) -> None:
        """Nobody waits for it any more."""
        self._stop[0] = True

    def ask(self) -> None:
        """Ask all rides."""
        self.stop()
        stop, share = self._stop, self._share = [False], [0.0]
        days = SINCE[self.since.currentText()]
        since = datetime.now().astimezone() - timedelta(days=days) if days is not None else None
        ask_all = self._desk.story.all_rides(since)

        def tick(done: float) -> bool:
            share[0] = done
            return not stop[0]

        self._work.start(lambda: ask_all(tick))
        self.act.setText("Stop")
        self.words.setText("Reading the rides …")
        self._poll.start()

    def _press(self) -> None:
        if not self._work.running:
            self.ask()
            return
        self.stop()
        self._work.cancel()
        self._ended("Stopped; what was read so far need not be read again.")

    def _show_progress(self) -> None:
        if self._work.running and self._share[0] > 0:
            self.words.setText(f"Reading the rides: {100 * self._share[0]:.0f} %")

    def _refuse(self, error: DocumentError) -> None:
        self._ended("The rides could not be read.")
        self._desk.said.emit("stop", str(error))

    def _ended(self, words: str) -> None:
        self._poll.stop()
        self.act.setText("Ask again")
        self.words.setText(words)

    def _take(self, found: Fleet | None) -> None:
        if found is None:
            self._ended("Stopped; what was read so far need not be read again.")
            return
        self.fleet = found
        self._ended("")
        self._show(found)

    def _show(self, fleet: Fleet) -> None:
        left = f" {fleet.unread} more could not be read." if fleet.unread else ""
        out = f" {counted(fleet.kept_out, 'bike')} left out: not allowed by the customer." if fleet.kept_out else ""
        self.words.setText(f"{fleet.rides} rides of {fleet.bikes} bikes. Where they went is not read.{out}{left}")
        for name, table in self.tables.items():
            _, of, unit = QUESTIONS[name]
            table.name_column(0, of)
            lines = fleet.answers.get(name, [])
            rows = [_row(one, unit) for one in lines[:MOST_LINES]] or [[NOTHING]]
            if len(lines) > MOST_LINES:
                rows.append([f"{len(lines) - MOST_LINES} more: crisp-hornet fleet"])
            table.show_rows(rows, self._desk.units)


def _row(told: Told, unit: str) -> list[str]:
    cases = f"{told.cases}"
    if told.value is None or told.low is None or told.high is None:
        return [told.of, "not told", told.why, cases, told.beside]
    scale, digits = (100.0, 0) if unit == "%" else (1.0, 1)
    shown = [round(scale * one, digits) + 0.0 for one in (told.value, told.low, told.high)]  # no -0
    spec = f".{digits}f"
    value, high, low = (
        quantity(shown[0], unit, spec),
        quantity(shown[2], unit, spec),
        quantity(shown[1], unit, spec, bare=True),
    )
    between = say("{low} to {high}", low=low, high=high)
    return [told.of, say("{value}", value=value), between, cases, told.beside]
