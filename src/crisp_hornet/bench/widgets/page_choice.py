"""A few words on one line of which one is chosen, underlined: pages of a station, what a chart shows."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QButtonGroup, QWidget

from crisp_hornet.bench.keys import rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.spoken import SpokenButton


class PageChoice(QWidget):
    """``chosen`` carries the place of the word. With the focus Left and Right go to its neighbours."""

    chosen = pyqtSignal(int)

    def __init__(self, words: tuple[str, ...], name: str, spacing: int = 10) -> None:
        super().__init__()
        self.at = 0
        self.buttons: list[SpokenButton] = []
        group = QButtonGroup(self)
        rove(self)
        row = row_of(self, margins=0, spacing=spacing)
        for at, word in enumerate(words):
            made = SpokenButton(word)
            made.setProperty("role", "page")
            made.setCheckable(True)
            made.setChecked(at == 0)
            made.setAccessibleName(tr(f"{name} {word}"))
            made.setObjectName(f"{name} {word}")
            made.setCursor(Qt.CursorShape.PointingHandCursor)
            made.clicked.connect(lambda _on, at=at: self.choose(at))
            group.addButton(made, at)
            self.buttons.append(made)
            row.addWidget(made)
        row.addStretch(1)

    def rename(self, at: int, word: str) -> bool:
        """Another word for a page; whether it is another one."""
        if self.buttons[at].text() == word:
            return False
        self.buttons[at].setText(word)
        return True

    def mark(self, at: int) -> None:
        """Show a word as chosen without telling anybody."""
        self.at = at
        self.buttons[at].setChecked(True)

    def choose(self, at: int) -> None:
        """Choose a word; where the keys are in it they go along."""
        if any(button.hasFocus() for button in self.buttons):
            self.buttons[at].setFocus()
        self.mark(at)
        self.chosen.emit(at)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {int(Qt.Key.Key_Left): -1, int(Qt.Key.Key_Right): 1}.get(event.key())
        if step is None:
            super().keyPressEvent(event)
            return
        there = [at for at, button in enumerate(self.buttons) if button.isVisibleTo(self)]
        at = there[(there.index(self.at) + step) % len(there)]
        self.buttons[at].setFocus()
        self.choose(at)
