"""Which line is which truth, in a row."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth, truth_pen
from crisp_hornet.bench.scale import fix, painter_of
from crisp_hornet.bench.theme import QUIET_PX, Theme, font


class TruthLegend(QWidget):
    """Which line is which truth."""

    def __init__(self, theme: Theme, words: dict[str, str]) -> None:
        super().__init__()
        self.theme, self.words = theme, words
        fix(self, high=20)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(QUIET_PX, QFont.Weight.Medium))
        metrics = QFontMetricsF(painter.font())
        x = 0.0
        for truth, text in self.words.items():
            if truth == "measured":
                paint_truth(painter, self.theme, truth, QPointF(x + 8, 10), 5)
                x += 22
            else:
                painter.setPen(truth_pen(self.theme, truth))
                painter.drawLine(QPointF(x, 10), QPointF(x + 32, 10))
                paint_truth(painter, self.theme, truth, QPointF(x + 16, 10), 4.5)
                x += 40
            painter.setPen(self.theme.color("text"))
            painter.drawText(QPointF(x, 15), tr(text))
            x += metrics.horizontalAdvance(tr(text)) + 22
