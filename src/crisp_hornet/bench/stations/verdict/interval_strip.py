"""An estimate as a strip: its interval, the document's figure, and what earlier rides said."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.scale import across, fix, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.evidence.estimate import Estimate

HIGH, MIDDLE, MOST_EARLIER = 30, 11.0, 4


class IntervalStrip(QWidget):
    """On a scale of its own: the interval a band with a cross, the document's figure a stroke, earlier rides thin lines below."""

    def __init__(
        self, theme: Theme, estimate: Estimate, told: float | None, earlier: Sequence[tuple[float, float]] = ()
    ) -> None:
        super().__init__()
        self._theme, self._one, self._told = theme, estimate, told
        self._earlier = list(earlier)[-MOST_EARLIER:]
        fix(self, high=HIGH)
        self.setMinimumWidth(120)

    def sizeHint(self) -> QSize:
        return real(220, HIGH)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        one, told, theme = self._one, self._told, self._theme
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = [
            one.low,
            one.high,
            *([told] if told is not None else []),
            *(end for ends in self._earlier for end in ends),
        ]
        low, high = min(places), max(places)
        room = (high - low) or abs(high) or 1.0
        low, high = low - 0.15 * room, high + 0.15 * room

        def x(value: float) -> float:
            return 6 + (value - low) / (high - low) * (across(self) - 12)

        painter.setPen(QPen(theme.color("rule"), 2))
        painter.drawLine(QPointF(0, MIDDLE), QPointF(across(self), MIDDLE))
        band = QRectF(x(one.low), MIDDLE - 5, max(x(one.high) - x(one.low), 1.5), 10)
        painter.fillRect(band, theme.color("measured", 0.45))
        paint_truth(painter, theme, "measured", QPointF(x(one.value), MIDDLE), 5)
        if told is not None:
            painter.setPen(QPen(theme.color("text"), 2.5))
            painter.drawLine(QPointF(x(told), MIDDLE - 8), QPointF(x(told), MIDDLE + 8))
        painter.setPen(QPen(theme.color("measured", 0.7), 1.5))
        for at, (least, most) in enumerate(reversed(self._earlier)):
            down = MIDDLE + 9 + 3 * at
            painter.drawLine(QPointF(x(least), down), QPointF(max(x(most), x(least) + 1), down))


class StripLegend(QWidget):
    """What stroke, cross and thin lines are."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setAccessibleName(
            tr("stroke: set on Build; cross: this ride, with its 95 % interval; thin lines: earlier rides")
        )
        fix(self, high=18)

    def sizeHint(self) -> QSize:
        return real(320, 18)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = painter_of(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(QUIET_PX))
        at = 6.0
        for mark, words in (("stroke", "set on Build"), ("cross", "this ride"), ("line", "earlier rides")):
            if mark == "cross":
                paint_truth(painter, theme, "measured", QPointF(at, 9), 4)
                at += 12
            elif mark == "stroke":
                painter.setPen(QPen(theme.color("text"), 2.5))
                painter.drawLine(QPointF(at, 2), QPointF(at, 16))
                at += 10
            else:
                painter.setPen(QPen(theme.color("measured", 0.7), 1.5))
                painter.drawLine(QPointF(at, 9), QPointF(at + 22, 9))
                at += 30
            painter.setPen(theme.color("quiet"))
            painter.drawText(QPointF(at, 13), tr(words))
            at += painter.fontMetrics().horizontalAdvance(tr(words)) + 22
