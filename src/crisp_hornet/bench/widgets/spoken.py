"""Labels and buttons that hold what they say as it was written, and show it in the language of the window."""

from __future__ import annotations

import re

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QLabel, QPushButton

from crisp_hornet.bench.language import tr

MOST_PX = 2000
SIGNS = re.compile(r"[›…·“”\"'().,:;%/°←→↑↓+−-]+")


class SpokenLabel(QLabel):
    """``text`` is as it was written; what is shown is Qt's own affair. ``own``: the user's own words, which are shown as they are."""

    def __init__(self, text: str = "", own: bool = False) -> None:
        super().__init__()
        self._written, self._own = "", own
        self.setText(text)

    def setText(self, a0: str | None) -> None:
        self._written = a0 or ""
        super().setText(self._written if self._own else tr(self._written))

    def text(self) -> str:
        """As it was written."""
        return self._written

    def sizeHint(self) -> QSize:
        """As of words that cannot be selected: Qt lays out those that can in very narrow columns."""
        if not self.wordWrap() or self.textInteractionFlags() == Qt.TextInteractionFlag.NoTextInteraction:
            return super().sizeHint()
        metrics, flags, shown = self.fontMetrics(), int(Qt.TextFlag.TextWordWrap), super().text()
        wide = min(metrics.averageCharWidth() * 80, self.maximumWidth())
        box = metrics.boundingRect(0, 0, wide, MOST_PX, flags, shown)
        for lines, part in ((4, 2), (2, 4)):
            if box.height() < lines * metrics.lineSpacing() and box.width() > wide // part:
                box = metrics.boundingRect(0, 0, wide // part, MOST_PX, flags, shown)
        return box.size()


class SpokenButton(QPushButton):
    """``text`` is as it was written; what is shown is Qt's own affair. Whatever its accessible name, the words that are seen are in it."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self._written, self._name = "", ""
        self.setText(text)

    def setText(self, text: str | None) -> None:
        self._written = text or ""
        super().setText(tr(self._written))
        self._tell()

    def text(self) -> str:
        """As it was written."""
        return self._written

    def setAccessibleName(self, name: str | None) -> None:
        self._name = name or ""
        self._tell()

    def _tell(self) -> None:
        seen = super().text()
        lacks = self._name and words_of(seen) - words_of(self._name)
        super().setAccessibleName(f"{self._name}, {seen}" if lacks else self._name or seen)


def words_of(text: str) -> set[str]:
    """The words and figures of a text, without its signs."""
    return set(SIGNS.sub(" ", text.lower()).split())
