"""A field to choose from a list: a visible chevron, its name in front; the wheel that passes over it changes nothing."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPalette, QWheelEvent
from PyQt6.QtWidgets import QComboBox

from crisp_hornet.bench.marks import paint_chevron


class Chooser(QComboBox):
    """Chooses by mouse and keys; by the wheel only while it has the focus, which the wheel does not give. ``name`` is what it is called
    for those who cannot see the caption beside it (:func:`captioned`)."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color = self.palette().color(QPalette.ColorRole.Text)
        paint_chevron(painter, color, QPointF(self.width() - 14.0, self.height() / 2), down=True)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()

    def offer(self, words: list[str], by_place: bool = False) -> None:
        """List other words, silently; what was chosen stays chosen where it is still there, by its word or by its place, else the first."""
        if [self.itemText(at) for at in range(self.count())] == words:
            return
        place, word = self.currentIndex(), self.currentText()
        self.blockSignals(True)
        self.clear()
        self.addItems(words)
        kept = place if by_place and 0 <= place < len(words) else words.index(word) if word in words else 0
        self.setCurrentIndex(kept if words else -1)
        self.blockSignals(False)

    def be_narrow(self) -> None:
        """Take the room there is instead of what its longest word would want."""
        self.setMinimumContentsLength(10)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
