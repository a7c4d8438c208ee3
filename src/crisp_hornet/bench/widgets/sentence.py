"""A few wrapped lines of words with some of them strong, light enough to change with every step of a drag."""

from __future__ import annotations

import re
from collections.abc import Iterator

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPaintEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, painter_of, real
from crisp_hornet.bench.theme import TEXT_PX, Theme, font

LINE_PX = 19.0


class Sentence(QWidget):
    """Shows text in which ``<b>…</b>`` marks what counts; nothing else is markup."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._words: list[tuple[str, bool]] = []
        self._text = ""
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def sizeHint(self) -> QSize:
        return real(600, int(3.5 * LINE_PX))

    def text(self) -> str:
        """The words without their marks."""
        return re.sub("</?b>", "", self._text)

    def set_text(self, text: str) -> None:
        """Show another text."""
        if text == self._text:
            return
        self._text = text
        self._words, strong = [], False
        shown = tr(text)
        for part in re.split("(</?b>)", shown):
            if part in ("<b>", "</b>"):
                strong = part == "<b>"
            else:
                # a space ends a word; one that is missing joins two parts, as before a full stop
                self._words += [(word, strong) for word in re.findall(r"\S+\s*|\s+", part)]
        self.setAccessibleName(re.sub("</?b>", "", shown))
        self.update()

    def lines(self) -> int:
        """How many lines the words take."""
        return sum(1 for _ in self._laid())

    def _laid(self) -> Iterator[list[tuple[str, bool, float]]]:
        """The words line by line, each with where it begins."""
        line: list[tuple[str, bool, float]] = []
        x = 0.0
        for word, strong in self._words:
            metrics = QFontMetricsF(font(TEXT_PX, QFont.Weight.DemiBold) if strong else font(TEXT_PX))
            if x + metrics.horizontalAdvance(word.rstrip()) > across(self) and line:
                yield line
                line, x = [], 0.0
            line.append((word, strong, x))
            x += metrics.horizontalAdvance(word)
        if line:
            yield line

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("ground"))
        painter.setPen(self.theme.color("text"))
        for number, line in enumerate(self._laid()):
            for word, strong, x in line:
                painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold) if strong else font(TEXT_PX))
                painter.drawText(QPointF(x, 15.0 + number * LINE_PX), word)
