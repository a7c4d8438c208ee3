"""The chain of limits drawn as a chain: a link per device, the one in charge filled, what is effective at its end."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import centred_text, right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, painter_of, real
from crisp_hornet.bench.theme import BUTTON_PX, QUIET_PX, TEXT_PX, Theme, font

ROW_PX, LINK_PX, NAME_PX, END_PX, GAP_PX = 56.0, 28.0, 108.0, 84.0, 12.0
NAME_ABOVE_PX = 18.0


@dataclass(frozen=True)
class ChainRow:
    """One quantity: its links as (name, value), which of them is in charge (None: nobody limits), and what comes out."""

    name: str
    links: tuple[tuple[str, str], ...]
    in_charge: int | None
    effective: str


class ChainPicture(QWidget):
    """A row a quantity."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: list[ChainRow] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return real(600, int(ROW_PX * max(len(self.rows), 1)))

    def show_rows(self, rows: list[ChainRow]) -> None:
        """Draw these."""
        self.rows = rows
        said = (
            f"{row.name}: {', '.join(' '.join(link) for link in row.links) or 'no device limits it'}; effective {row.effective}"
            for row in rows
        )
        self.setAccessibleName(tr("; ".join(said)))
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for at, row in enumerate(self.rows):
            self._paint_row(painter, row, at * ROW_PX + NAME_ABOVE_PX + LINK_PX / 2)

    def _paint_row(self, painter: QPainter, row: ChainRow, middle: float) -> None:
        theme, end = self.theme, across(self) - END_PX
        painter.setFont(font(TEXT_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("text"))
        painter.drawText(QPointF(0, middle + 5), tr(row.name))
        painter.setPen(QPen(theme.color("quiet"), 2))
        painter.drawLine(QPointF(NAME_PX, middle), QPointF(end, middle))
        count = max(len(row.links), 1)
        wide = min((end - NAME_PX - GAP_PX * (count + 1)) / count, 150.0)
        for at, link in enumerate(row.links):
            box = QRectF(NAME_PX + GAP_PX + at * (wide + GAP_PX), middle - LINK_PX / 2, wide, LINK_PX)
            self._paint_link(painter, box, link, at == row.in_charge)
        painter.setFont(font(BUTTON_PX, QFont.Weight.DemiBold))
        painter.setPen(theme.color("text"))
        right_text(painter, across(self), middle + 6, row.effective)

    def _paint_link(self, painter: QPainter, box: QRectF, link: tuple[str, str], in_charge: bool) -> None:
        theme, (name, value) = self.theme, link
        painter.setPen(QPen(theme.color("text" if in_charge else "quiet"), 1.6))
        painter.setBrush(theme.color("ink" if in_charge else "sheet"))
        painter.drawRoundedRect(box, LINK_PX / 2, LINK_PX / 2)
        painter.setPen(theme.color("on_ink" if in_charge else "text"))
        painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
        centred_text(painter, box.center().x(), box.center().y() + 5, value)
        painter.setFont(font(QUIET_PX, QFont.Weight.DemiBold if in_charge else QFont.Weight.Normal))
        painter.setPen(theme.color("text" if in_charge else "quiet"))
        words = painter.fontMetrics().elidedText(tr(name), Qt.TextElideMode.ElideRight, int(box.width()) + 8)
        centred_text(painter, box.center().x(), box.top() - 5, words)
