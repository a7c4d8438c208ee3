"""A line above the page for what just happened: said once, closed by the user or by the next one."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QFrame, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.bench.widgets.watch_list import SeverityMark


class Notice(QWidget):
    """Hidden while there is nothing to say."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.text = ""
        self._column = column_of(self, margins=(22, 4, 22, 0))
        self.hide()

    def say(self, severity: str, text: str, log: Path | None = None) -> None:
        """Show a message; with a ``log`` its path can be copied."""
        clear(self._column)
        self.text = text
        frame = QFrame()
        frame.setObjectName("sheet")
        frame.setAccessibleName(tr(text))
        row = row_of(frame, margins=(10, 6, 10, 6))
        row.addWidget(SeverityMark(severity, self.theme))
        row.addWidget(label(text, wrap=True), 1)
        if log is not None:
            row.addWidget(button("Copy where the details are", partial(_copy, str(log)), "small"))
        row.addWidget(button("Close", self.clear, "small", "Close the message"))
        self._column.addWidget(frame)
        self.show()

    def clear(self) -> None:
        """Take the message away."""
        self.text = ""
        self.hide()


def _copy(text: str) -> None:
    board = QApplication.clipboard()
    if board is not None:
        board.setText(text)
