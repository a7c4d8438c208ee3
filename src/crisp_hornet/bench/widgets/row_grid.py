"""Rows of widgets in columns, made anew as often as needed."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QGridLayout, QWidget

from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import clear, label, rule


class RowGrid(QGridLayout):
    """A grid that is filled row by row; a layout keeps its rows for ever, so it is begun anew from the first."""

    def __init__(self, columns: int, horizontal: int = 16, vertical: int = 3) -> None:
        super().__init__()
        self._columns, self._row = columns, 0
        self.setHorizontalSpacing(horizontal)
        self.setVerticalSpacing(vertical)

    def begin(self, heads: Sequence[str] = ()) -> None:
        """Take everything out; the words above the columns first, where there are any."""
        clear(self)
        self.setRowStretch(self._row, 0)
        self._row = 0
        if heads:
            self.add([label(head, "quiet") for head in heads])

    def add(self, widgets: Sequence[QWidget | None], ruled: bool = False) -> None:
        """One row, a widget a column; the last one has the columns that are left."""
        for at, widget in enumerate(widgets):
            if widget is not None:
                last = at == len(widgets) - 1
                self.addWidget(widget, self._row, at, 1, self._columns - at if last else 1)
        self._row += 1
        if ruled:
            self.addWidget(rule(), self._row, 0, 1, self._columns)
            self._row += 1

    def end(self) -> None:
        """What room is left lies below the last row."""
        self.setRowStretch(self._row, 1)


def stacked(*above: QWidget) -> QWidget:
    """Widgets close below each other, as one cell."""
    made = QWidget()
    column = column_of(made, margins=0, spacing=0)
    for widget in above:
        column.addWidget(widget)
    return made
