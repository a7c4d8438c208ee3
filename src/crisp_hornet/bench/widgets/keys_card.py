"""The keys that work everywhere, as a card over the window."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QWidget

from crisp_hornet.bench.keys import SCHEME
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, label


class KeysCard(QDialog):
    """Closed by Esc, Enter or its button."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(6)
        for row, (keys, what) in enumerate(SCHEME):
            strong = label(keys)
            strong.setStyleSheet("font-weight: 600;")
            grid.addWidget(strong, row, 0)
            grid.addWidget(label(what), row, 1)
        column = column_of(self, margins=20, spacing=14)
        column.addWidget(label("KEYS", "caps"))
        column.addLayout(grid)
        close = button("Close", self.accept, "", "Close the list of keys")
        column.addWidget(close, alignment=Qt.AlignmentFlag.AlignRight)
        close.setFocus()
