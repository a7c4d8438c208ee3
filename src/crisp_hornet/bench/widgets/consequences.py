"""What the draft means on the road, and what runs now: a row of cards."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import width_of
from crisp_hornet.bench.desk.prediction import in_units
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, painter_of, real
from crisp_hornet.bench.theme import CONSEQUENCE_PX, QUIET_PX, Theme, font
from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.documents.units import Units

HEIGHT, LOW = 80, 56  # of a card in one row, and in each of two
GAP = 7.0
LEAST_WIDE = 101.0


class Consequences(QWidget):
    """A card per figure."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.drafted: list[Consequence] = []
        self.now: list[Consequence] = []
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._rows = 1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return real(660, HEIGHT if self._rows == 1 else 2 * LOW)

    def minimumSizeHint(self) -> QSize:
        return real(3 * LEAST_WIDE, HEIGHT if self._rows == 1 else 2 * LOW)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._share()

    def _share(self) -> None:
        """Two lower rows where six cards beside each other would be too narrow for their words."""
        count = len(self.drafted)
        rows = 2 if count > 3 and (across(self) - GAP * (count - 1)) / count < LEAST_WIDE else 1
        if rows != self._rows:
            self._rows = rows
            self.updateGeometry()

    def show_figures(self, drafted: list[Consequence], now: list[Consequence], units: Units) -> None:
        """Show the figures of draft and controller; either may be empty."""
        drafted, now = [in_units(one, units) for one in drafted], [in_units(one, units) for one in now]
        self.drafted, self.now = drafted, now
        self._share()
        self.setAccessibleName(
            tr(
                "; ".join(
                    f"{one.label} {one.text} {one.unit}" + (f", now {now[index].text}" if now else "")
                    for index, one in enumerate(drafted)
                )
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("ground"))
        if not self.drafted:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        columns = math.ceil(len(self.drafted) / self._rows)
        wide, high = (across(self) - GAP * (columns - 1)) / columns, HEIGHT if self._rows == 1 else LOW
        for index, one in enumerate(self.drafted):
            now = self.now[index] if index < len(self.now) else None
            row, column = divmod(index, columns)
            self._paint_card(painter, QRectF(column * (wide + GAP), row * high, wide, high - 4), one, now)

    def _paint_card(self, painter: QPainter, box: QRectF, consequence: Consequence, now: Consequence | None) -> None:
        theme, low = self.theme, self._rows > 1
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.setBrush(theme.color("sheet"))
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        x, top = box.left() + 6, box.top()
        base = top + (42 if low else 48)
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            QPointF(x, top + (16 if low else 19)),
            QFontMetricsF(painter.font()).elidedText(
                tr(consequence.label), Qt.TextElideMode.ElideRight, box.width() - 9
            ),
        )
        painter.setFont(font(CONSEQUENCE_PX if consequence.text[0].isdigit() else 17, QFont.Weight.DemiBold))
        painter.setPen(theme.color("text"))
        painter.drawText(QPointF(x, base), tr(consequence.text))
        end = x + width_of(painter, consequence.text) + 4
        painter.setFont(font(QUIET_PX))
        if consequence.text[0].isdigit():
            painter.setPen(theme.color("quiet"))
            painter.drawText(QPointF(end, base), tr(consequence.unit))
        if now is not None:
            painter.setPen(theme.color("controller"))
            told = f"now {now.text}" if now.text != consequence.text else "no change"
            left = box.right() - 6 - width_of(painter, told) if low else x
            painter.drawText(QPointF(left, base if low else top + 68), tr(told))
