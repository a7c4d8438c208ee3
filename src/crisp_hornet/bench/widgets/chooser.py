"""A field to choose from a list: a visible chevron, its name in front; the wheel that passes over it changes nothing."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPalette, QWheelEvent
from PyQt6.QtWidgets import QComboBox

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_chevron

WRITTEN = int(Qt.ItemDataRole.UserRole) + 1


class Chooser(QComboBox):
    """Chooses by mouse and keys; by the wheel only while it has the focus, which the wheel does not give. ``name`` is what it is called
    for those who cannot see the caption beside it (:func:`captioned`). Its words are asked for as they were written, and shown in the
    language of the window."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(tr(name))
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

    def addItem(self, text: str, userData: object = None) -> None:  # type: ignore[override]
        """With what it stands for."""
        super().addItem(tr(text), userData)
        self.setItemData(self.count() - 1, str(text), WRITTEN)

    def addItems(self, texts: Iterable[str | None]) -> None:
        """Behind each other."""
        for text in texts:
            self.addItem(text or "")

    def itemText(self, index: int) -> str:
        """As it was written."""
        return self.itemData(index, WRITTEN) or ""

    def currentText(self) -> str:
        """As it was written."""
        return self.itemText(self.currentIndex())

    def findText(self, text: str | None, flags: Qt.MatchFlag = Qt.MatchFlag.MatchExactly) -> int:
        """Where it was written so; -1 for nowhere."""
        return self.findData(str(text), WRITTEN, flags)

    def setCurrentText(self, text: str | None) -> None:
        """Choose what was written so."""
        self.setCurrentIndex(self.findText(text))

    def be_narrow(self) -> None:
        """Take the room there is instead of what its longest word would want."""
        self.setMinimumContentsLength(10)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
