"""A bolt head by itself: how far something is, by its shape."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import BoltState, paint_bolt
from crisp_hornet.bench.scale import across, down, fix, painter_of
from crisp_hornet.bench.theme import Theme

SIDE = 26


class Bolt(QWidget):
    """Its name is the state in words."""

    def __init__(self, state: BoltState, theme: Theme) -> None:
        super().__init__()
        self.state, self.theme = state, theme
        self.setAccessibleName(tr(state.value))
        fix(self, wide=SIDE, high=SIDE)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_bolt(painter, self.theme, self.state, QPointF(across(self) / 2, down(self) / 2))
