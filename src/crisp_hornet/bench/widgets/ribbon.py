"""A channel of kinds instead of sizes, as a band: each stretch of one kind in its own tint, with its word where there is room."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter
from PyQt6.QtWidgets import QStyleOptionGraphicsItem, QWidget

from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array

TINTS = 5


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

    def paint(
        self, painter: QPainter | None, option: QStyleOptionGraphicsItem | None, widget: QWidget | None = None
    ) -> None:
        assert painter is not None
        (low, high), view = self.getViewBox().viewRange()[0], self.getViewBox()
        pixel = (high - low) / max(view.width(), 1)
        transform = painter.transform()
        painter.resetTransform()
        painter.setFont(font(QUIET_PX))
        metrics = QFontMetricsF(painter.font())
        drawn_to = -np.inf
        for begin, end, word in self.stretches(low, high):
            if end - drawn_to < pixel:
                continue  # narrower than a pixel, beside one that was drawn
            drawn_to = end
            box = transform.mapRect(QRectF(max(begin, low), 0.0, min(end, high) - max(begin, low), 1.0))
            tint = 0.18 + 0.55 * (sum(word.encode()) % TINTS) / (TINTS - 1) * 0.5
            painter.fillRect(box, self._theme.color("measured", tint))
            if box.width() > metrics.horizontalAdvance(word) + 6:
                painter.setPen(self._theme.color("text"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, word)
        painter.setTransform(transform)
