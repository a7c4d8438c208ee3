"""How long a ride was at each size of a channel."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.paint import right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, down, fix, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.arrays import Array

MOST_KINDS, WORD_PX, TIME_PX = 5, 84, 44


class TimeAt(QWidget):
    """Bars: how long the ride was at each size of a channel."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._edges = self._seconds = np.zeros(0)
        self._unit = ""
        self._kinds: list[tuple[str, float]] = []
        fix(self, high=100)

    def sizeHint(self) -> QSize:
        return real(280, 100)

    def show_bars(self, edges: Array, seconds: Array, unit: str) -> None:
        """Show other bars."""
        self._edges, self._seconds, self._unit, self._kinds = edges, seconds, unit, []
        if seconds.size:
            most = int(np.argmax(seconds))
            self.setAccessibleName(
                tr(
                    f"histogram: most at {edges[most]:.4g} to {edges[most + 1]:.4g} {unit}, {clock(float(seconds[most]))}"
                )
            )
        self.update()

    def show_kinds(self, kinds: list[tuple[str, float]]) -> None:
        """Show how long (s) each of a few kinds held, by its word."""
        self._kinds, self._unit = kinds[:MOST_KINDS], ""
        self.setAccessibleName(tr("histogram: " + ", ".join(f"{word} {clock(seconds)}" for word, seconds in kinds)))
        self.update()

    def _paint_kinds(self, painter: QPainter) -> None:
        high, most = down(self) / MOST_KINDS, max(seconds for _, seconds in self._kinds) or 1.0
        painter.setFont(font(QUIET_PX))
        for at, (word, seconds) in enumerate(self._kinds):
            bar = QRectF(WORD_PX, at * high + 3, (across(self) - WORD_PX - TIME_PX) * seconds / most, high - 6)
            painter.fillRect(bar, self.theme.color("measured"))
            painter.setPen(self.theme.color("quiet"))
            painter.drawText(QPointF(2, (at + 1) * high - 5), tr(word))
            painter.drawText(QPointF(bar.right() + 4, (at + 1) * high - 5), tr(clock(seconds)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("sheet"))
        if self._kinds:
            self._paint_kinds(painter)
            return
        if not self._seconds.size:
            return
        wide, high = across(self) / len(self._seconds), down(self) - 34.0
        most = float(self._seconds.max()) or 1.0
        for at, seconds in enumerate(self._seconds.tolist()):
            bar = high * seconds / most
            painter.fillRect(QRectF(at * wide + 1, 14 + high - bar, wide - 2, bar), self.theme.color("measured"))
        painter.setFont(font(QUIET_PX))
        painter.setPen(self.theme.color("quiet"))
        painter.drawText(QPointF(2, 12), tr(f"at most {clock(most)}"))
        texts = (f"{self._edges[0]:.3g}", f"{self._edges[-1]:.4g} {self._unit}")
        painter.drawText(QPointF(2, down(self) - 5), tr(texts[0]))
        right_text(painter, across(self) - 2, down(self) - 5, texts[1])
