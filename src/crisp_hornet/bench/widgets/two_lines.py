"""Quiet words of which two lines are shown, and the rest on demand."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, label

LINES, LEAST_PX = 2, 150


class TwoLines(QWidget):
    """``text`` in a label; where it has more than two lines the rest waits behind ``more``, a button that its owner lays out."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.text = text
        self._open = False
        self._words = label(text, "quiet", wrap=True)
        self.more = button("More", self._switch, "place", f"More: {text}")
        self.more.hide()
        column = column_of(self, margins=0, spacing=0)
        column.addWidget(self._words)

    def _switch(self) -> None:
        self._open = not self._open
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.width() >= LEAST_PX:  # narrower it only is until it is laid out
            self._fit()

    def _fit(self) -> None:
        metrics = self._words.fontMetrics()
        whole = tr(self.text)
        cut = first_lines(whole, metrics, self.width(), LINES)
        long = cut != whole
        self._words.setText(whole if self._open or not long else cut)
        self.more.setVisible(long)
        self.more.setText("Less" if self._open else "More")


def first_lines(text: str, metrics: QFontMetrics, width_px: int, lines: int) -> str:
    """What of a text fits into so many lines, with … for the rest; the text itself where all of it does."""

    def fits(words: str) -> bool:
        box = metrics.boundingRect(0, 0, width_px, 10_000, int(Qt.TextFlag.TextWordWrap), tr(words))
        return box.height() <= lines * metrics.lineSpacing()

    if fits(text):
        return text
    parts = text.split(" ")
    least, most = 1, len(parts)
    while most - least > 1:
        middle = (least + most) // 2
        least, most = (middle, most) if fits(" ".join(parts[:middle]) + " …") else (least, middle)
    return " ".join(parts[:least]) + " …"
