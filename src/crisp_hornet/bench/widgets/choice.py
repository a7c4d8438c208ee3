"""Check boxes and radio buttons large enough for dirty hands, that show their state by shape."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QCheckBox, QRadioButton

from crisp_hornet.bench.keys import step_in_group
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_check
from crisp_hornet.bench.scale import across, down, painter_of, real
from crisp_hornet.bench.theme import TEXT_PX, Theme, font

BOX = 24.0
HEIGHT = 44


class Confirm(QCheckBox):
    """A box to tick; its words stand in a label beside it."""

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName(tr(name))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return real(HEIGHT, HEIGHT)

    def hitButton(self, pos: object) -> bool:
        return True

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not step_in_group(self, event.key()):
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = down(self) / 2
        _focus(painter, self, self.theme)
        painter.setPen(QPen(self.theme.color("text" if self.isChecked() else "quiet"), 2))
        painter.setBrush(self.theme.color("sheet"))
        painter.drawRoundedRect(QRectF(8, middle - BOX / 2, BOX, BOX), 3, 3)
        if self.isChecked():
            paint_check(painter, self.theme.color("text"), QPointF(8 + BOX / 2, middle), 8)


class Choice(QRadioButton):
    """One of several, words included."""

    def __init__(self, theme: Theme, text: str) -> None:
        super().__init__(text)
        self.theme = theme
        self.setAccessibleName(tr(text))
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return real(int(QFontMetricsF(font(TEXT_PX)).horizontalAdvance(tr(self.text()))) + 56, HEIGHT)

    def hitButton(self, pos: object) -> bool:
        return True

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        at = QPointF(8 + BOX / 2, down(self) / 2)
        _focus(painter, self, self.theme)
        painter.setPen(QPen(self.theme.color("text" if self.isChecked() else "quiet"), 2))
        painter.setBrush(self.theme.color("sheet"))
        painter.drawEllipse(at, BOX / 2 - 1, BOX / 2 - 1)
        if self.isChecked():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.theme.color("text"))
            painter.drawEllipse(at, BOX / 4, BOX / 4)
        painter.setPen(self.theme.color("text"))
        painter.setFont(font(TEXT_PX))
        painter.drawText(QPointF(46, at.y() + 5), tr(self.text()))


def _focus(painter: QPainter, widget: QAbstractButton, theme: Theme) -> None:
    if widget.hasFocus():
        painter.setPen(QPen(theme.color("text"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(1, 1, across(widget) - 2, down(widget) - 2), 3, 3)
