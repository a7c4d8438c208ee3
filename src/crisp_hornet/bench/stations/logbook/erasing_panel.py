"""Whether a customer is meant to be erased for good: what goes is said, seen, and only then done."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.saying import counted

WHOLE, SEEN = "with their bikes, and all that is known of them", "I have seen what goes"
FOR_GOOD = "It cannot be undone, and neither an archive nor another bench brings it back."
COPIES = "Copies of the garage that were made before still hold it, until the last of them is deleted."


class ErasingPanel(QWidget):
    """``meant``: with their bikes, or without; ``closed``: not now; ``shown``: whether it asks."""

    meant = pyqtSignal(bool)
    shown = pyqtSignal(bool)
    closed = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._bikes = self._rides = 0
        self.whole, self.seen = Confirm(theme, WHOLE), Confirm(theme, SEEN)
        self.goes = label("", wrap=True)
        self.act = button("Erase for good", lambda: self.meant.emit(self.whole.isChecked()))
        column = column_of(self, margins=0, spacing=6)
        for box, words in ((self.whole, WHOLE), (self.seen, SEEN)):
            row = row_of(spacing=8)
            row.addWidget(box)
            row.addWidget(label(words))
            row.addStretch(1)
            column.addLayout(row)
            box.toggled.connect(self._show)
            if box is self.whole:
                column.addWidget(self.goes)
        row = row_of(spacing=12)
        row.addWidget(self.act)
        row.addWidget(button("Cancel", self.close_it, "small", "Do not erase this customer"))
        row.addStretch(1)
        column.addLayout(row)
        self.hide()

    def ask(self, bikes: int, rides: int) -> None:
        """About a customer with so many bikes and rides here."""
        self._bikes, self._rides = bikes, rides
        self.whole.setChecked(False)
        self.seen.setChecked(False)
        self._show()
        self.show()
        self.whole.setFocus()

    def close_it(self) -> None:
        """Nothing is erased."""
        self.hide()
        self.closed.emit()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.shown.emit(True)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        if self.isHidden():  # not only the page that it is on
            self.shown.emit(False)

    def _show(self) -> None:
        bikes, rides = counted(self._bikes, "bike"), counted(self._rides, "ride")
        stays = f"{bikes} and {rides} stay, without where they were ridden."
        goes = f"{bikes} with {rides}, tunes, backups and all lines go too."
        words = (goes if self.whole.isChecked() else stays) if self._bikes else ""
        self.goes.setText(f"Name, contact and what was allowed go. {words} {FOR_GOOD} {COPIES}")
        self.act.setEnabled(self.seen.isChecked())
