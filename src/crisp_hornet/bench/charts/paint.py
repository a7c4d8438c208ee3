"""Texts and ticks as every chart paints them."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, down
from crisp_hornet.bench.theme import Theme

LEFT_GAP_PX, FOOT_GAP_PX, TICK_PX = 6.0, 17.0, 4.0  # from an axis to its figures, and how long a tick is


def width_of(painter: QPainter, text: str) -> float:
    """How wide (px) a text is in the painter's font."""
    return QFontMetricsF(painter.font()).horizontalAdvance(tr(text))


def right_text(painter: QPainter, x: float, y: float, text: str) -> float:
    """Write a text that ends at x; returns where it begins."""
    left = x - width_of(painter, text)
    painter.drawText(QPointF(left, y), tr(text))
    return left


def centred_text(painter: QPainter, x: float, y: float, text: str, within: tuple[float, float] | None = None) -> None:
    """Write a text around x, moved inside ``within`` where it would leave it."""
    wide = width_of(painter, text)
    left = x - wide / 2
    if within is not None:
        left = min(max(left, within[0]), within[1] - wide)
    painter.drawText(QPointF(left, y), tr(text))


def level_tick(painter: QPainter, theme: Theme, box: QRectF, y: float, text: str, strength: float = 1.0) -> None:
    """A thin line across the chart, its figure to the left of it."""
    painter.setPen(QPen(theme.color("rule", strength), 1))
    painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
    painter.setPen(theme.color("quiet"))
    right_text(painter, box.left() - LEFT_GAP_PX, y + 4, text)


def foot_tick(painter: QPainter, theme: Theme, at: QPointF, text: str) -> None:
    """A tick below the chart with its figure under it."""
    painter.setPen(QPen(theme.color("quiet"), 1))
    painter.drawLine(at, at + QPointF(0, TICK_PX))
    centred_text(painter, at.x(), at.y() + FOOT_GAP_PX, text)


def chosen_ring(painter: QPainter, theme: Theme, at: QPointF, radius: float) -> None:
    """What the keys move now."""
    painter.setPen(QPen(theme.color("text"), 1.5, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(at, radius, radius)


def focus_frame(painter: QPainter, theme: Theme, widget: QWidget) -> None:
    """Around a chart that has the keys."""
    painter.setPen(QPen(theme.color("text"), 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(QRectF(1, 1, across(widget) - 2, down(widget) - 2), 3, 3)
