"""A field to choose from a list; the wheel that passes over it changes nothing."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QComboBox


class Chooser(QComboBox):
    """Chooses by mouse and keys; by the wheel only while it has the focus, which the wheel does not give."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()
