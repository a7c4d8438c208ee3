"""The road's profile, below it strips of what happens along it, and a ribbon of what held the ride back.

A cursor stands over all of them; the wheel and + and - zoom, a drag pans, Left and Right move the cursor, Home shows the whole road.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.frame import Frame, ticks_along, ticks_up
from crisp_hornet.bench.charts.paint import centred_text, focus_frame, foot_tick, level_tick, right_text, width_of
from crisp_hornet.bench.marks import truth_pen
from crisp_hornet.bench.scale import across, down, painter_of, real, spot
from crisp_hornet.bench.stations.tune.ride.along import FADE_C, ROWS, Along, Row
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

LEFT, RIGHT, FOOT, GAP = 46.0, 10.0, 22.0, 15.0
PROFILE_SHARE, RIBBON_PX, LEAST_ROW_PX = 1.5, 17.0, 26.0
LEAST_M, ZOOM = 60.0, 0.7
TRUTHS = ("measured", "beside", "controller", "drafted")
STEEP_NAMED, APART_PX = 0.015, 34.0
HELD = {
    "phase": "phase", "battery": "battery", "voltage": "voltage", "weakening": "weakening", "power": "power", "rpm": "motor speed",
    "speed": "speed limit", "heat": "derating", "low_voltage": "low voltage", "grip": "grip", "front_wheel": "front wheel",
    "asked": "throttle", "brakes": "brakes", "stop": "stop",
}  # fmt: skip
PATTERNS = {
    "brakes": Qt.BrushStyle.BDiagPattern, "phase": Qt.BrushStyle.SolidPattern, "battery": Qt.BrushStyle.Dense4Pattern,
    "heat": Qt.BrushStyle.CrossPattern, "voltage": Qt.BrushStyle.VerPattern, "stop": Qt.BrushStyle.Dense7Pattern,
}  # fmt: skip


class Strips(QWidget):
    """``pointed``: the cursor stands elsewhere (m)."""

    pointed = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.units = theme, Units()
        self.along: Along | None = None
        self.tune: Tune | None = None
        self.at_m = 0.0
        self.view = (0.0, 1.0)
        self._pressed: tuple[float, tuple[float, float]] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The ride along the road")

    def sizeHint(self) -> QSize:
        return real(560, 420)

    def minimumSizeHint(self) -> QSize:
        return real(300, 236)

    # --- what is shown --------------------------------------------------------------------------------------

    def show_along(self, along: Along | None, tune: Tune | None, units: Units) -> None:
        """Draw other rides; view and cursor stay as long as the road is the same."""
        same = self.along is not None and along is not None and self.along.road == along.road
        self.along, self.tune, self.units = along, tune, units
        if along is not None and not same:
            self.view = (0.0, along.road.length_m)
            self.at_m = 0.3 * along.road.length_m
        self._name()
        self.update()

    def _name(self) -> None:
        if self.along is not None:
            told = self.along.told(self.at_m, self.units)
            self.setAccessibleName(
                f"The ride along {self.along.road.name}; arrows move the cursor, plus and minus zoom: {told}"
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
            return Frame(QRectF(LEFT, top, wide, unit * PROFILE_SHARE), self.view, self._heights())
        top += unit * PROFILE_SHARE + GAP
        if name == "ribbon":
            return Frame(QRectF(LEFT, top, wide, RIBBON_PX), self.view, (0.0, 1.0))
        top += RIBBON_PX + GAP
        at = [row.name for row in rows].index(name)
        return Frame(QRectF(LEFT, top + at * (unit + GAP), wide, unit), self.view, self._spans(rows[at]))

    def _heights(self) -> tuple[float, float]:
        assert self.along is not None
        heights = [self.units.value(one.altitude_m, "m") for one in self.along.road.points]
        low, high = min(heights), max(heights)
        return low - 0.45 * (high - low) - 1, high + 0.35 * (high - low) + 2

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
        self._paint_profile(painter)
        self._paint_ribbon(painter)
        for row in self.rows():
            self._paint_row(painter, row)
        self._paint_foot(painter)
        x = self.frame("profile").at(self.at_m, 0).x()
        if LEFT <= x <= across(self) - RIGHT:
            painter.setPen(QPen(self.theme.color("text"), 1))
            painter.drawLine(QPointF(x, GAP), QPointF(x, down(self) - FOOT))
        if self.hasFocus():
            focus_frame(painter, self.theme, self)

    def _paint_profile(self, painter: QPainter) -> None:
        assert self.along is not None
        frame, theme, points = self.frame("profile"), self.theme, self.along.road.points
        places = np.array([one.at_m for one in points])
        heights = np.array([self.units.value(one.altitude_m, "m") for one in points])
        painter.save()
        painter.setClipRect(frame.box.adjusted(0, -GAP, 0, 1))
        edge = frame.points(places, heights)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("rule", 0.6))
        painter.drawPolygon(QPolygonF([frame.at(places[0], frame.y[0]), *edge, frame.at(places[-1], frame.y[0])]))
        painter.setPen(QPen(theme.color("text"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(edge))
        self._paint_signs(painter, frame, edge)
        painter.restore()
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(2, frame.box.top() + 2), self.units.unit("m"))
        for value in ticks_up(*frame.y, frame.box.height())[:3]:
            right_text(painter, LEFT - 6, frame.at(0, value).y() + 4, f"{value:g}")

    def _paint_signs(self, painter: QPainter, frame: Frame, edge: list[QPointF]) -> None:
        """Grades, limits and stops, where they find room."""
        assert self.along is not None
        theme, points = self.theme, self.along.road.points
        written_to = -1e9
        for (one, other), (a, b) in zip(pairwise(points), pairwise(edge), strict=True):
            grade = (other.altitude_m - one.altitude_m) / (other.at_m - one.at_m)
            middle = QPointF((a.x() + b.x()) / 2, (a.y() + b.y()) / 2 - 6)
            if abs(grade) >= STEEP_NAMED and b.x() - a.x() > APART_PX and middle.x() - written_to > APART_PX:
                painter.setPen(theme.color("text"))
                centred_text(painter, middle.x(), middle.y(), f"{100 * grade:+.0f} %")
                written_to = middle.x()
        taken = -1e9
        for one, place in zip(points, edge, strict=True):
            if one.stop_s:
                painter.setPen(QPen(theme.color("text"), 4))
                painter.drawLine(place + QPointF(0, -10), place + QPointF(0, 6))
            words = [f"{one.stop_s:g} s"] if one.stop_s else []
            if one.limit_kmh is not None:
                painter.setPen(QPen(theme.color("quiet"), 1))
                painter.drawLine(QPointF(place.x(), frame.box.bottom() - 14), QPointF(place.x(), frame.box.bottom()))
                if one.limit_kmh < 300:
                    words.append(self.units.text(f"≤ {self.units.value(one.limit_kmh, 'km/h'):.0f}"))
                else:
                    words.append("free")
            if words and place.x() > taken:
                painter.setPen(theme.color("quiet"))
                painter.drawText(QPointF(place.x() + 4, frame.box.bottom() - 3), ", ".join(words))
                taken = place.x() + width_of(painter, ", ".join(words)) + 8

    def _paint_ribbon(self, painter: QPainter) -> None:
        assert self.along is not None
        frame, theme, journey = self.frame("ribbon"), self.theme, self.along.drafted
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(LEFT, frame.box.top() - 3), "drafted, held back by")
        painter.fillRect(frame.box, theme.color("sheet"))
        if journey is None:
            return
        places, limits = journey.course["at_m"], journey.limit
        begins = 0
        painter.save()
        painter.setClipRect(frame.box)
        for at in range(1, len(limits) + 1):
            if at < len(limits) and limits[at] == limits[begins]:
                continue
            word = HELD.get(limits[begins], "")
            left, right = (frame.at(float(places[max(one, 0)]), 0).x() for one in (begins - 1, at - 1))
            box = QRectF(left, frame.box.top(), right - left, frame.box.height())
            if word and box.width() > 0.5:
                painter.fillRect(box, theme.color("drafted", 0.12))
                pattern = PATTERNS.get(limits[begins], Qt.BrushStyle.HorPattern)
                strength = 0.3 if pattern is Qt.BrushStyle.SolidPattern else 0.6
                painter.fillRect(box, QBrush(theme.color("drafted", strength), pattern))
                if box.width() > width_of(painter, word) + 8:
                    wide = width_of(painter, word) + 6
                    painter.fillRect(
                        QRectF(box.center().x() - wide / 2, box.top() + 1, wide, box.height() - 2), theme.color("sheet")
                    )
                    painter.setPen(theme.color("text"))
                    centred_text(painter, box.center().x(), box.bottom() - 4, word)
            begins = at
        painter.restore()

    def _paint_row(self, painter: QPainter, row: Row) -> None:
        assert self.along is not None
        frame, theme = self.frame(row.name), self.theme
        painter.fillRect(frame.box, theme.color("sheet"))
        for value in ticks_up(*frame.y, frame.box.height()):
            level_tick(painter, theme, frame.box, frame.at(frame.x[0], value).y(), f"{value:g}")
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(LEFT, frame.box.top() - 3), f"{row.name}, {self.units.unit(row.unit)}")
        painter.save()
        painter.setClipRect(frame.box.adjusted(0, -1, 0, 1))
        self._paint_band(painter, row, frame)
        for truth in TRUTHS:
            line = self._line(truth, row)
            if line is not None:
                keep = _seen(*line, frame)
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


def _seen(x: Array, y: Array, frame: Frame) -> NDArray[np.intp]:
    """The rows of a line that lie in view, one beyond it on each side, and not more than its pixels can show."""
    first, last = np.searchsorted(x, frame.x[0]), np.searchsorted(x, frame.x[1])
    rows = np.arange(max(int(first) - 1, 0), min(int(last) + 2, len(x)))
    rows = rows[np.isfinite(y[rows])]
    step = max(len(rows) // int(4 * max(frame.box.width(), 1)), 1)
    found: NDArray[np.intp] = rows[::step]
    return found
