"""A few wrapped lines of words with some of them strong, light enough to change with every step of a drag."""

from __future__ import annotations

import re

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPaintEvent
from PyQt6.QtWidgets import QWidget

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
        for part in re.split("(</?b>)", text):
            if part in ("<b>", "</b>"):
                strong = part == "<b>"
            else:
                # a space ends a word; one that is missing joins two parts, as before a full stop
                self._words += [(word, strong) for word in re.findall(r"\S+\s*|\s+", part)]
        self.setAccessibleName(self.text())
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("ground"))
        painter.setPen(self.theme.color("text"))
        fonts = {True: font(TEXT_PX, QFont.Weight.DemiBold), False: font(TEXT_PX)}
        metrics = {strong: QFontMetricsF(one) for strong, one in fonts.items()}
        x, y, current = 0.0, 15.0, None
        for word, strong in self._words:
            if x + metrics[strong].horizontalAdvance(word.rstrip()) > across(self) and x > 0:
                x, y = 0.0, y + LINE_PX
            if strong is not current:
                painter.setFont(fonts[strong])
                current = strong
            painter.drawText(QPointF(x, y), word)
            x += metrics[strong].horizontalAdvance(word)
