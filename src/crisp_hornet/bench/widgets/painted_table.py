"""A small table painted by hand: it changes with every step of a drag, and labels would lay the whole page out anew each time."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.documents.units import Units

ROW_PX, LEAST_GAP_PX, SIDE_PX = 19.0, 5.0, 8.0


class PaintedTable(QWidget):
    """Rows of cells under heads. A row of one cell is a quiet line across the table. The first column stands left, the others
    right."""

    def __init__(self, theme: Theme, title: str, heads: tuple[str, ...]) -> None:
        super().__init__()
        self.theme = theme
        self._title, self._heads = title, heads
        self._shown_heads = list(heads)
        self._rows: list[list[str]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        lines = len(self._rows) + 1 + bool(self._title)
        return real(320, int(lines * ROW_PX + 2 * SIDE_PX))

    def name_column(self, at: int, head: str) -> None:
        """Another head for a column; seen with the next rows."""
        self._heads = (*self._heads[:at], head, *self._heads[at + 1 :])

    def show_rows(self, rows: list[list[str]], units: Units) -> None:
        """Fill the table; words and figures are turned into the shown units."""
        turned = [[units.text(cell) for cell in row] for row in rows]
        heads = [units.text(head) for head in self._heads]
        if turned == self._rows and heads == self._shown_heads:
            return
        grown = len(turned) != len(self._rows)
        self._shown_heads = heads
        self._rows = turned
        self.setAccessibleName(tr(f"{self._title}: " + "; ".join(", ".join(row) for row in turned)))
        if grown:
            self.updateGeometry()
        self.update()

    def texts(self) -> list[str]:
        """All cells, row by row."""
        return [cell for row in self._rows for cell in row]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("sheet"))
        painter.setPen(self.theme.color("rule"))
        painter.drawRect(area(self).adjusted(0, 0, -1, -1))
        y = SIDE_PX + 14
        if self._title:
            painter.setFont(font(QUIET_PX, QFont.Weight.DemiBold))
            painter.setPen(self.theme.color("quiet"))
            painter.drawText(QPointF(SIDE_PX, y), tr(self._title))
            y += ROW_PX
        rights = self._rights()
        self._paint_cells(painter, self._shown_heads, rights, y, QUIET_PX, "quiet")
        for row in self._rows:
            y += ROW_PX
            if len(row) == 1:
                painter.setFont(font(QUIET_PX))
                painter.setPen(self.theme.color("quiet"))
                room = across(self) - 2 * SIDE_PX
                words = QFontMetricsF(painter.font()).elidedText(tr(row[0]), Qt.TextElideMode.ElideRight, room)
                painter.drawText(QPointF(SIDE_PX, y - 2), tr(words))
            else:
                self._paint_cells(painter, row, rights, y, TEXT_PX, "text")

    def _paint_cells(
        self, painter: QPainter, cells: list[str], rights: list[float], y: float, pixels: int, color: str
    ) -> None:
        painter.setFont(font(pixels))
        painter.setPen(self.theme.color(color))
        metrics = QFontMetricsF(painter.font())
        for at, (cell, right) in enumerate(zip(cells, rights, strict=False)):
            x = SIDE_PX if at == 0 else right - metrics.horizontalAdvance(tr(cell))
            painter.drawText(QPointF(x, y), tr(cell))

    def _rights(self) -> list[float]:
        """Where the columns end: each as wide as its widest cell, what is left spread evenly between them."""
        metrics, quiet = QFontMetricsF(font(TEXT_PX)), QFontMetricsF(font(QUIET_PX))
        full = [row for row in self._rows if len(row) > 1]
        wide = [
            max(
                [
                    quiet.horizontalAdvance(tr(head)),
                    *(metrics.horizontalAdvance(tr(row[at])) for row in full if at < len(row)),
                ]
            )
            for at, head in enumerate(self._shown_heads)
        ]
        gap = max((across(self) - 2 * SIDE_PX - sum(wide)) / max(len(wide) - 1, 1), LEAST_GAP_PX)
        rights, x = [], SIDE_PX
        for one in wide:
            x += one
            rights.append(x)
            x += gap
        return rights
