"""The shapes that carry meaning: the three truths, the severities, the bolt heads of the job line.

Each function paints around a centre; colour is never the only difference between two of them.
"""

from __future__ import annotations

import math
from enum import Enum

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPolygonF

from crisp_hornet.bench.theme import Theme


class BoltState(Enum):
    """How far a station is."""

    UNTOUCHED = "untouched"
    IN_WORK = "in work"
    NEEDS_A_LOOK = "needs a look"
    STOPPED = "stopped"
    DONE = "done"


def truth_pen(theme: Theme, truth: str) -> QPen:
    """The line of a truth: drafted solid and thick, controller dashed, measured thin."""
    pen = QPen(theme.color(truth), {"drafted": 3.0, "controller": 2.0, "measured": 1.2}[truth])
    if truth == "controller":
        pen.setDashPattern([4, 2.5])
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return pen


def paint_truth(painter: QPainter, theme: Theme, truth: str, at: QPointF, size: float = 9.0) -> None:
    """The mark of a truth: ring with a dot, open square, cross. ``size`` is the half width."""
    color = theme.color(truth)
    painter.setBrush(QBrush(theme.color("sheet")))
    if truth == "drafted":
        painter.setPen(QPen(color, size * 0.33))
        painter.drawEllipse(at, size, size)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        painter.drawEllipse(at, size * 0.3, size * 0.3)
    elif truth == "controller":
        painter.setPen(QPen(color, max(1.6, size * 0.28)))
        painter.drawRect(QRectF(at.x() - size * 0.75, at.y() - size * 0.75, size * 1.5, size * 1.5))
    else:
        painter.setPen(QPen(color, max(1.3, size * 0.25)))
        painter.drawLine(at + QPointF(-size * 0.7, -size * 0.7), at + QPointF(size * 0.7, size * 0.7))
        painter.drawLine(at + QPointF(-size * 0.7, size * 0.7), at + QPointF(size * 0.7, -size * 0.7))


def paint_severity(painter: QPainter, theme: Theme, severity: str, at: QPointF, size: float = 8.0) -> None:
    """Stop: filled diamond; warn: filled triangle; note: bar; settled: check."""
    color = theme.color(severity)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    if severity == "stop":
        painter.drawPolygon(
            QPolygonF([at + QPointF(0, -size), at + QPointF(size, 0), at + QPointF(0, size), at + QPointF(-size, 0)])
        )
    elif severity == "warn":
        painter.drawPolygon(
            QPolygonF([at + QPointF(0, -size), at + QPointF(size, size * 0.8), at + QPointF(-size, size * 0.8)])
        )
    elif severity == "note":
        painter.drawRect(QRectF(at.x() - size, at.y() - size * 0.3, 2 * size, size * 0.6))
    else:
        paint_check(painter, color, at, size)


def paint_check(painter: QPainter, color: QColor, at: QPointF, size: float) -> None:
    """A check mark."""
    painter.setPen(QPen(color, size * 0.34, cap=Qt.PenCapStyle.RoundCap, join=Qt.PenJoinStyle.RoundJoin))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(
        QPolygonF(
            [
                at + QPointF(-size * 0.8, 0),
                at + QPointF(-size * 0.2, size * 0.65),
                at + QPointF(size * 0.9, -size * 0.7),
            ]
        )
    )


def paint_chevron(painter: QPainter, color: QColor, at: QPointF, down: bool) -> None:
    """Points down where something opens below, to the right where it is closed."""
    half, tip = (QPointF(5, 0), QPointF(0, 2.5)) if down else (QPointF(0, 5), QPointF(2.5, 0))
    painter.setPen(QPen(color, 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([at - half - tip, at + tip, at + half - tip]))


def paint_bolt(painter: QPainter, theme: Theme, state: BoltState, at: QPointF, size: float = 10.0) -> None:
    """A bolt head seen from above: hollow, half full, edged with a mark, with a diamond in it, or full with a check."""
    hexagon = _hexagon(at, size)
    ink, ground = theme.color("text"), theme.color("sheet")
    painter.setBrush(ground)
    if state is BoltState.UNTOUCHED:
        painter.setPen(QPen(theme.color("quiet"), 1.4))
        painter.drawPolygon(hexagon)
    elif state is BoltState.IN_WORK:
        painter.setPen(QPen(ink, 1.8))
        painter.drawPolygon(hexagon)
        half = QPainterPath()
        half.addPolygon(hexagon)
        left = QPainterPath()
        left.addRect(QRectF(at.x() - size, at.y() - size, size, 2 * size))
        painter.fillPath(half & left, ink)
    elif state is BoltState.NEEDS_A_LOOK:
        painter.setPen(QPen(theme.color("warn"), 2.2))
        painter.drawPolygon(hexagon)
        painter.drawLine(at + QPointF(0, -size * 0.45), at + QPointF(0, size * 0.12))
        painter.drawPoint(at + QPointF(0, size * 0.48))
    elif state is BoltState.STOPPED:
        painter.setPen(QPen(theme.color("stop"), 2.2))
        painter.drawPolygon(hexagon)
        paint_severity(painter, theme, "stop", at, size * 0.55)
    else:
        painter.setPen(QPen(ink, 1.8))
        painter.setBrush(ink)
        painter.drawPolygon(hexagon)
        paint_check(painter, ground, at, size * 0.5)


def _hexagon(at: QPointF, size: float) -> QPolygonF:
    corners = [math.radians(60 * corner + 30) for corner in range(6)]
    return QPolygonF([at + QPointF(size * math.cos(angle), size * math.sin(angle)) for angle in corners])
