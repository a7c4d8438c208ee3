"""A control with its name beside it: every field and every chooser has one, and keeps it when it is filled."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import label


class Captioned(QWidget):
    """``caption`` stands in front of ``control``, or above it. Shown and hidden together."""

    def __init__(self, words: str, control: QWidget, above: bool = False) -> None:
        super().__init__()
        self.control = control
        self.caption = label(words, "quiet")
        self.caption.setBuddy(control)
        if not control.accessibleName():
            control.setAccessibleName(tr(words))
        box = column_of(self, margins=0, spacing=2) if above else row_of(self, margins=0, spacing=8)
        box.addWidget(self.caption)
        box.addWidget(control, 0 if above else 1)

    def rename(self, words: str) -> None:
        """Other words, as with another unit."""
        self.caption.setText(words)
