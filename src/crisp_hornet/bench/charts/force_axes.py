"""Speed and force as places on a widget, and what stands behind the curves: axes, grade lines, lift and grip."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.frame import ticks_along, ticks_up
from crisp_hornet.bench.charts.lettering import Lettering, Name
from crisp_hornet.bench.charts.paint import foot_tick, level_tick, width_of
from crisp_hornet.bench.scale import across, down, scale_now
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.units import Units

GRADES = (0.0, 0.06, 0.12, 0.18)
LEFT, RIGHT, TOP, BOTTOM = 34.0, 6.0, 8.0, 44.0


class ForceAxes(QWidget):
    """The axes of a force chart. A chart sets the curves that give them their speeds, and their heights."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.draft: PullCurve | None = None
        self.controller: PullCurve | None = None
        self.units = Units()
        self._top_n = 100.0
        self._low_n = 0.0
        self._grade_lines: list[tuple[float, Array]] = []
        self._lines_of: Bike | None = None
        self._backdrop: tuple[object, QPixmap] | None = None
        self._backdrop_names = Lettering(QRectF())

    def _lay_grades(self, curve: PullCurve) -> None:
        """Grade lines for another bike."""
        if self._lines_of is not curve.bike:
            self._lines_of = curve.bike
            self._grade_lines = [(grade, road_load_n(curve.bike, curve.speed_kmh, grade)) for grade in GRADES]

    @property
    def curve(self) -> PullCurve | None:
        """The curve that gives the axis its speeds."""
        return self.draft or self.controller

    @property
    def plot(self) -> QRectF:
        """The area inside the axes."""
        return QRectF(LEFT, TOP, across(self) - LEFT - RIGHT, down(self) - TOP - BOTTOM)

    @property
    def last_kmh(self) -> float:
        """The right end of the speed axis."""
        return float(self.curve.speed_kmh[-1]) if self.curve is not None else 60.0

    def point(self, kmh: float, force_n: float) -> QPointF:
        """Where a speed and a force lie on the widget."""
        plot = self.plot
        share = (force_n - self._low_n) / (self._top_n - self._low_n)
        return QPointF(plot.left() + kmh / self.last_kmh * plot.width(), plot.bottom() - share * plot.height())

    def value(self, at: QPointF) -> tuple[float, float]:
        """Speed and force under a place on the widget, inside the axes."""
        plot = self.plot
        kmh = (at.x() - plot.left()) / plot.width() * self.last_kmh
        force = self._low_n + (plot.bottom() - at.y()) / plot.height() * (self._top_n - self._low_n)
        return min(max(kmh, 0.0), self.last_kmh), min(max(force, self._low_n), self._top_n)

    def _polygon(self, kmh: Array, force: Array) -> QPolygonF:
        plot = self.plot
        x = plot.left() + kmh / self.last_kmh * plot.width()
        y = plot.bottom() - (force - self._low_n) / (self._top_n - self._low_n) * plot.height()
        return QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])

    def _painted_backdrop(self) -> QPixmap:
        """Axes, grade lines, lift and grip: the same through a whole drag, so painted once."""
        key = (
            self.size(),
            self.devicePixelRatioF(),
            self._top_n,
            self._low_n,
            self.last_kmh,
            self.theme.name,
            scale_now(),
            self.units,
            id(self._lines_of),
        )
        if self._backdrop is None or self._backdrop[0] != key:
            pixmap = QPixmap(self.size() * self.devicePixelRatioF())
            pixmap.setDevicePixelRatio(self.devicePixelRatioF() * scale_now())
            pixmap.fill(self.theme.color("ground"))
            painter = QPainter(pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_axes(painter)
            painter.save()
            painter.setClipRect(self.plot.adjusted(0, -2, 1, 2))
            self._paint_grades(painter)
            painter.restore()
            self._paint_grade_names(painter)
            painter.end()
            self._backdrop = (key, pixmap)
        return self._backdrop[1]

    def _paint_axes(self, painter: QPainter) -> None:
        theme, plot = self.theme, self.plot
        painter.setFont(font(QUIET_PX))
        for force in [
            *([self._low_n] if self._low_n else []),
            *ticks_up(0, self._top_n, plot.height() * self._top_n / (self._top_n - self._low_n)),
        ]:
            level_tick(painter, theme, plot, self.point(0, force).y(), f"{force:g}", 0.6 if force else 1.0)
        for shown in ticks_along(0, self.units.value(self.last_kmh, "km/h"), plot.width()):
            foot_tick(painter, theme, self.point(self.units.back(shown, "km/h"), self._low_n), f"{shown:g}")

    def _paint_grades(self, painter: QPainter) -> None:
        if self.curve is None:
            return
        painter.setPen(QPen(self.theme.color("quiet", 0.75), 1))
        for _grade, load in self._grade_lines:
            painter.drawPolyline(self._polygon(_thinned(self.curve.speed_kmh), _thinned(load)))
        for force in (lift_force_n(self.curve.bike), grip_force_n(self.curve.bike)):
            if force < self._top_n:
                painter.setPen(QPen(self.theme.color("stop"), 1, Qt.PenStyle.DotLine))
                painter.drawLine(self.point(0, force), self.point(self.last_kmh, force))

    def _paint_grade_names(self, painter: QPainter) -> None:
        if self.curve is None:
            return
        painter.setFont(font(QUIET_PX))
        painter.setPen(self.theme.color("quiet"))
        self._backdrop_names = Lettering(self.plot.adjusted(2, 0, 0, -2))
        for _, load in self._grade_lines:
            self._backdrop_names.line(self._polygon(_thinned(self.curve.speed_kmh), _thinned(load)))
        for grade, load in self._grade_lines:
            text = f"{grade:.0%} grade".replace("%", " %")
            inside = np.flatnonzero(load < self._top_n - self._px_n(16))
            if inside.size:  # at the right end, or where the line leaves the chart at its top
                last = int(inside[-1])
                end = self.point(float(self.curve.speed_kmh[last]), float(load[last]))
                self._backdrop_names.write(painter, [Name(text, end + QPointF(-width_of(painter, text) / 2 - 4, 0))])
        painter.setPen(self.theme.color("stop"))
        for name, force in (
            ("front wheel lifts, flat", lift_force_n(self.curve.bike)),
            ("tyre slips, dry", grip_force_n(self.curve.bike)),
        ):
            if force < self._top_n:
                end = self.point(self.last_kmh * 0.42, force)
                self._backdrop_names.write(painter, [Name(f"{name} {force:.0f} N", end)])

    def _px_n(self, pixels: float) -> float:
        """So many pixels of the force axis, in newtons."""
        return pixels / self.plot.height() * (self._top_n - self._low_n)

    def new_lettering(self) -> Lettering:
        """Names on top keep off those of the backdrop and off its lines."""
        made = Lettering(self.plot.adjusted(2, 0, 0, 0))
        for text, place in self._backdrop_names.boxes:
            made.wrote(text, place)
        return made


def _thinned(values: Array) -> Array:
    """Every eighth value and the last: enough for a smooth line."""
    return np.append(values[:-1:8], values[-1])
