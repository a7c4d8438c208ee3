"""The ride: the road left, along it what draft and controller do, where wishes hold, what it costs, and the road's own drawing."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.ride.along_page import AlongPage
from crisp_hornet.bench.stations.tune.ride.draw_page import DrawPage
from crisp_hornet.bench.stations.tune.ride.range_page import RangePage
from crisp_hornet.bench.stations.tune.ride.ride_column import RideColumn
from crisp_hornet.bench.stations.tune.ride.road_acts import RoadActs
from crisp_hornet.bench.stations.tune.ride.seeking import Seeking
from crisp_hornet.bench.stations.tune.ride.wishes_page import WishesPage
from crisp_hornet.bench.stations.tune.road_view import RoadView
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import Pages, column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice

PAGES = ("along the road", "where wishes hold", "range", "draw", "climbs and figures")
ALONG, WISHES, RANGE, DRAW, FIGURES = range(5)
COLUMN_PX = 252
HANDS = "Drag pans, the wheel zooms, the arrows move the cursor, Home shows the whole road."


class RideView(TuneView):
    """``column`` asks, the pages answer. ``news``: the footer has something else to say."""

    news = pyqtSignal()

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.roads = RoadActs(desk, self)
        self.column = self.ask_column = RideColumn(desk, theme, self.roads.named())
        fix(self.ask_column, wide=COLUMN_PX)
        self.switch = PageChoice(PAGES, "of the ride", 8)
        self.along, self.wishes, self.range = AlongPage(desk, theme), WishesPage(desk, theme), RangePage(desk, theme)
        self.draw, self.figures = DrawPage(desk, theme), RoadView(desk, theme)
        self.seeking = Seeking(desk, self.ask_column, self.wishes)
        figures = QWidget()
        below = column_of(figures, margins=(0, 4, 0, 0), spacing=8)
        below.addWidget(self.along.climbs)
        below.addWidget(self.figures, 1)
        self._pages = Pages()
        for page in (self.along, self.wishes, self.range, self.draw, figures):
            self._pages.addWidget(page)
        column = column_of(self, margins=0, spacing=4)
        column.addWidget(self.switch)
        column.addWidget(self._pages, 1)
        self.switch.chosen.connect(self.show_part)
        self.roads.draw_asked.connect(self.draw_new)
        self.roads.again_asked.connect(self.along.ride_again)
        self.wishes.laid.connect(self.along.lay_part)
        self.along.laid.connect(lambda: self.show_part(ALONG))
        self.seeking.look.connect(lambda: self.show_part(WISHES))
        for speaks in (self.along, self.seeking):
            speaks.news.connect(self.news)
        desk.ask.changed.connect(self._ask_changed)
        desk.ride.changed.connect(self.refresh)

    def stop(self) -> None:
        """The window closes: what is worked out beside ends at its next step."""
        self.along.stop()
        self.seeking.stop()
        self.range.stop()

    def show_part(self, at: int) -> None:
        """Bring a part of the page into view."""
        if self.switch.at != at:
            self.switch.choose(at)
            return
        self._pages.setCurrentIndex(at)
        self.refresh()
        self.refresh_slow()

    def draw_new(self) -> None:
        """Begin a road."""
        self.show_part(DRAW)
        self.draw.open(None)

    def _ask_changed(self) -> None:
        self.refresh()
        self.refresh_slow()

    def refresh(self) -> None:
        if self.isVisible():
            for part in (self.ask_column, self.seeking, self.draw, self.figures, self.along):
                part.refresh()

    def refresh_slow(self) -> None:
        if self.isVisible():
            self.along.rest()
            self.seeking.rest(self.switch.at == WISHES)
            self.range.refresh_slow()

    def meaning(self) -> tuple[str, str] | None:
        if self.seeking.words:
            return "WHAT THE ASK COMES TO", self.seeking.words
        return "THE RIDE", self.along.sentence.text() or HANDS
