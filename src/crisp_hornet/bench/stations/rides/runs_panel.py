"""Which runs of a test programme the open ride holds, and whether each can be used."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.programmes.catalogue import programmes
from crisp_hornet.core.programmes.lead import Result, runs_in
from crisp_hornet.core.ride.channels import Ride

MOST_SHOWN = 40


class RunsPanel(QWidget):
    """``shown_between`` carries from when to when (s) a run lies that is to be looked at."""

    shown_between = pyqtSignal(float, float)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self.theme = desk, theme
        self.results: list[Result] = []
        self._of: tuple[Ride | None, int] = (None, -1)
        self.choice = Chooser("test programme to look for")
        self.choice.activated.connect(lambda _at: self.refresh())
        self._looking = Background()
        self._looking.done.connect(self._take)
        self._list = column_of(spacing=2)
        inside = QWidget()
        inside.setLayout(self._list)
        column = column_of(self, margins=0)
        column.addWidget(Captioned("look for", self.choice))
        column.addWidget(column_scroll(inside))
        self.choice.addItems([programme.title for programme in programmes(self._levels)])

    @property
    def _levels(self) -> int:
        tune = self._desk.ride.tune or self._desk.held.tune
        return len(tune.assist.levels) if tune is not None else 5

    def refresh(self) -> None:
        """Look for the chosen programme in the open ride, off the interface thread."""
        ride, bike = self._desk.ride.cleaned, self._desk.bike
        wanted = (ride, self.choice.currentIndex())
        if not self.isVisible() or ride is None or bike is None or wanted == self._of:
            return
        self._of = wanted
        programme = programmes(self._levels)[wanted[1]]
        clear(self._list)
        self._list.addWidget(label("Looking through the ride.", "quiet"))
        self._looking.start(lambda: runs_in(ride, programme, bike))

    def _take(self, results: list[Result]) -> None:
        self.results = results
        clear(self._list)
        if not results:
            self._list.addWidget(label("The ride holds no such run.", "quiet"))
        usable = sum(result.usable for result in results)
        if results:
            self._list.addWidget(label(f"{usable} of {len(results)} can be used", "quiet"))
        for result in sorted(results, key=lambda run: not run.usable)[:MOST_SHOWN]:
            row = QHBoxLayout()
            show = partial(self.shown_between.emit, result.from_s, result.to_s)
            row.addWidget(button(f"{clock(result.from_s)} ›", show, "place", f"Show the run at {clock(result.from_s)}"))
            row.addWidget(label(self._desk.units.text(result.text), "" if result.usable else "quiet", wrap=True), 1)
            self._list.addLayout(row)
        self._list.addStretch(1)
