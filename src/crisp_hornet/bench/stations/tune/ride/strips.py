"""The road's profile, below it strips of what happens along it, and a ribbon of what held the ride back.

A cursor stands over all of them; the wheel and + and - zoom, a drag pans, Left and Right move the cursor, Home shows the whole road.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.frame import Frame, ticks_along, ticks_up
from crisp_hornet.bench.charts.paint import focus_frame, foot_tick, level_tick, right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import truth_pen
from crisp_hornet.bench.scale import across, down, painter_of, real, spot
from crisp_hornet.bench.stations.tune.ride.along import FADE_C, ROWS, Along, Row
from crisp_hornet.bench.stations.tune.ride.profile import Profile, paint_profile, paint_ribbon, seen
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

LEFT, RIGHT, FOOT, GAP = 46.0, 10.0, 22.0, 15.0
PROFILE_SHARE, RIBBON_PX, LEAST_ROW_PX = 1.5, 17.0, 26.0
LEAST_M, ZOOM = 60.0, 0.7
TRUTHS = ("measured", "beside", "controller", "drafted")


class Strips(QWidget):
    """``pointed``: the cursor stands elsewhere (m)."""

    pointed = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.units = theme, Units()
        self.along: Along | None = None
        self._profile = Profile(np.zeros(1), np.zeros(1), [])
        self.tune: Tune | None = None
        self.at_m = 0.0
        self.view = (0.0, 1.0)
        self._pressed: tuple[float, tuple[float, float]] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("The ride along the road"))

    def sizeHint(self) -> QSize:
        return real(560, 420)

    def minimumSizeHint(self) -> QSize:
        return real(300, 186)

    # --- what is shown --------------------------------------------------------------------------------------

    def show_along(self, along: Along | None, tune: Tune | None, units: Units) -> None:
        """Draw other rides; view and cursor stay as long as the road is the same."""
        same = self.along is not None and along is not None and self.along.road is along.road
        self.along, self.tune, self.units = along, tune, units
        if along is not None and not same:
            self._profile = Profile.of(along.road)
            self.view = (0.0, along.road.length_m)
            self.at_m = 0.3 * along.road.length_m
        self._name()
        self.update()

    def _name(self) -> None:
        if self.along is not None:
            told = self.along.told(self.at_m, self.units)
            self.setAccessibleName(
                tr(f"The ride along {self.along.road.name}; arrows move the cursor, plus and minus zoom: {told}")
            )

    def rows(self) -> list[Row]:
        """The strips that find room, from the top."""
        room = down(self) - FOOT - RIBBON_PX - GAP * 2
        most = int(room / (LEAST_ROW_PX + GAP) - PROFILE_SHARE)
        order = ("speed", "winding", "pack", "battery", "charge", "phase", "controller")
        chosen = order[: max(most, 3)]
        return [row for row in ROWS if row.name in chosen]

    def frame(self, name: str) -> Frame:
        """Where a strip lies, by its name; "profile" and "ribbon" too."""
        rows = self.rows()
        whole = down(self) - FOOT - RIBBON_PX - GAP * (len(rows) + 2)
        unit = whole / (len(rows) + PROFILE_SHARE)
        wide = across(self) - LEFT - RIGHT
        top = GAP
        if name == "profile":
            return Frame(QRectF(LEFT, top, wide, unit * PROFILE_SHARE), self.view, self._profile.heights(self.units))
        top += unit * PROFILE_SHARE + GAP
        if name == "ribbon":
            return Frame(QRectF(LEFT, top, wide, RIBBON_PX), self.view, (0.0, 1.0))
        top += RIBBON_PX + GAP
        at = [row.name for row in rows].index(name)
        return Frame(QRectF(LEFT, top + at * (unit + GAP), wide, unit), self.view, self._spans(rows[at]))

    def _spans(self, row: Row) -> tuple[float, float]:
        lines = [line for truth in TRUTHS if (line := self._line(truth, row)) is not None]
        values = np.concatenate([y[np.isfinite(y)] for _, y in lines]) if lines else np.zeros(1)
        low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 1.0)
        if row.name in ("speed", "battery", "phase"):
            low = min(low, 0.0)
        middle, half = (low + high) / 2, max((high - low) / 2 * 1.08, row.least / 2)
        return (low, low + 2 * half) if low == 0 else (middle - half, middle + half)

    def _line(self, truth: str, row: Row) -> tuple[Array, Array] | None:
        assert self.along is not None
        line = self.along.line(truth, row)
        if line is None:
            return None
        factor, offset = self.units.difference(1.0, row.unit), self.units.value(0.0, row.unit)
        return line[0], line[1] * factor + offset

    # --- painting -------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(QUIET_PX))
        if self.along is None:
            return
        paint_profile(painter, self.theme, self.frame("profile"), self._profile, self.units)
        paint_ribbon(painter, self.theme, self.frame("ribbon"), self.along.drafted)
        for row in self.rows():
            self._paint_row(painter, row)
        self._paint_foot(painter)
        x = self.frame("profile").at(self.at_m, 0).x()
        if LEFT <= x <= across(self) - RIGHT:
            painter.setPen(QPen(self.theme.color("text"), 1))
            painter.drawLine(QPointF(x, GAP), QPointF(x, down(self) - FOOT))
        if self.hasFocus():
            focus_frame(painter, self.theme, self)

    def _paint_row(self, painter: QPainter, row: Row) -> None:
        assert self.along is not None
        frame, theme = self.frame(row.name), self.theme
        painter.fillRect(frame.box, theme.color("sheet"))
        for value in ticks_up(*frame.y, frame.box.height()):
            level_tick(painter, theme, frame.box, frame.at(frame.x[0], value).y(), f"{value:g}")
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(LEFT, frame.box.top() - 3), tr(f"{row.name}, {self.units.unit(row.unit)}"))
        painter.save()
        painter.setClipRect(frame.box.adjusted(0, -1, 0, 1))
        self._paint_band(painter, row, frame)
        for truth in TRUTHS:
            line = self._line(truth, row)
            if line is not None:
                keep = seen(*line, frame)
                painter.setPen(
                    QPen(theme.color("text"), 1.4, Qt.PenStyle.DotLine)
                    if truth == "beside"
                    else truth_pen(theme, truth)
                )
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(frame.points(line[0][keep], line[1][keep])))
        painter.restore()
        if row.column in FADE_C and self.tune is not None:
            self._paint_derating(painter, row, frame)

    def _paint_band(self, painter: QPainter, row: Row, frame: Frame) -> None:
        assert self.along is not None
        band = self.along.band
        if band is None or row.column not in band.low:
            return
        factor, offset = self.units.difference(1.0, row.unit), self.units.value(0.0, row.unit)
        low, high = (one[row.column] * row.scale * factor + offset for one in (band.low, band.high))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.theme.color("drafted", 0.18))
        painter.drawPolygon(QPolygonF(frame.points(band.at_m, low) + frame.points(band.at_m, high)[::-1]))

    def _paint_derating(self, painter: QPainter, row: Row, frame: Frame) -> None:
        assert self.tune is not None
        start = self.tune.setting(FADE_C[row.column])
        shown = self.units.value(start, "°C") if start is not None else None
        if shown is not None and frame.y[0] < shown < frame.y[1]:
            y = frame.at(0, shown).y()
            painter.setPen(QPen(self.theme.color("stop"), 1.2))
            painter.drawLine(QPointF(frame.box.left(), y), QPointF(frame.box.right(), y))
            right_text(painter, frame.box.right() - 4, y - 3, f"derating from {shown:.0f}")

    def _paint_foot(self, painter: QPainter) -> None:
        assert self.along is not None
        bottom = down(self) - FOOT
        factor = self.units.value(0.001, "km")
        frame = Frame(
            QRectF(LEFT, GAP, across(self) - LEFT - RIGHT, bottom - GAP),
            (self.view[0] * factor, self.view[1] * factor),
            (0, 1),
        )
        for value in ticks_along(*frame.x, frame.box.width() - 30):
            foot_tick(painter, self.theme, QPointF(frame.at(value, 0).x(), bottom), f"{value:g}")
        painter.setPen(self.theme.color("quiet"))
        right_text(painter, across(self) - 1, bottom + 17, self.units.unit("km"))

    # --- hands ----------------------------------------------------------------------------------------------

    def point_at(self, at_m: float) -> None:
        """Put the cursor at a place."""
        if self.along is not None:
            self.at_m = min(max(at_m, 0.0), self.along.road.length_m)
            self._name()
            self.update()
            self.pointed.emit(self.at_m)

    def show_between(self, from_m: float, to_m: float) -> None:
        """Bring a part of the road into view."""
        if self.along is None:
            return
        length = self.along.road.length_m
        wide = min(max(to_m - from_m, min(LEAST_M, length)), length)
        low = min(max(from_m, 0.0), length - wide)
        self.view = (low, low + wide)
        self.update()

    def _place(self, x: float) -> float:
        return self.frame("profile").back(QPointF(x, 0))[0]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self._pressed = (spot(event).x(), self.view)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pressed = None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.along is None:
            return
        if self._pressed is not None:
            start, (low, high) = self._pressed
            moved = (start - spot(event).x()) / (across(self) - LEFT - RIGHT) * (high - low)
            self.show_between(low + moved, high + moved)
        self.point_at(self._place(spot(event).x()))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus():
            event.ignore()
            return
        self._zoom(ZOOM if event.angleDelta().y() > 0 else 1 / ZOOM)
        event.accept()

    def _zoom(self, factor: float) -> None:
        low, high = self.view
        at = min(max(self.at_m, low), high)
        self.show_between(at - (at - low) * factor, at + (high - at) * factor)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, low, high = Qt.Key(event.key()), *self.view
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            coarse = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self.point_at(self.at_m + (1 if key == Qt.Key.Key_Right else -1) * coarse * (high - low) / 200)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom(ZOOM)
        elif key == Qt.Key.Key_Minus:
            self._zoom(1 / ZOOM)
        elif key == Qt.Key.Key_Home and self.along is not None:
            self.show_between(0.0, self.along.road.length_m)
        else:
            super().keyPressEvent(event)
