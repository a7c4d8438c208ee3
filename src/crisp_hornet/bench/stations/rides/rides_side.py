"""The right side of Rides as pages: pictures of a channel, the traces shown, the card, the test runs, the log errors."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.rides.card_fields import CardFields
from crisp_hornet.bench.stations.rides.flaws_panel import FlawsPanel
from crisp_hornet.bench.stations.rides.ride_side import RideSide
from crisp_hornet.bench.stations.rides.ride_view import RideView
from crisp_hornet.bench.stations.rides.rows_panel import RowsPanel
from crisp_hornet.bench.stations.rides.runs_panel import RunsPanel
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import Pages, column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.documents.saying import counted

PAGES = ("Channel", "Traces", "Card", "Runs", "Errors")
CHANNEL, TRACES, CARD, RUNS, ERRORS = range(5)


class RidesSide(QWidget):
    """What stands beside the traces of the open ride."""

    def __init__(self, desk: Desk, theme: Theme, view: RideView) -> None:
        super().__init__()
        self._desk, self._view = desk, view
        self.pictures = RideSide(desk, theme, view)
        self.rows = RowsPanel()
        self.rows.chosen.connect(view.set_rows)
        self.rows.usual.connect(lambda: view.set_rows(None))
        self.card = CardFields("card of the ride", after=True, across=1)
        self.card.changed.connect(lambda: desk.ride.keep_card(self.card.card))
        self.runs = RunsPanel(desk, theme)
        self.runs.shown_between.connect(lambda low, high: view.traces.show_between(low - 3, high + 3))
        self.flaws = FlawsPanel(desk, theme)
        self.flaws.shown_at.connect(view.traces.point_at)
        self.pages = PageChoice(PAGES, "beside the traces", 8)
        self.pages.chosen.connect(self._show_page)
        self._stack = Pages()
        for page in (self.pictures, self.rows, self.card, self.runs, self.flaws):
            self._stack.addWidget(page)
        self._inside = QWidget()  # the window shows and hides the whole of it
        column = column_of(self._inside, margins=0, spacing=8)
        column.addWidget(self.pages)
        column.addWidget(self._stack, 1)
        outer = column_of(self, margins=0)
        outer.addWidget(self._inside)
        view.changed.connect(lambda: self.rows.show_rows(view.every_row, view.shown_rows))

    def _show_page(self, at: int) -> None:
        self._stack.setCurrentIndex(at)
        self.runs.refresh()

    def refresh(self, offered: bool) -> None:
        """Show what there is of the open ride; ``offered``: whether it is being looked at."""
        self._inside.setVisible(offered)
        self.pictures.offer(offered)
        found = len(self._desk.ride.flaws)
        self.pages.rename(ERRORS, counted(found, "error"))
        self.pages.setTabVisible(ERRORS, found > 0)
        if not found and self.pages.at == ERRORS:
            self.pages.choose(CHANNEL)
        self.flaws.refresh()
        self.runs.refresh()
        self.card.show_card(self._desk.ride.card)
