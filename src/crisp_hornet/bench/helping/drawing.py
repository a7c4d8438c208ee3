"""A drawing of the help, in the colours of the theme."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QRectF, QSize
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, down, fix, painter_of, real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.help import TOKENS, drawing, drawing_words

WIDE, HIGH = 320, 150


class Drawing(QWidget):
    """Its words are for those who cannot see it."""

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self._name, self.theme = name, theme
        fix(self, high=HIGH)
        self.setAccessibleName(tr(drawing_words(name)))

    def sizeHint(self) -> QSize:
        return real(WIDE, HIGH)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        colours = {token: self.theme.color(what).name() for token, what in TOKENS.items()}
        renderer = QSvgRenderer(QByteArray(drawing(self._name, colours).encode()))
        wide = min(across(self), down(self) * WIDE / HIGH)
        renderer.render(painter_of(self), QRectF(0, 0, wide, wide * HIGH / WIDE))
