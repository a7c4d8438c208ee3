"""How a road's profile is painted, with its grades, limits and stops, and the ribbon of what held a ride back."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Self

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPen, QPolygonF

from crisp_hornet.bench.charts.frame import Frame, ticks_up
from crisp_hornet.bench.charts.paint import LEFT_GAP_PX, centred_text, right_text, width_of
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.theme import Theme
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.documents.route import Route, RoutePoint
from crisp_hornet.documents.units import Units

ABOVE_PX, STEEP_NAMED, APART_PX, UNLIMITED_KMH = 15.0, 0.015, 34.0, 300.0
HELD = {
    "phase": "phase", "battery": "battery", "voltage": "voltage", "weakening": "weakening", "power": "power", "rpm": "motor speed",
    "speed": "speed limit", "heat": "derating", "low_voltage": "low voltage", "grip": "grip", "front_wheel": "front wheel",
    "asked": "throttle", "brakes": "brakes", "stop": "stop",
}  # fmt: skip
PATTERNS = {
    "brakes": Qt.BrushStyle.BDiagPattern, "phase": Qt.BrushStyle.SolidPattern, "battery": Qt.BrushStyle.Dense4Pattern,
    "heat": Qt.BrushStyle.CrossPattern, "voltage": Qt.BrushStyle.VerPattern, "stop": Qt.BrushStyle.Dense7Pattern,
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Profile:
    """A road as it is painted: its corners (m, m), and the few of them with a stop (s) or a limit (km/h)."""

    at_m: Array
    altitude_m: Array
    signs: list[RoutePoint]

    @classmethod
    def of(cls, road: Route) -> Self:
        """Made once for a road: it may have very many points."""
        at_m, altitude_m = np.array([(one.at_m, one.altitude_m) for one in road.points]).T
        return cls(at_m, altitude_m, [one for one in road.points if one.stop_s or one.limit_kmh is not None])

    def heights(self, units: Units) -> tuple[float, float]:
        """The ends of its axis, as shown: room above for grades, below for signs."""
        low, high = units.value(float(self.altitude_m.min()), "m"), units.value(float(self.altitude_m.max()), "m")
        return low - 0.45 * (high - low) - 1, high + 0.35 * (high - low) + 2


def paint_profile(painter: QPainter, theme: Theme, frame: Frame, profile: Profile, units: Units) -> None:
    """The heights of a road, with its signs."""
    rows = seen(profile.at_m, profile.altitude_m, frame)
    places = profile.at_m[rows]
    edge = frame.points(places, profile.altitude_m[rows] * units.value(1.0, "m"))
    painter.save()
    painter.setClipRect(frame.box.adjusted(0, -ABOVE_PX, 0, 1))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("rule", 0.6))
    painter.drawPolygon(QPolygonF([frame.at(places[0], frame.y[0]), *edge, frame.at(places[-1], frame.y[0])]))
    painter.setPen(QPen(theme.color("text"), 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(edge))
    _paint_grades(painter, theme, edge, places, profile.altitude_m[rows])
    _paint_signs(painter, theme, frame, profile, units)
    painter.restore()
    painter.setPen(theme.color("quiet"))
    painter.drawText(QPointF(2, frame.box.top() + 2), tr(units.unit("m")))
    for value in ticks_up(*frame.y, frame.box.height())[:3]:
        right_text(painter, frame.box.left() - LEFT_GAP_PX, frame.at(0, value).y() + 4, f"{value:g}")


def _paint_grades(painter: QPainter, theme: Theme, edge: list[QPointF], at_m: Array, altitude_m: Array) -> None:
    """How steep the pieces are that are long enough for a figure."""
    written_to = -1e9
    grades = np.diff(altitude_m) / np.diff(at_m)
    painter.setPen(theme.color("text"))
    for grade, (a, b) in zip(grades.tolist(), pairwise(edge), strict=True):
        middle = QPointF((a.x() + b.x()) / 2, (a.y() + b.y()) / 2 - 6)
        if abs(grade) >= STEEP_NAMED and b.x() - a.x() > APART_PX and middle.x() - written_to > APART_PX:
            centred_text(painter, middle.x(), middle.y(), f"{100 * grade:+.0f} %")
            written_to = middle.x()


def _paint_signs(painter: QPainter, theme: Theme, frame: Frame, profile: Profile, units: Units) -> None:
    """Limits and stops, named where they find room."""
    taken = -1e9
    for one in profile.signs:
        if not frame.x[0] <= one.at_m <= frame.x[1]:
            continue
        place = frame.at(one.at_m, units.value(one.altitude_m, "m"))
        if one.stop_s:
            painter.setPen(QPen(theme.color("text"), 4))
            painter.drawLine(place + QPointF(0, -10), place + QPointF(0, 6))
        words = [f"{one.stop_s:g} s"] if one.stop_s else []
        if one.limit_kmh is not None:
            painter.setPen(QPen(theme.color("quiet"), 1))
            painter.drawLine(QPointF(place.x(), frame.box.bottom() - 14), QPointF(place.x(), frame.box.bottom()))
            free = one.limit_kmh >= UNLIMITED_KMH
            words.append("free" if free else f"≤ {units.value(one.limit_kmh, 'km/h'):.0f}")
        if words and place.x() > taken:
            painter.setPen(theme.color("quiet"))
            painter.drawText(QPointF(place.x() + 4, frame.box.bottom() - 3), tr(", ".join(words)))
            taken = place.x() + width_of(painter, ", ".join(words)) + 8


def seen(x: Array, y: Array, frame: Frame) -> NDArray[np.intp]:
    """The rows of a line that lie in view, one beyond it on each side, and not more than its pixels can show."""
    first, last = np.searchsorted(x, frame.x[0]), np.searchsorted(x, frame.x[1])
    rows = np.arange(max(int(first) - 1, 0), min(int(last) + 2, len(x)))
    rows = rows[np.isfinite(y[rows])]
    step = max(len(rows) // int(4 * max(frame.box.width(), 1)), 1)
    found: NDArray[np.intp] = rows[::step]
    return found


def paint_ribbon(painter: QPainter, theme: Theme, frame: Frame, journey: Journey | None) -> None:
    """What held a ride back along the way."""
    painter.setPen(theme.color("quiet"))
    painter.drawText(QPointF(frame.box.left(), frame.box.top() - 3), tr("drafted, held back by"))
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
