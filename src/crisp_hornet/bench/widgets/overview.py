"""The whole ride as a strip, with a frame about what the traces show; drag it, or its ends, or press elsewhere to go there."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, down, fix, painter_of, real, spot
from crisp_hornet.bench.theme import Theme
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.pyramid import Pyramid

HIGH, GRIP_PX, INDENT_PX, LEAST_PX = 34, 8, 104, 6


class Overview(QWidget):
    """``moved`` carries from when to when (s) is wanted in view. For the mouse; the traces themselves take the keys."""

    moved = pyqtSignal(float, float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._line: tuple[Ride, Pyramid] | None = None
        self._view = (0.0, 0.0)
        self._held: tuple[float, tuple[float, float], str] | None = None
        fix(self, high=HIGH)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("the whole ride; the frame is what the traces show"))

    def sizeHint(self) -> QSize:
        return real(600, HIGH)

    def show_ride(self, ride: Ride | None, channel: str = "wheel_speed_kmh") -> None:
        """Show another ride."""
        if ride is None or not len(ride):
            self._line = None
        elif self._line is None or self._line[0] is not ride:
            name = channel if ride.has(channel) else next(iter(ride.channels), "")
            self._line = (ride, Pyramid(ride.get(name)))
        self.update()

    def show_view(self, from_s: float, to_s: float) -> None:
        """What the traces show now."""
        self._view = (from_s, to_s)
        self.update()

    @property
    def _last_s(self) -> float:
        return float(self._line[0].time_s[-1]) if self._line is not None else 1.0

    def _x(self, at_s: float) -> float:
        return INDENT_PX + at_s / max(self._last_s, 1e-9) * (across(self) - INDENT_PX)

    def _time(self, x: float) -> float:
        return (x - INDENT_PX) / max(across(self) - INDENT_PX, 1) * self._last_s

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        if self._line is None:
            return
        ride, pyramid = self._line
        whole = QRectF(INDENT_PX, 0, across(self) - INDENT_PX, down(self) - 1)
        painter.fillRect(whole, self.theme.color("sheet"))
        x, y = pyramid.between(ride.time_s, 0.0, self._last_s, int(whole.width()) // 2)
        low, high = pyramid.extremes
        good = np.isfinite(y)
        up = whole.bottom() - 2 - (y[good] - low) / max(high - low, 1e-9) * (whole.height() - 5)
        points = [QPointF(self._x(a), b) for a, b in zip(x[good].tolist(), up.tolist(), strict=True)]
        painter.setPen(QPen(self.theme.color("measured"), 1))
        painter.drawPolyline(QPolygonF(points))
        left, right = self._x(self._view[0]), self._x(self._view[1])
        for shade in (
            QRectF(INDENT_PX, 0, left - INDENT_PX, whole.height()),
            QRectF(right, 0, across(self) - right, whole.height()),
        ):
            painter.fillRect(shade, self.theme.color("ground", 0.7))
        painter.setPen(QPen(self.theme.color("text"), 1.5))
        painter.drawRect(QRectF(left, 0.5, max(right - left - 1, 2), whole.height() - 1))

    def _part_at(self, x: float) -> str:
        left, right = self._x(self._view[0]), self._x(self._view[1])
        if abs(x - left) <= GRIP_PX and right - left > LEAST_PX:
            return "left"
        if abs(x - right) <= GRIP_PX:
            return "right"
        return "middle" if left < x < right else "outside"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = spot(event).x()
        if self._line is None or event.button() != Qt.MouseButton.LeftButton:
            return
        part = self._part_at(x)
        if part == "outside":
            half = (self._view[1] - self._view[0]) / 2
            at = min(max(self._time(x), half), self._last_s - half)
            self.moved.emit(at - half, at + half)
            part = "middle"
        self._held = (x, self._view, part)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = spot(event).x()
        if self._held is None:
            wide = self._part_at(x) in ("left", "right")
            self.setCursor(Qt.CursorShape.SizeHorCursor if wide else Qt.CursorShape.PointingHandCursor)
            return
        start, (low, high), part = self._held
        by, least = self._time(x) - self._time(start), self._time(LEAST_PX) - self._time(0)
        if part == "left":
            low = min(max(low + by, 0.0), high - least)
        elif part == "right":
            high = max(min(high + by, self._last_s), low + least)
        else:
            by = min(max(by, -low), self._last_s - high)
            low, high = low + by, high + by
        self.moved.emit(low, high)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
