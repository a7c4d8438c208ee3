"""The bike's figures over its life: what each ride said, filtered, and what changed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.scale import across, down, fix, painter_of, real
from crisp_hornet.bench.stations.verdict.estimate_figures import BIKE, Figure
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.row_grid import RowGrid, stacked
from crisp_hornet.bench.widgets.text import column_scroll, label
from crisp_hornet.core.evidence.figures import PACK, told_by
from crisp_hornet.core.evidence.life import Course, Reading, course
from crisp_hornet.core.ride.cleaning import cleaned
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted, quantity, say
from crisp_hornet.garage.rides import KeptRide

MOST_RIDES, HIGH = 60, 54
LEAST_DAYS = 1.0  # within which nothing is called a change
WAITING = "Reading the rides of this bike …"
FEW = "It takes two rides that say something of the same figure. Import more logs on Rides."


@dataclass(frozen=True)
class _Of:
    """What was read, so that it is read again only when it changed."""

    bike_id: int
    bike: object
    rides: tuple[int, ...]


class CoursePicture(QWidget):
    """A figure over time: each ride a cross with its interval, the filtered course a band, the document's figure a stroke at the side."""

    def __init__(self, theme: Theme, shown: Course, told: float) -> None:
        super().__init__()
        self._theme, self._course, self._told = theme, shown, told
        fix(self, high=HIGH)
        self.setMinimumWidth(140)

    def sizeHint(self) -> QSize:
        return real(300, HIGH)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        one, theme, painter = self._course, self._theme, painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = [*(one.value - one.reach), *(one.value + one.reach), *(seen.value for seen in one.seen), self._told]
        low, high = float(min(places)), float(max(places))
        room = (high - low) or abs(high) or 1.0
        low, high, last = low - 0.12 * room, high + 0.12 * room, max(float(one.days[-1]), 1e-6)

        def at(day: float, value: float) -> QPointF:
            height = down(self) - 4 - (min(max(value, low), high) - low) / (high - low) * (down(self) - 8)
            return QPointF(16 + day / last * (across(self) - 30), height)

        rows = range(len(one.days))
        upper = [at(float(one.days[row]), float(one.value[row] + one.reach[row])) for row in rows]
        lower = [at(float(one.days[row]), float(one.value[row] - one.reach[row])) for row in reversed(rows)]
        painter.setPen(QPen(theme.color("measured", 0.0)))
        painter.setBrush(theme.color("measured", 0.25))
        painter.drawPolygon(QPolygonF(upper + lower))
        painter.setPen(QPen(theme.color("measured"), 1.5))
        painter.drawPolyline(QPolygonF([at(float(one.days[row]), float(one.value[row])) for row in rows]))
        for row, seen in zip(rows, one.seen, strict=True):
            place = at(float(one.days[row]), seen.value)
            painter.setPen(QPen(theme.color("measured", 0.7), 1))
            half = seen.own_half_width
            painter.drawLine(at(float(one.days[row]), seen.value - half), at(float(one.days[row]), seen.value + half))
            paint_truth(painter, theme, "measured", place, 4)
        stroke = at(0.0, self._told).y()
        painter.fillRect(QRectF(0, stroke - 1.25, 10, 2.5), theme.color("text"))


class LifeView(QWidget):
    """A row a figure; rides are read off the interface thread when the page is looked at."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._desk = desk
        self._of: _Of | None = None
        self.courses: list[tuple[Figure, Course]] = []
        self._reading = Background(DocumentError)
        self._reading.done.connect(self._take)
        self._reading.failed.connect(lambda error: desk.said.emit("stop", str(error)))
        self.setAccessibleName(tr("figures over the bike's life; up and down scroll"))
        inside = QWidget()
        self._grid = RowGrid(4)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setColumnStretch(2, 3)
        self._grid.setColumnStretch(3, 2)
        inside.setLayout(self._grid)
        column_of(self, margins=0).addWidget(column_scroll(inside))

    @property
    def reading(self) -> bool:
        """Whether rides are still being read."""
        return self._reading.running

    def look(self) -> None:
        """Show the bike as its rides are now; reads them again only where something changed."""
        bike = self._desk.bike
        if bike is None:
            self._reading.cancel()
            self._of, self.courses = None, []
            self._show("There is no bike yet.")
            return
        kept = self._desk.ride.kept()[:MOST_RIDES]
        wanted = _Of(self._desk.bike_id, bike, tuple(one.id for one in kept))
        if wanted == self._of:
            self._show(WAITING if self._reading.running else "")
            return
        self._of, self.courses = wanted, []
        self._show(WAITING)
        load = self._desk.ride.load

        def work() -> list[tuple[Figure, Course]]:
            readings = []
            for one in kept:
                try:
                    ride = cleaned(load(one))
                except DocumentError:  # its file is gone or damaged: said where it is opened
                    continue
                card = one.card
                told = told_by(ride, bike.with_pack(card.pack), card.rested_v)
                readings.append(Reading(one.name, _ridden(one, ride.started_s), told, card.air_c))
            return [(figure, found) for figure in BIKE if (found := course(figure.path, readings)) is not None]

        self._reading.start(work)

    def _take(self, found: Any) -> None:
        self.courses = found
        self._show("" if found else FEW)

    def _show(self, instead: str = "") -> None:
        bike, turn = self._desk.bike, self._desk.units.text
        if instead or bike is None:
            self._grid.begin()
            self._grid.add([label(instead, wrap=True)])
            self._grid.end()
            return
        self._grid.begin(("", "now, 95 %", "ride by ride, and Build's figure", "since the first"))
        for figure, one in self.courses:
            now = one.now.times(figure.factor, figure.unit or one.now.unit)
            words = (
                say("{words} at {warm}", words=figure.words, warm=quantity(25, "°C"))
                if one.path == PACK
                else figure.words
            )
            self._grid.add(
                [
                    label(turn(words), wrap=True),
                    stacked(
                        label(turn(now.value_in_words(figure.digits)), "value"),
                        label(turn(now.ends_in_words(figure.digits)), "quiet"),
                    ),
                    CoursePicture(self.theme, one, bike.figure(figure.path)),
                    label(turn(_since(figure, one)), wrap=True),
                ],
                ruled=True,
            )
        self._grid.end()


def _ridden(kept: KeptRide, started_s: float | None) -> datetime:
    """When it was ridden; where the log does not say, when it was imported."""
    return kept.at if started_s is None else datetime.fromtimestamp(started_s).astimezone()


def _since(figure: Figure, one: Course) -> str:
    """Whether it changed since the first ride, told from noise."""
    change = one.change.times(figure.factor, figure.unit or one.change.unit)
    rides, since = counted(len(one.rides), "ride"), f"{one.at[0]:%-d %b %Y}"
    reach = quantity(change.half_width, change.unit, ".2g", difference=True)
    if float(one.days[-1]) < LEAST_DAYS:
        return say("{rides}, all on one day", rides=rides)
    if not one.surely:
        return say("no change to be told since {since}: ± {reach}, {rides}", since=since, reach=reach, rides=rides)
    moved = quantity(abs(change.value), change.unit, ".2g", bare=True, difference=True)
    word = "grew" if change.value > 0 else "fell"
    return say(
        "{word} by {moved} ± {reach} since {since}, {rides}",
        word=word,
        moved=moved,
        reach=reach,
        since=since,
        rides=rides,
    )
