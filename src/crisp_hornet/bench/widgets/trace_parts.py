"""What traces are made of: their axes, a plot's box, and the ribbon of words."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QBrush, QFontMetricsF, QPainter
from PyQt6.QtWidgets import QStyleOptionGraphicsItem, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import px
from crisp_hornet.bench.theme import QUIET_PX, Theme, real_font
from crisp_hornet.core.arrays import Array

TIME_STEPS_S = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 1800.0, 3600.0)
TICK_PX = 90


def round_step(wanted: float) -> float:
    """The least of 1, 2 and 5 times a power of ten that is not below ``wanted``."""
    power = 10.0 ** np.floor(np.log10(max(wanted, 1e-9)))
    return float(next((one * power for one in (1, 2, 5) if one * power >= wanted), 10 * power))


class TimeAxis(pg.AxisItem):  # type: ignore[misc]
    """Ticks as minutes and seconds."""

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        wanted = (maxVal - minVal) / max(size / TICK_PX, 1)
        return [(next((step for step in TIME_STEPS_S if step >= wanted), 3600.0), 0.0)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [clock(value) for value in values]


class WayAxis(pg.AxisItem):  # type: ignore[misc]
    """Ticks as lengths of way; ``unit_per_km`` and ``unit`` turn them into what is shown."""

    def __init__(self, unit: str, unit_per_km: float) -> None:
        super().__init__("bottom")
        self._unit, self._per_km = unit, unit_per_km

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        wanted = (maxVal - minVal) * self._per_km / max(size / TICK_PX, 1)
        return [(round_step(wanted) / self._per_km, 0.0)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [f"{value * self._per_km:.4g} {self._unit}" for value in values]


class SizeAxis(pg.AxisItem):  # type: ignore[misc]
    """As many round ticks as have room below each other."""

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        return [(round_step((maxVal - minVal) / max(size / (1.05 * px(QUIET_PX)), 1)), 0.0)]


def clock(seconds: float) -> str:
    """``6:32`` for 392 s."""
    whole = max(0, round(seconds))
    return (
        f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"
        if whole >= 3600
        else f"{whole // 60}:{whole % 60:02d}"
    )


LEAST_PX = 4  # less is a slip, no stretch that somebody wants to see


class TraceBox(pg.ViewBox):  # type: ignore[misc]
    """A view box that zooms in time only."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(enableMenu=False)
        self._tint = theme.color("text", 0.15)
        self._band: pg.LinearRegionItem | None = None

    def mouseDragEvent(self, event: Any, axis: int | None = None) -> None:
        shifted = event.button() == Qt.MouseButton.LeftButton and event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if not shifted and self._band is None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        start, now = (self.mapToView(place).x() for place in (event.buttonDownPos(), event.pos()))
        if event.isFinish():
            self._drop_band()
            if abs(event.pos().x() - event.buttonDownPos().x()) >= LEAST_PX:
                self.setXRange(min(start, now), max(start, now), padding=0)
            return
        if self._band is None:
            self._band = pg.LinearRegionItem(movable=False, brush=self._tint, pen=pg.mkPen(None))
            self.addItem(self._band, ignoreBounds=True)
        self._band.setRegion((min(start, now), max(start, now)))

    def _drop_band(self) -> None:
        if self._band is not None:
            self.removeItem(self._band)
            self._band = None


RIBBON_WORDS = ("battery", "throttle", "phase", "voltage", "heat", "power", "speed", "low voltage", "weakening", "rpm")
PATTERNS = (
    Qt.BrushStyle.SolidPattern,
    Qt.BrushStyle.BDiagPattern,
    Qt.BrushStyle.VerPattern,
    Qt.BrushStyle.DiagCrossPattern,
    Qt.BrushStyle.HorPattern,
    Qt.BrushStyle.FDiagPattern,
    Qt.BrushStyle.Dense6Pattern,
    Qt.BrushStyle.CrossPattern,
)  # what is too narrow for its word is told by its pattern


class Ribbon(pg.GraphicsObject):  # type: ignore[misc]
    """Between 0 and 1 of the plot's height."""

    def __init__(self, theme: Theme, x: Array, codes: Array, word: Callable[[float], str]) -> None:
        super().__init__()
        self._theme, self._word = theme, word
        known = np.nan_to_num(codes, nan=0.0)
        starts = np.concatenate(([0], np.flatnonzero(np.diff(known) != 0) + 1))
        self._from, self._codes = x[starts], known[starts]
        self._to = np.append(self._from[1:], x[-1])
        self._whole = QRectF(float(x[0]), 0.0, float(x[-1] - x[0]) or 1.0, 1.0)

    def boundingRect(self) -> QRectF:
        return self._whole

    def stretches(self, low: float, high: float) -> list[tuple[float, float, str]]:
        """(from, to, word) of what can be seen between two places."""
        first, last = np.searchsorted(self._to, low), np.searchsorted(self._from, high)
        rows = zip(self._from[first:last], self._to[first:last], self._codes[first:last], strict=True)
        return [(float(a), float(b), word) for a, b, code in rows if (word := self._word(float(code)))]

    def _pattern(self, word: str) -> Qt.BrushStyle:
        """Each kind has its own, the same on every ride."""
        return PATTERNS[RIBBON_WORDS.index(word) % len(PATTERNS)] if word in RIBBON_WORDS else PATTERNS[-1]

    def paint(
        self, painter: QPainter | None, option: QStyleOptionGraphicsItem | None, widget: QWidget | None = None
    ) -> None:
        assert painter is not None
        (low, high), view = self.getViewBox().viewRange()[0], self.getViewBox()
        pixel = (high - low) / max(view.width(), 1)
        transform = painter.transform()
        painter.resetTransform()
        painter.setFont(real_font(QUIET_PX))
        metrics = QFontMetricsF(painter.font())
        drawn_to = -np.inf
        for begin, end, word in self.stretches(low, high):
            if end - drawn_to < pixel:
                continue  # narrower than a pixel, beside one that was drawn
            drawn_to = end
            box = transform.mapRect(QRectF(max(begin, low), 0.0, min(end, high) - max(begin, low), 1.0))
            solid = (pattern := self._pattern(word)) is Qt.BrushStyle.SolidPattern
            painter.fillRect(box, self._theme.color("measured", 0.32 if solid else 0.1))
            if not solid:
                painter.fillRect(box, QBrush(self._theme.color("measured", 0.5), pattern))
            if box.width() > metrics.horizontalAdvance(tr(word)) + 6:
                wide = metrics.horizontalAdvance(tr(word)) + 6
                behind = QRectF(box.center().x() - wide / 2, box.center().y() - 8, wide, 16)
                painter.fillRect(behind, self._theme.color("sheet"))
                painter.setPen(self._theme.color("text"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, tr(word))
        painter.setTransform(transform)
