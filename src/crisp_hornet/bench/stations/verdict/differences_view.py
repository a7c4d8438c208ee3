"""What differs, one row each, the difference that matters first."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, fix, painter_of, real
from crisp_hornet.bench.stations.verdict.laid_against import Against
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.evidence.differences import Difference
from crisp_hornet.documents.units import Units

HOW = (
    "Here stands what differs, with its 95 % interval, the one that matters first. Choose above what to compare the ride with: its own "
    "prediction along the route, another ride, or another tune."
)
REACH = 0.3  # a difference of so much fills half the bar


class Reach(QWidget):
    """The interval of a difference about nothing, which is the stroke in the middle."""

    def __init__(self, theme: Theme, difference: Difference, predicted: bool) -> None:
        super().__init__()
        self._theme, self._one, self._truth = theme, difference, "controller" if predicted else "measured"
        fix(self, high=12)

    def sizeHint(self) -> QSize:
        return real(160, 12)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, change = painter_of(self), self._theme, self._one.change
        middle, half = across(self) / 2, across(self) / 2 - 4
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.drawLine(QPointF(0, 6), QPointF(across(self), 6))

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
        inside = QWidget()
        self._grid = QGridLayout(inside)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(6)
        scroll = column_scroll(inside)
        scroll.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        scroll.setAccessibleName(tr("what differs; up and down scroll"))
        column_of(self, margins=0).addWidget(scroll)

    def show_found(self, against: Against | None, units: Units) -> None:
        """Show what differs, or how to ask for it."""
        clear(self._grid)
        if against is None:
            self._grid.addWidget(label(HOW, wrap=True), 0, 0, 1, 5)
        elif not against.found:
            self._grid.addWidget(label("No difference can be determined.", wrap=True), 0, 0, 1, 5)
        else:
            for at, head in enumerate(("", "difference", "95 %", "this ride against the other", "")):
                self._grid.addWidget(label(head, "quiet"), 0, at)
            for row, one in enumerate(against.found, 1):
                self._add(row, one, against.curve is not None, units)
        self._grid.setColumnStretch(3, 1)
        self._grid.setRowStretch(self._grid.rowCount(), 1)

    def _add(self, row: int, difference: Difference, predicted: bool, units: Units) -> None:
        strong = label(difference.in_words, wrap=True)
        strong.setMinimumWidth(180)
        if difference.shown:
            strong.setStyleSheet("font-weight: 600;")
        what = label(units.text(difference.what), "quiet", wrap=True)
        what.setMinimumWidth(170)
        self._grid.addWidget(what, row, 0)
        self._grid.addWidget(strong, row, 1)
        if difference.change.known:
            self._grid.addWidget(Reach(self.theme, difference, predicted), row, 2)
        words = f"{units.text(difference.this)} against {units.text(difference.other)}"
        self._grid.addWidget(label(words, "quiet", wrap=True), row, 3)
        if difference.at_s is not None:
            place = button(
                f"{clock(difference.at_s)} ›",
                partial(self.jump.emit, difference.at_s),
                "place",
                f"Show {difference.what}",
            )
            self._grid.addWidget(place, row, 4)
