"""What must be confirmed before something is written: a box to tick for each, and the ticks belong to one act only."""

from __future__ import annotations

from collections.abc import Hashable, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import clear, label
from crisp_hornet.link.operations import Question


class Questions(QWidget):
    """Boxes with their words. Asked about something else, all ticks fall."""

    changed = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.boxes: dict[str, Confirm] = {}
        self._asked: tuple[Hashable, ...] = ()
        self._column = column_of(self, margins=0, spacing=6)
        self.hide()

    def ask(self, questions: Sequence[Question], about: Hashable) -> None:
        """Ask these, about one act; what was ticked stays only where both are as before."""
        asked = (about, tuple(questions))
        if asked == self._asked:
            return
        self._asked = asked
        had_focus = any(box.hasFocus() for box in self.boxes.values())
        clear(self._column)
        self.boxes = {}
        self.setVisible(bool(questions))
        if questions:
            self._column.addWidget(label("CONFIRM", "caps"))
        for question in questions:
            box = Confirm(self.theme, question.text)
            box.setObjectName(f"confirm {question.id}")
            box.toggled.connect(lambda _on: self.changed.emit())
            self.boxes[question.id] = box
            says = label(question.text, wrap=True)
            says.setBuddy(box)
            row = row_of(spacing=6)
            row.addWidget(box)
            row.addWidget(says, 1)
            self._column.addLayout(row)
        if had_focus and self.boxes:  # asked anew where the hands are
            next(iter(self.boxes.values())).setFocus()
        self.changed.emit()

    def forget(self) -> None:
        """The page was left, or the act was done: what was confirmed counts no more."""
        for box in self.boxes.values():
            box.setChecked(False)

    @property
    def confirmed(self) -> frozenset[str]:
        """The ids of what is ticked."""
        return frozenset(name for name, box in self.boxes.items() if box.isChecked())

    @property
    def left(self) -> int:
        """How many are not ticked yet."""
        return len(self.boxes) - len(self.confirmed)
