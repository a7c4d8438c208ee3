"""What differs, one row each, the difference that matters first."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.stations.verdict.laid_against import Against
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import button, clear, label, scrolled_rows
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.evidence.differences import Difference
from crisp_hornet.documents.units import Units

REACH = 0.3  # a difference of so much fills half the bar


class Reach(QWidget):
    """The interval of a difference about nothing, which is the stroke in the middle."""

    def __init__(self, theme: Theme, one: Difference, predicted: bool) -> None:
        super().__init__()
        self._theme, self._one, self._truth = theme, one, "controller" if predicted else "measured"
        self.setFixedHeight(12)

    def sizeHint(self) -> QSize:
        return QSize(160, 12)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, change = QPainter(self), self._theme, self._one.change
        middle, half = self.width() / 2, self.width() / 2 - 4
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.drawLine(QPointF(0, 6), QPointF(self.width(), 6))

        def x(share: float) -> float:
            return middle + half * min(max(share / REACH, -1.0), 1.0)

        left, right = x(change.low), x(change.high)
        painter.fillRect(
            QRectF(left, 3, max(right - left, 2.0), 6), theme.color(self._truth, 0.9 if self._one.shown else 0.35)
        )
        painter.setPen(QPen(theme.color("text"), 1.5))
        painter.drawLine(QPointF(middle, 0), QPointF(middle, 12))


class DifferencesView(QWidget):
    """``jump`` carries the moment (s) of the open ride that shows a difference."""

    jump = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName("what differs; up and down scroll")
        self._rows = scrolled_rows(self, 2, keys=True)

    def show_found(self, against: Against | None, units: Units) -> None:
        """Show what differs, or how to ask for it."""
        clear(self._rows)
        if against is None:
            words = "Choose above what the ride is laid against: its prediction along the way, another ride, or another tune."
            self._rows.addWidget(label(words, "quiet", wrap=True))
        elif not against.found:
            self._rows.addWidget(label("Nothing that differs can be told.", "quiet", wrap=True))
        else:
            for one in against.found:
                self._add(one, against.curve is not None, units)
        self._rows.addStretch(1)

    def _add(self, one: Difference, predicted: bool, units: Units) -> None:
        self._rows.addWidget(label(units.text(one.what), "quiet", wrap=True))
        strong = label(one.in_words, wrap=True)
        if one.shown:
            strong.setStyleSheet("font-weight: 600;")
        self._rows.addWidget(strong)
        if one.change.known:
            self._rows.addWidget(Reach(self.theme, one, predicted))
        self._rows.addWidget(label(f"{units.text(one.this)} against {units.text(one.other)}", "quiet", wrap=True))
        if one.at_s is not None:
            self._rows.addWidget(
                button(f"Show {clock(one.at_s)}", partial(self.jump.emit, one.at_s), "link", f"Show {one.what}")
            )
        self._rows.addSpacing(8)
