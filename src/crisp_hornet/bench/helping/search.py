"""The search of Ctrl+K: a line to type in, what is found below, Enter goes there."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QWidget

from crisp_hornet.bench.helping.entries import Entry, entries, found
from crisp_hornet.bench.helping.needs import Window
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import real
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import label

MOVES = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


class Search(QDialog):
    """Keys stay in the line; up and down choose in the list."""

    def __init__(self, window: Window, parent: QWidget) -> None:
        super().__init__(parent)
        self._window = window
        self.setWindowTitle(tr("Find"))
        self.setObjectName("ground")
        self.resize(real(640, 460))
        self.line = QLineEdit()
        self.rows = QListWidget()
        self.rows.setAccessibleName(tr("found"))
        self.rows.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.rows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._entries: list[Entry] = []
        self._shown: list[Entry] = []
        column = column_of(self, margins=16, spacing=8)
        column.addWidget(Captioned("find", self.line))
        column.addWidget(self.rows, 1)
        self._said = label("", "quiet")
        column.addWidget(self._said)
        self.line.textChanged.connect(self._look)
        self.line.installEventFilter(self)
        self.rows.itemActivated.connect(lambda _item: self.go())
        self.rows.itemClicked.connect(lambda _item: self.go())

    def open_anew(self) -> None:
        """Empty, over the window, with what there is now."""
        self._entries = entries(self._window)
        self.line.clear()
        self._look()
        self.show()
        self.raise_()
        self.activateWindow()
        self.line.setFocus()

    def _look(self) -> None:
        self._shown = found(self._entries, self.line.text())
        self.rows.clear()
        for one in self._shown:
            about = f"{tr(one.kind)}, {tr(one.more)}" if one.more else tr(one.kind)
            self.rows.addItem(QListWidgetItem(f"{tr(one.name)}   {about}"))
        self.rows.setCurrentRow(0 if self._shown else -1)
        none = self.line.text().strip() and not self._shown
        self._said.setText(
            "Nothing found: try another word, or fewer letters." if none else "Enter goes there, Esc closes."
        )

    def go(self) -> None:
        """To what is chosen."""
        at = self.rows.currentRow()
        if 0 <= at < len(self._shown):
            self.hide()
            home = self.parentWidget()
            if home is not None:
                home.activateWindow()
            self._shown[at].go()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = event.key()
            if key in MOVES and self._shown:
                step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -8, Qt.Key.Key_PageDown: 8}[
                    Qt.Key(key)
                ]
                self.rows.setCurrentRow(min(max(self.rows.currentRow() + step, 0), len(self._shown) - 1))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                if not event.isAutoRepeat():
                    self.go()
                return True
        return super().eventFilter(watched, event)
