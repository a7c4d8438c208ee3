"""Wheel force against road speed: the chart that Tune drags on and Verdict judges on.

Painted by hand: it is the heart of the application, and repaints with every step of a drag.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy

from crisp_hornet.bench.charts.drawn import Figures
from crisp_hornet.bench.charts.force_axes import ForceAxes
from crisp_hornet.bench.charts.frame import nice_top
from crisp_hornet.bench.charts.lettering import Lettering, Name
from crisp_hornet.bench.charts.paint import centred_text, width_of
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth, truth_pen
from crisp_hornet.bench.scale import across, area, down, painter_of, real, spot
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.drive.uncertainty import Band
from crisp_hornet.core.evidence.motion_pull import MotionPull
from crisp_hornet.core.ride.measured_pull import MeasuredPull
from crisp_hornet.documents.units import Units

CROSS_CELL_PX = 7.0
LIMIT_WORDS = {"low_voltage": "low voltage"}


@dataclass(frozen=True)
class Stretch:
    """A run of speeds over which one limit sets the force."""

    limit: str
    from_kmh: float
    to_kmh: float


def stretches(curve: PullCurve) -> list[Stretch]:
    """Which limit sets the force where, over the speeds that still pull."""
    pulls = np.flatnonzero(curve.wheel_force_n > 0)
    if pulls.size == 0:
        return []
    names, speeds = curve.limit[: pulls[-1] + 1], curve.speed_kmh
    edges = [0, *(np.flatnonzero(names[1:] != names[:-1]) + 1).tolist(), len(names)]
    return [
        Stretch(str(names[a]), float(speeds[a]), float(speeds[min(b, len(speeds) - 1)])) for a, b in pairwise(edges)
    ]


class ForceChart(ForceAxes):
    """Curves of the three truths over speed, grade lines, lift and grip. ``pointed`` carries the speed under the pointer."""

    pointed = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.measured: MeasuredPull | None = None
        self.motion: MotionPull | None = None
        self.band: Band | None = None
        self.held: PullCurve | None = None
        self.regen: dict[str, PullCurve] = {}
        self.also: tuple[str, PullCurve] | None = None
        self.also_too: tuple[str, PullCurve] | None = None
        self.message = ""
        self.at_kmh = 25.0
        self.lettering = Lettering(QRectF())
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Wheel force against speed; left and right move the reading"))

    def sizeHint(self) -> QSize:
        return real(660, 380)

    def minimumSizeHint(self) -> QSize:
        return real(300, 160)

    # --- what to show ---------------------------------------------------------------------------------------

    def show_curves(
        self, draft: PullCurve | None, controller: PullCurve | None, message: str = "", hold_scale: bool = False
    ) -> None:
        """Show one or both curves. ``hold_scale`` keeps the force axis from shrinking while something is dragged."""
        self.draft, self.controller, self.message = draft, controller, message
        curves = [curve for curve in (draft, controller) if curve is not None]
        drawn = [*curves, *(one[1] for one in (self.also, self.also_too) if one is not None)]
        highest = max([float(curve.wheel_force_n.max()) for curve in drawn], default=100.0)
        if self.measured is not None and len(self.measured.force_n):
            highest = max(highest, float(self.measured.force_n.max()))
        if self.motion is not None:
            highest = max(highest, float(self.motion.force_n.max()))
        top = nice_top(1.1 * (highest or 100.0))  # a pack too low to pull at all gives an axis too
        self._top_n = max(self._top_n, top) if hold_scale else top
        if curves:
            self._lay_grades(curves[0])
        self.update()

    def show_units(self, units: Units) -> None:
        """Read the speed axis in these units."""
        self.units = units
        self.update()

    def show_band(self, band: Band | None) -> None:
        """Tint what the bike's uncertain figures leave open around the curve that gives the axis."""
        self.band = band
        self.update()

    def show_held(self, held: PullCurve | None) -> None:
        """Show what can be held for ever as a dotted line."""
        self.held = held
        self.update()

    def show_regen(self, draft: PullCurve | None, controller: PullCurve | None) -> None:
        """Show braking with the motor below zero."""
        pairs = (("drafted", draft), ("controller", controller))
        self.regen = {truth: curve for truth, curve in pairs if curve is not None}
        lowest = min([float(curve.wheel_force_n.min()) for curve in self.regen.values()], default=0.0)
        low = -nice_top(-lowest * 1.15) if lowest < -1 else 0.0
        self._low_n = low

    def show_also(self, name: str, curve: PullCurve | None, second: bool = False) -> None:
        """Lay one more curve over the others, or a ``second`` one: an earlier tune, a kept draft, in ink."""
        shown = (name, curve) if curve is not None else None
        if second:
            self.also_too = shown
        else:
            self.also = shown
        self.show_curves(self.draft, self.controller, self.message)

    def show_measured(self, measured: MeasuredPull | None, motion: MotionPull | None = None) -> None:
        """Lay measured points over the curves: by the currents, and by how the bike moved."""
        self.measured, self.motion = measured, motion
        self.show_curves(self.draft, self.controller, self.message)

    # --- pointing -------------------------------------------------------------------------------------------

    def point_at(self, kmh: float) -> None:
        """Move the reading to a speed."""
        self.at_kmh = min(max(kmh, 0.0), self.last_kmh)
        self.setAccessibleDescription(
            tr(", ".join(f"{head} {text}" for head, text in self._reads(self.at_kmh) if text))
        )
        self.pointed.emit(self.at_kmh)
        self.update()

    def _reads(self, kmh: float) -> list[tuple[str, str]]:
        """What the curves say at a speed: heads with units, and figures."""
        said = [("speed, km/h", f"{kmh:.1f}")]
        for curve, head in ((self.draft, "drafted, N"), (self.controller, "on the controller, N")):
            if curve is not None:
                said.append((head, f"{float(np.interp(kmh, curve.speed_kmh, curve.wheel_force_n)):.0f}"))
        if self.curve is not None:
            at = int(np.argmin(np.abs(self.curve.speed_kmh - kmh)))
            said.append(("limited by", LIMIT_WORDS.get(str(self.curve.limit[at]), str(self.curve.limit[at]))))
        return said

    def figures(self) -> Figures:
        """Its curves as a table, a row each two km/h."""
        rows = [self._reads(float(kmh)) for kmh in np.arange(0.0, self.last_kmh + 0.1, 2.0)]
        return Figures([head for head, _ in rows[0]], [[text for _, text in row] for row in rows])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.plot.contains(spot(event)):
            self.point_at(self.value(spot(event))[0])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.point_at(self.at_kmh + (step if event.key() == Qt.Key.Key_Right else -step))
        else:
            super().keyPressEvent(event)

    # --- painting -------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawPixmap(0, 0, self._painted_backdrop())
        self.lettering = self.new_lettering()
        painter.save()
        painter.setClipRect(self.plot.adjusted(0, -2, 1, 2))
        self._paint_band(painter)
        self._paint_crosses(painter)
        self._paint_motion(painter)
        self._paint_held(painter)
        self._paint_also(painter)
        self._paint_regen(painter)
        self._paint_curve(painter, self.draft, "drafted")
        self._paint_curve(painter, self.controller, "controller")
        self._paint_reading(painter)
        painter.restore()
        self._paint_stretches(painter)
        self.paint_over(painter)
        self._name_also(painter)
        if self.message:
            painter.setPen(self.theme.color("text"))
            painter.setFont(font(TEXT_PX))
            painter.drawText(
                self.plot.adjusted(40, 0, -40, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                tr(self.message),
            )
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("text"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(1, 1, across(self) - 2, down(self) - 2), 3, 3)

    def paint_over(self, painter: QPainter) -> None:
        """What a kind of chart adds on top."""

    def _paint_curve(self, painter: QPainter, curve: PullCurve | None, truth: str) -> None:
        if curve is None:
            return
        drawn = worth_drawing(curve.wheel_force_n)
        polygon = self._polygon(curve.speed_kmh[drawn], curve.wheel_force_n[drawn])
        if truth == "drafted":
            area = QPainterPath()
            corners = QPolygonF(polygon)
            corners.append(self.point(float(curve.speed_kmh[-1]), 0))
            corners.append(self.point(0, 0))
            area.addPolygon(corners)
            painter.fillPath(area, self.theme.color("drafted", 0.09))
        painter.setPen(truth_pen(self.theme, truth))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(polygon)
        self.lettering.line(polygon)

    def _paint_band(self, painter: QPainter) -> None:
        if self.band is None:
            return
        around = np.concatenate((self.band.speed_kmh, self.band.speed_kmh[::-1]))
        corners = self._polygon(around, np.concatenate((self.band.high_n, self.band.low_n[::-1])))
        area = QPainterPath()
        area.addPolygon(corners)
        painter.fillPath(area, self.theme.color("drafted" if self.draft is not None else "controller", 0.16))

    def _paint_held(self, painter: QPainter) -> None:
        if self.held is None or self.curve is None:
            return
        drawn = self.held.speed_kmh, self.held.wheel_force_n
        pen = QPen(self.theme.color("text", 0.8), 1.6)
        pen.setDashPattern([1, 2.5])
        painter.setPen(pen)
        painter.drawPolyline(self._polygon(*drawn))
        self.lettering.line(self._polygon(*drawn))

    def _paint_also(self, painter: QPainter) -> None:
        for shown, style in ((self.also, Qt.PenStyle.DashDotLine), (self.also_too, Qt.PenStyle.DotLine)):
            if shown is not None:
                painter.setPen(QPen(self.theme.color("text", 0.8), 1.4, style))
                painter.drawPolyline(self._polygon(shown[1].speed_kmh, shown[1].wheel_force_n))

    def _name_also(self, painter: QPainter) -> None:
        """The curves in ink have their names beside them."""
        painter.setFont(font(QUIET_PX))
        painter.setPen(self.theme.color("quiet"))
        if self.held is not None and self.curve is not None:
            start = self.point(0, float(self.held.wheel_force_n[0]))
            self.lettering.write(
                painter, [Name("continuous", start + QPointF(width_of(painter, "continuous") / 2 + 6, 0))]
            )
        for name, curve in (one for one in (self.also, self.also_too) if one is not None):
            most = int(np.argmax(curve.wheel_force_n))
            at = self.point(float(curve.speed_kmh[most]), float(curve.wheel_force_n[most]))
            self.lettering.write(painter, [Name(name, at + QPointF(56, 0))])

    def _paint_regen(self, painter: QPainter) -> None:
        for truth in ("drafted", "controller"):
            if truth in self.regen:
                curve = self.regen[truth]
                painter.setPen(truth_pen(self.theme, truth))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                polygon = self._polygon(curve.speed_kmh, curve.wheel_force_n)
                painter.drawPolyline(polygon)
                self.lettering.line(polygon)

    def _paint_crosses(self, painter: QPainter) -> None:
        if self.measured is None:
            return
        full = self.measured.full_throttle
        for chosen, alpha in ((~full, 0.35), (full, 1.0)):
            which = self._apart(np.flatnonzero(chosen))
            painter.setPen(QPen(self.theme.color("measured", alpha), 1.3))
            lines = []
            for index in which:
                at = self.point(float(self.measured.speed_kmh[index]), float(self.measured.force_n[index]))
                lines += [
                    QLineF(at.x() - 3, at.y() - 3, at.x() + 3, at.y() + 3),
                    QLineF(at.x() - 3, at.y() + 3, at.x() + 3, at.y() - 3),
                ]
            painter.drawLines(lines)  # type: ignore[call-overload]

    def _paint_motion(self, painter: QPainter) -> None:
        """Bars of the interval with a gap where the mean is."""
        if self.motion is None:
            return
        painter.setPen(QPen(self.theme.color("measured"), 2.2))
        motion = self.motion
        for kmh, force, low, high in zip(motion.speed_kmh, motion.force_n, motion.low_n, motion.high_n, strict=True):
            top, middle, bottom = (self.point(kmh, min(max(one, 0.0), self._top_n)) for one in (high, force, low))
            painter.drawLine(top, bottom)
            painter.drawLine(QPointF(middle.x() - 4, middle.y()), QPointF(middle.x() + 4, middle.y()))

    def _apart(self, which: NDArray[np.intp]) -> NDArray[np.intp]:
        """One sample for each small cell of the chart: a thousand crosses on one spot say no more than one."""
        assert self.measured is not None
        cells_x = np.floor(self.measured.speed_kmh[which] / self.last_kmh * self.plot.width() / CROSS_CELL_PX)
        cells_y = np.floor(self.measured.force_n[which] / self._top_n * self.plot.height() / CROSS_CELL_PX)
        return which[np.unique(cells_x * 10_000 + cells_y, return_index=True)[1]]

    def _paint_reading(self, painter: QPainter) -> None:
        if self.curve is None:
            return
        plot = self.plot
        x = self.point(self.at_kmh, 0).x()
        painter.setPen(QPen(self.theme.color("text", 0.55), 1))
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
        for curve, truth in ((self.controller, "controller"), (self.draft, "drafted")):
            if curve is not None:
                force = float(np.interp(self.at_kmh, curve.speed_kmh, curve.wheel_force_n))
                paint_truth(painter, self.theme, truth, self.point(self.at_kmh, force), 4)

    def _paint_stretches(self, painter: QPainter) -> None:
        """Under the axis: which limit sets the force where."""
        curve = self.curve
        if curve is None:
            return
        theme, y = self.theme, self.plot.bottom() + 25
        painter.setFont(font(QUIET_PX))
        for stretch in stretches(curve):
            left, right = self.point(stretch.from_kmh, 0).x(), self.point(stretch.to_kmh, 0).x()
            painter.setPen(QPen(theme.color("quiet"), 1))
            painter.drawLine(QPointF(left, y - 3), QPointF(left, y + 14))
            painter.drawLine(QPointF(right, y - 3), QPointF(right, y + 14))
            painter.drawLine(QPointF(left, y + 14), QPointF(right, y + 14))
            text = LIMIT_WORDS.get(stretch.limit, stretch.limit)
            if width_of(painter, text) < right - left - 4:
                centred_text(painter, (left + right) / 2, y + 9, text)


def worth_drawing(force_n: Array) -> NDArray[np.bool_]:
    """Which samples of a curve to draw: every fourth, and all next to a kink. Stroking is what a repaint costs."""
    kink = np.abs(np.diff(force_n, 2, prepend=0, append=0)) > 0.004 * max(float(force_n.max(initial=1.0)), 1.0)
    near = kink | np.roll(kink, 1) | np.roll(kink, -1)
    near[::4] = True
    near[-1] = True
    return near
