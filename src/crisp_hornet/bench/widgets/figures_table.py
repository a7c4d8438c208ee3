"""The figures that a chart draws, as a table that can be read by whoever cannot see the chart, and copied."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QDialog, QTableWidget, QTableWidgetItem, QWidget

from crisp_hornet.bench.charts.drawn import Figures, HasFigures
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import real
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button


def chart_of(focused: QWidget | None, page: QWidget) -> HasFigures | None:
    """The chart that has the focus, else the largest that is in view."""
    one = focused
    while one is not None:
        if isinstance(one, HasFigures):
            return one
        one = one.parentWidget()
    seen = [child for child in page.findChildren(QWidget) if isinstance(child, HasFigures) and child.isVisible()]
    return max(seen, key=lambda child: child.width() * child.height(), default=None)


class FiguresTable(QDialog):
    """Ctrl+C copies what is chosen, or all of it; Esc closes."""

    def __init__(self, figures: Figures, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Figures of the chart"))
        self.setObjectName("ground")
        self.resize(real(620, 460))
        self.table = QTableWidget(len(figures.rows), len(figures.heads))
        self.table.setAccessibleName(tr(title))
        self.table.setHorizontalHeaderLabels(figures.heads)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        for at, row in enumerate(figures.rows):
            for column, text in enumerate(row):
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(at, column, item)
        self.table.resizeColumnsToContents()
        outer = column_of(self, margins=16, spacing=8)
        outer.addWidget(self.table, 1)
        acts = row_of(spacing=8)
        acts.addWidget(button("Copy the table", self.copy, "small"))
        acts.addStretch(1)
        acts.addWidget(button("Close", self.accept, "small", "Close the table"))
        outer.addLayout(acts)

    def copy(self) -> None:
        """What is chosen, or all of it, with tabs between, as spreadsheets take it."""
        chosen = {(one.row(), one.column()) for one in self.table.selectedIndexes()}
        every = range(self.table.columnCount())
        rows = sorted({row for row, _ in chosen}) if len(chosen) > 1 else list(range(self.table.rowCount()))
        heads = [item.text() for at in every if (item := self.table.horizontalHeaderItem(at)) is not None]
        lines = ["\t".join(heads)] + ["\t".join(self._text(row, at) for at in every) for row in rows]
        board = QApplication.clipboard()
        if board is not None:
            board.setText("\n".join(lines))

    def _text(self, row: int, column: int) -> str:
        item = self.table.item(row, column)
        return item.text() if item is not None else ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)
