"""A small chart painted by hand: lines over one axis, in ink, or as one of the three truths where they are one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.drawn import MOST_ROWS, Figures
from crisp_hornet.bench.charts.frame import Frame, ticks_along, ticks_up
from crisp_hornet.bench.charts.lettering import Lettering, Name
from crisp_hornet.bench.charts.paint import foot_tick, level_tick, right_text, width_of
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import truth_pen
from crisp_hornet.bench.scale import across, down, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array

LEFT, RIGHT, TOP, BOTTOM = 44.0, 14.0, 22.0, 34.0
NAME_PX = 12.0
LEGEND_ROW_PX, LEAST_LEGEND_PX = 16, 60.0
At = Callable[[float, float], QPointF]


@dataclass(frozen=True, eq=False)
class Line:
    """One line; ``style`` tells lines apart without colour. ``truth``: drafted or controller; "" is ink. ``at_end`` writes the name
    at its right end instead of into the legend."""

    name: str
    x: Array
    y: Array
    style: Qt.PenStyle = Qt.PenStyle.SolidLine
    truth: str = ""
    at_end: bool = False


@dataclass(frozen=True)
class Level:
    """A named height, or a band up to ``to``; ``danger`` paints it in the colour of danger."""

    name: str
    y: float
    to: float | None = None
    danger: bool = False


@dataclass(frozen=True, eq=False)
class Band:
    """What lies between two heights along the axis, in the colour of a truth."""

    x: Array
    low: Array
    high: Array
    truth: str


@dataclass(frozen=True, eq=False)
class Picture:
    """What a chart shows. Axis names carry the unit."""

    x_name: str
    y_name: str
    lines: list[Line] = field(default_factory=list)
    levels: list[Level] = field(default_factory=list)
    bands: list[Band] = field(default_factory=list)
    mark: tuple[float, float, float] | None = None  # x, y, spread of x
    y_from: float | None = None
    y_to: float | None = None
    x_to: float | None = None
    x_from: float | None = None


def _along(line: Line, places: Array) -> Array:
    """A line's heights at some places; NaN where it is not."""
    good = np.isfinite(line.y) & np.isfinite(line.x)
    order = np.argsort(line.x[good])
    x, y = line.x[good][order], line.y[good][order]
    return np.interp(places, x, y, left=np.nan, right=np.nan) if len(x) else np.full(len(places), np.nan)


def _told(value: float) -> str:
    return f"{value:.4g}" if np.isfinite(value) else ""


class PlainChart(QWidget):
    """Shows a :class:`Picture`."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.picture: Picture | None = None
        self.lettering = Lettering(QRectF())
        self._roomy = True
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return real(560, 220)

    def minimumSizeHint(self) -> QSize:
        return real(180, 96)

    def show_picture(self, picture: Picture | None) -> None:
        """Draw something else."""
        self.picture = picture
        if picture is not None:
            self.setAccessibleName(
                tr(f"{picture.y_name} against {picture.x_name}: " + ", ".join(line.name for line in picture.lines))
            )
        self.update()

    def figures(self) -> Figures:
        """Its lines as a table, over places of the first one's axis."""
        picture = self.picture
        if picture is None or not picture.lines:
            return Figures([])
        ends = [x for line in picture.lines for x in (line.x[np.isfinite(line.y)]) if np.isfinite(x)]
        if not ends:
            return Figures([])
        places = np.linspace(min(ends), max(ends), min(MOST_ROWS, 41))
        heads = [picture.x_name, *(f"{line.name}, {picture.y_name}" for line in picture.lines)]
        columns = [_along(line, places) for line in picture.lines]
        return Figures(heads, [[f"{x:.4g}", *(_told(column[at]) for column in columns)] for at, x in enumerate(places)])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        picture = self.picture
        if picture is None or not picture.lines:
            return
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        frame = self.frame()
        assert frame is not None
        at, box = frame.at, frame.box
        self.lettering = Lettering(box.adjusted(2, -6, -2, -2))
        self._paint_axes(painter, at, box, frame.x, frame.y)
        self._paint_levels(painter, at, box, picture)
        for band in picture.bands:
            good = np.isfinite(band.low) & np.isfinite(band.high)
            edge = frame.points(band.x[good], band.low[good]) + frame.points(band.x[good], band.high[good])[::-1]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color(band.truth, 0.18))
            painter.drawPolygon(QPolygonF(edge))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        self._paint_legend(painter, picture)
        ends: list[tuple[QPointF, Line]] = []
        for line in picture.lines:
            good = np.isfinite(line.y)
            points = frame.points(line.x[good], line.y[good])
            painter.setPen(self._pen(line))
            painter.drawPolyline(QPolygonF(points))
            self.lettering.line(points)
            if line.at_end and points and line.name:
                ends.append((points[-1], line))
        self._name_ends(painter, box, ends)
        if picture.mark is not None:
            x, y, spread = picture.mark
            painter.setPen(QPen(self.theme.color("text"), 3))
            painter.drawLine(at(max(x - spread, frame.x[0]), y), at(min(x + spread, frame.x[1]), y))
            painter.fillRect(QRectF(at(x, y).x() - 3, at(x, y).y() - 9, 6, 18), self.theme.color("text"))
            self.lettering.mark(at(x, y), 9)
        self.paint_over(painter)
        self._name_levels(painter, at, box, picture)

    def paint_over(self, painter: QPainter) -> None:
        """What a kind of chart adds on top."""

    def frame(self) -> Frame | None:
        """The axes of what is shown now, or None."""
        picture = self.picture
        if picture is None or not picture.lines:
            return None
        x_all = np.concatenate([line.x for line in picture.lines])
        heights = [line.y for line in picture.lines]
        heights += [edge for band in picture.bands for edge in (band.low, band.high)]
        heights += [np.array([level.y, level.to or level.y]) for level in picture.levels]
        y_all = np.concatenate(heights)
        x_low = float(np.nanmin(x_all)) if picture.x_from is None else picture.x_from
        x_high = float(np.nanmax(x_all)) if picture.x_to is None else picture.x_to
        y_low = float(np.nanmin(y_all)) if picture.y_from is None else picture.y_from
        y_high = max(float(np.nanmax(y_all)) * 1.04, y_low) + 1e-9 if picture.y_to is None else picture.y_to
        rows = max((row for _, _, row in self._legend(picture)), default=0)
        top = TOP + rows * LEGEND_ROW_PX
        box = QRectF(LEFT, top, across(self) - LEFT - RIGHT, down(self) - top - BOTTOM)
        return Frame(box, (x_low, max(x_high, x_low + 1e-9)), (y_low, y_high))

    def _pen(self, line: Line) -> QPen:
        return truth_pen(self.theme, line.truth) if line.truth else QPen(self.theme.color("text"), 1.8, line.style)

    def _name_ends(self, painter: QPainter, box: QRectF, ends: list[tuple[QPointF, Line]]) -> None:
        """Names at the right ends, moved apart where they would touch."""
        painter.setFont(font(QUIET_PX))
        lowest_first = sorted(ends, key=lambda one: -one[0].y())
        places: list[float] = []
        for end, _ in lowest_first:
            places.append(min(end.y() - 4, places[-1] - NAME_PX if places else box.bottom()))
        low = box.top() - 6  # too high: pushed down again, from the top
        for at in range(len(places) - 1, -1, -1):
            places[at] = max(places[at], low)
            low = places[at] + NAME_PX
        for y, (end, line) in zip(places, lowest_first, strict=True):
            painter.setPen(self.theme.color(line.truth or "quiet"))
            left = min(end.x() + 3, across(self) - width_of(painter, line.name) - 1)
            painter.drawText(QPointF(left, y), tr(line.name))
            self.lettering.wrote(line.name, QRectF(left, y - NAME_PX + 3, width_of(painter, line.name), NAME_PX))

    def _paint_axes(
        self, painter: QPainter, at: At, box: QRectF, x: tuple[float, float], y: tuple[float, float]
    ) -> None:
        theme = self.theme
        painter.setFont(font(QUIET_PX))
        assert self.picture is not None
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(4, 14), tr(self.picture.y_name))
        right_text(painter, box.right(), down(self) - 3, self.picture.x_name)
        for value in ticks_up(*y, box.height()):
            level_tick(painter, theme, box, at(x[0], value).y(), f"{value:g}")
        for value in ticks_along(*x, box.width()):
            foot_tick(painter, theme, at(value, y[0]), f"{value:g}")

    def _legend(self, picture: Picture) -> list[tuple[Line, float, int]]:
        """Each named line, where its sample begins and in which row of the legend: close where it is narrow, then in more rows."""
        metrics = QFontMetricsF(font(QUIET_PX))
        named = [line for line in picture.lines if line.name and not line.at_end]
        start = 4 + metrics.horizontalAdvance(tr(picture.y_name))
        words = sum(metrics.horizontalAdvance(tr(line.name)) for line in named)
        self._roomy = start + 22 + words + 47 * len(named) - 16 <= across(self)
        lead, sample, gap = (22, 26, 16) if self._roomy else (8, 15, 6)
        placed, x, row = [], start + lead, 0
        for line in named:
            wide = sample + 4 + metrics.horizontalAdvance(tr(line.name))
            if x + wide > across(self) and x > LEAST_LEGEND_PX:
                x, row = 4.0, row + 1
            placed.append((line, x, row))
            x += wide + gap
        return placed

    def _paint_legend(self, painter: QPainter, picture: Picture) -> None:
        painter.setFont(font(QUIET_PX))
        placed = self._legend(picture)
        sample = 26 if self._roomy else 15
        for line, x, row in placed:
            painter.setPen(self._pen(line))
            y = row * LEGEND_ROW_PX
            painter.drawLine(QPointF(x, y + 10), QPointF(x + sample, y + 10))
            painter.setPen(self.theme.color("text"))
            painter.drawText(QPointF(x + sample + 4, y + 14), tr(line.name))

    def _paint_levels(self, painter: QPainter, at: At, box: QRectF, picture: Picture) -> None:
        painter.setFont(font(QUIET_PX))
        for level in picture.levels:
            color = "stop" if level.danger else "quiet"
            y = at(float(picture.lines[0].x[0]), level.y).y()
            if level.to is not None:
                top = at(float(picture.lines[0].x[0]), level.to).y()
                painter.fillRect(QRectF(box.left(), top, box.width(), y - top), self.theme.color("stop", 0.13))
            painter.setPen(QPen(self.theme.color(color), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            self.lettering.line([QPointF(box.left(), y), QPointF(box.right(), y)])

    def _name_levels(self, painter: QPainter, at: At, box: QRectF, picture: Picture) -> None:
        """Each beside its line, those of danger at the left, where they keep off marks, lines and each other."""
        painter.setFont(font(QUIET_PX))
        for level in picture.levels:
            painter.setPen(self.theme.color("stop" if level.danger else "quiet"))
            wide = width_of(painter, level.name)
            x = box.left() + 8 + wide / 2 if level.danger else box.right() - wide / 2 - 8
            self.lettering.write(painter, [Name(level.name, QPointF(x, at(picture.lines[0].x[0], level.y).y()))])
