"""One figure of the bike as a row that can be chosen."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy

from crisp_hornet.bench.stations.build.figures import Figure
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font

HEIGHT = 28
SOURCE_WIDTH = 66.0


class FigureRow(QAbstractButton):
    """Label, value, source; pressing it opens its entry."""

    def __init__(self, figure: Figure, source: str, theme: Theme) -> None:
        super().__init__()
        self.figure, self.source, self.theme = figure, source, theme
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{figure.label} {figure.text}" + (f", {source}" if source else ""))

    def sizeHint(self) -> QSize:
        return QSize(290, HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, base = self.theme, HEIGHT / 2 + 5
        if self.isChecked() or self.hasFocus() or self.underMouse():
            painter.setPen(QPen(theme.color("text" if self.hasFocus() else "rule"), 2 if self.hasFocus() else 1))
            painter.setBrush(theme.color("sheet"))
            painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, HEIGHT - 2), 3, 3)
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(6, base), self.figure.label)
        painter.drawText(QPointF(self.width() - SOURCE_WIDTH, base), self.source)
        painter.setFont(font(TEXT_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("text"))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(self.figure.text)
        painter.drawText(QPointF(self.width() - SOURCE_WIDTH - 10 - wide, base), self.figure.text)
