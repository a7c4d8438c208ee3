"""What the draft means on the road, and what runs now: a row of cards."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import width_of
from crisp_hornet.bench.desk.prediction import in_units
from crisp_hornet.bench.scale import across, area, painter_of, px, real, scale_now
from crisp_hornet.bench.theme import CONSEQUENCE_PX, QUIET_PX, Theme, font
from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.documents.units import Units

HEIGHT = 80
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
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)

    def sizeHint(self) -> QSize:
        return real(660, HEIGHT)

    def minimumSizeHint(self) -> QSize:
        return real(3 * LEAST_WIDE, HEIGHT)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return px(HEIGHT * self._rows(width / scale_now()))

    def _rows(self, wide: float) -> int:
        """Two rows where six cards beside each other would be too narrow for their words."""
        count = len(self.drafted)
        return 2 if count > 3 and (wide - GAP * (count - 1)) / count < LEAST_WIDE else 1

    def show_figures(self, drafted: list[Consequence], now: list[Consequence], units: Units) -> None:
        """Show the figures of draft and controller; either may be empty."""
        drafted, now = [in_units(one, units) for one in drafted], [in_units(one, units) for one in now]
        if len(drafted) != len(self.drafted):
            self.updateGeometry()
        self.drafted, self.now = drafted, now
        self.setAccessibleName(
            "; ".join(
                f"{one.label} {one.text} {one.unit}" + (f", now {now[index].text}" if now else "")
                for index, one in enumerate(drafted)
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("ground"))
        if not self.drafted:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        columns = math.ceil(len(self.drafted) / self._rows(across(self)))
        wide = (across(self) - GAP * (columns - 1)) / columns
        for index, one in enumerate(self.drafted):
            now = self.now[index] if index < len(self.now) else None
            row, column = divmod(index, columns)
            self._paint_card(painter, QRectF(column * (wide + GAP), row * HEIGHT, wide, HEIGHT - 4), one, now)

    def _paint_card(self, painter: QPainter, box: QRectF, one: Consequence, now: Consequence | None) -> None:
        theme = self.theme
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.setBrush(theme.color("sheet"))
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        x = box.left() + 6
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            QPointF(x, 19),
            QFontMetricsF(painter.font()).elidedText(one.label, Qt.TextElideMode.ElideRight, box.width() - 9),
        )
        painter.setFont(font(CONSEQUENCE_PX if one.text[0].isdigit() else 17, QFont.Weight.DemiBold))
        painter.setPen(theme.color("text"))
        painter.drawText(QPointF(x, 48), one.text)
        end = x + width_of(painter, one.text) + 4
        painter.setFont(font(QUIET_PX))
        if one.text[0].isdigit():
            painter.setPen(theme.color("quiet"))
            painter.drawText(QPointF(end, 48), one.unit)
        if now is not None:
            painter.setPen(theme.color("controller"))
            painter.drawText(QPointF(x, 68), f"now {now.text}" if now.text != one.text else "no change")
