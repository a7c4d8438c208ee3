"""The watch list: open warnings, each with its reason and a way to mend it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_severity
from crisp_hornet.bench.scale import fix, painter_of, real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, sheet
from crisp_hornet.bench.widgets.two_lines import TwoLines
from crisp_hornet.core.rules import Strength, Warning_
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.units import Units


class SeverityMark(QWidget):
    """A severity's shape."""

    def __init__(self, severity: str, theme: Theme) -> None:
        super().__init__()
        self._severity, self.theme = severity, theme
        fix(self, 22, 22)
        self.setAccessibleName(tr(severity))

    def sizeHint(self) -> QSize:
        return real(22, 22)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_severity(painter, self.theme, self._severity, QPointF(11, 11), 8)


def card(theme: Theme, severity: str, text: str, reason: str, *below: QWidget, about: str = "") -> QFrame:
    """A card with a severity's shape, one strong line, the reason in two lines with the rest on demand, words, and acts in a row.
    ``about``: the path of what F1 explains there."""
    strong = label(text, wrap=True)
    strong.setStyleSheet("font-weight: 600;")
    column = column_of(spacing=3)
    column.addWidget(strong)
    places = row_of(spacing=6)  # what is short shares a row; an act that says what it does has its own
    if reason:
        words = TwoLines(reason)
        column.addWidget(words)
        places.addWidget(words.more)
    column.addLayout(places)
    for one in below:
        if not isinstance(one, QPushButton):  # words take the whole width, or they would be cut
            column.addWidget(one)
        elif one.property("role") == "place":
            places.addWidget(one)
        else:
            column.addWidget(one, alignment=Qt.AlignmentFlag.AlignLeft)
    places.addStretch(1)
    made = sheet(margin=10)
    row = row_of(spacing=8)
    row.addWidget(SeverityMark(severity, theme), alignment=Qt.AlignmentFlag.AlignTop)
    row.addLayout(column, 1)
    layout = made.layout()
    assert isinstance(layout, QVBoxLayout)
    layout.addLayout(row)
    made.setAccessibleName(tr(f"{severity}: {text}"))
    made.setProperty("help", about)
    return made


def summary(warnings: list[Warning_]) -> str:
    """``1 stop, 2 warnings`` in words."""
    words = {Strength.STOP: "stop", Strength.WARN: "warning", Strength.NOTE: "note"}
    counts = [(sum(warning.strength is strength for warning in warnings), word) for strength, word in words.items()]
    return ", ".join(counted(number, word) for number, word in counts if number) or "nothing open"


class WatchLine(QWidget):
    """The watch list as one line: its counts, and a button to open it."""

    opened = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._counts = label("", "quiet")
        row = row_of(self, margins=0, spacing=10)
        row.addWidget(label("WATCH LIST", "caps"))
        row.addWidget(self._counts)
        row.addWidget(button("Show", self.opened.emit, "small", "Show the watch list"))

    def show_counts(self, words: str) -> None:
        """How many there are of each strength."""
        self._counts.setText(words)


class WatchList(QWidget):
    """The right column's list. ``mend`` asks for a warning's change to be drafted, ``show_me`` for its cause; ``closed``: one line is
    enough."""

    mend = pyqtSignal(object)
    show_me = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._warnings: list[Warning_] | None = None
        self._summary = label("", "quiet")
        head = row_of(spacing=10)
        head.addWidget(label("WATCH LIST", "caps"))
        head.addWidget(self._summary)
        head.addStretch(1)
        head.addWidget(button("Hide", self.closed.emit, "small", "Hide the watch list"))
        inside = QWidget()
        self._cards = column_of(inside, margins=(0, 0, 4, 0), spacing=8)
        column = column_of(self, margins=0)
        column.addLayout(head)
        column.addWidget(column_scroll(inside), 1)

    def show_warnings(self, warnings: list[Warning_], empty: str = "Nothing to watch in this draft.") -> None:
        """List warnings; does nothing if they are the ones already shown."""
        if warnings == self._warnings:
            return
        self._warnings = list(warnings)
        self._summary.setText(summary(warnings))
        clear(self._cards)
        for warning in warnings:
            self._cards.addWidget(
                card(
                    self.theme,
                    warning.strength.value,
                    warning.text,
                    warning.reason,
                    *self._links(warning),
                    about=warning.setting or "",
                )
            )
        if not warnings:
            note: QLabel = label(empty, "quiet", wrap=True)
            self._cards.addWidget(note)
        self._cards.addStretch(1)

    def _links(self, warning: Warning_) -> list[QWidget]:
        if warning.setting is None:
            return [label(warning.mend, "quiet", wrap=True)]
        if warning.mended_value is None:
            return [
                label(warning.mend, "quiet", wrap=True),
                self._link("Show the setting", lambda: self.show_me.emit(warning), warning),
            ]
        return [self._link(warning.mend, lambda: self.mend.emit(warning), warning)]

    def _link(self, text: str, act: Callable[[], object], warning: Warning_) -> QWidget:
        return button(text, act, "small", f"{text}: {warning.id}")


def in_units(warning: Warning_, units: Units) -> Warning_:
    """A warning with its sentences in the shown units."""
    if units.metric:
        return warning
    return replace(
        warning, text=units.text(warning.text), reason=units.text(warning.reason), mend=units.text(warning.mend)
    )
