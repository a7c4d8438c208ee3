"""A small chart painted by hand: lines over one axis, in ink. Nothing in it is drafted, on the controller or measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.widgets.ruler import tick_spacing
from crisp_hornet.core.motor import Array

LEFT, RIGHT, TOP, BOTTOM = 44.0, 14.0, 22.0, 34.0
At = Callable[[float, float], QPointF]


@dataclass(frozen=True, eq=False)
class Line:
    """One line; ``style`` tells lines apart without colour."""

    name: str
    x: Array
    y: Array
    style: Qt.PenStyle = Qt.PenStyle.SolidLine


@dataclass(frozen=True)
class Level:
    """A named height, or a band up to ``to``; ``danger`` paints it in the colour of danger."""

    name: str
    y: float
    to: float | None = None
    danger: bool = False


@dataclass(frozen=True, eq=False)
class Picture:
    """What a chart shows. Axis names carry the unit."""

    x_name: str
    y_name: str
    lines: list[Line] = field(default_factory=list)
    levels: list[Level] = field(default_factory=list)
    mark: tuple[float, float, float] | None = None  # x, y, spread of x
    y_from: float | None = None


class PlainChart(QWidget):
    """Shows a :class:`Picture`."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.picture: Picture | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(560, 220)

    def show_picture(self, picture: Picture | None) -> None:
        """Draw something else."""
        self.picture = picture
        if picture is not None:
            self.setAccessibleName(
                f"{picture.y_name} against {picture.x_name}: " + ", ".join(one.name for one in picture.lines)
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        picture = self.picture
        if picture is None or not picture.lines:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x_all = np.concatenate([line.x for line in picture.lines])
        heights = [line.y for line in picture.lines] + [
            np.array([level.y, level.to or level.y]) for level in picture.levels
        ]
        y_all = np.concatenate(heights)
        x_low, x_high = float(np.nanmin(x_all)), float(np.nanmax(x_all))
        y_low = float(np.nanmin(y_all)) if picture.y_from is None else picture.y_from
        y_high = float(np.nanmax(y_all)) * 1.04 + 1e-9
        box = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

        def at(x: float, y: float) -> QPointF:
            return QPointF(
                box.left() + (x - x_low) / (x_high - x_low) * box.width(),
                box.bottom() - (y - y_low) / (y_high - y_low) * box.height(),
            )

        self._paint_axes(painter, at, box, (x_low, x_high), (y_low, y_high))
        self._paint_levels(painter, at, box, picture)
        self._paint_legend(painter, picture)
        for line in picture.lines:
            good = np.isfinite(line.y)
            points = [at(float(x), float(y)) for x, y in zip(line.x[good], line.y[good], strict=True)]
            painter.setPen(QPen(self.theme.color("text"), 1.8, line.style))
            painter.drawPolyline(QPolygonF(points))
        if picture.mark is not None:
            x, y, spread = picture.mark
            painter.setPen(QPen(self.theme.color("text"), 3))
            painter.drawLine(at(max(x - spread, x_low), y), at(min(x + spread, x_high), y))
            painter.fillRect(QRectF(at(x, y).x() - 3, at(x, y).y() - 9, 6, 18), self.theme.color("text"))

    def _paint_axes(
        self, painter: QPainter, at: At, box: QRectF, x: tuple[float, float], y: tuple[float, float]
    ) -> None:
        theme = self.theme
        painter.setFont(font(QUIET_PX))
        metrics = QFontMetricsF(painter.font())
        assert self.picture is not None
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(4, 14), self.picture.y_name)
        wide = metrics.horizontalAdvance(self.picture.x_name)
        painter.drawText(QPointF(box.right() - wide, self.height() - 3), self.picture.x_name)
        for value in _ticks(*y):
            painter.setPen(QPen(theme.color("rule"), 1))
            painter.drawLine(QPointF(box.left(), at(x[0], value).y()), QPointF(box.right(), at(x[0], value).y()))
            painter.setPen(theme.color("quiet"))
            text = f"{value:g}"
            painter.drawText(QPointF(box.left() - 6 - metrics.horizontalAdvance(text), at(x[0], value).y() + 4), text)
        for value in _ticks(*x):
            place, text = at(value, y[0]), f"{value:g}"
            painter.setPen(theme.color("quiet"))
            painter.drawLine(place, place + QPointF(0, 4))
            painter.drawText(place + QPointF(-metrics.horizontalAdvance(text) / 2, 17), text)

    def _paint_legend(self, painter: QPainter, picture: Picture) -> None:
        painter.setFont(font(QUIET_PX))
        metrics = QFontMetricsF(painter.font())
        x = 4 + metrics.horizontalAdvance(picture.y_name) + 22
        for line in picture.lines:
            if line.name:
                painter.setPen(QPen(self.theme.color("text"), 1.8, line.style))
                painter.drawLine(QPointF(x, 10), QPointF(x + 26, 10))
                painter.drawText(QPointF(x + 31, 14), line.name)
                x += 31 + metrics.horizontalAdvance(line.name) + 16

    def _paint_levels(self, painter: QPainter, at: At, box: QRectF, picture: Picture) -> None:
        painter.setFont(font(QUIET_PX))
        for level in picture.levels:
            color = "stop" if level.danger else "quiet"
            y = at(float(picture.lines[0].x[0]), level.y).y()
            if level.to is not None:
                top = at(float(picture.lines[0].x[0]), level.to).y()
                painter.fillRect(QRectF(box.left(), top, box.width(), y - top), self.theme.color("stop", 0.16))
            painter.setPen(QPen(self.theme.color(color), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(self.theme.color(color))
            wide = QFontMetricsF(painter.font()).horizontalAdvance(level.name)
            left = box.left() + 60 if level.danger else box.right() - wide - 4  # apart, should they lie close
            painter.drawText(QPointF(left, y - 5), level.name)


def _ticks(low: float, high: float) -> list[float]:
    spacing = tick_spacing(high - low)
    first = np.ceil(low / spacing - 1e-9) * spacing
    return [float(f"{first + k * spacing:.9g}") for k in range(int((high - first) / spacing + 1e-9) + 1)]
