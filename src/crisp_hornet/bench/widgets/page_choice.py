"""A few words on one line of which one is chosen, underlined: pages of a station, what a chart shows."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPalette, QPen
from PyQt6.QtWidgets import QSizePolicy, QTabBar

from crisp_hornet.bench.language import tr


class PageChoice(QTabBar):
    """``chosen`` carries the place of the word. With the focus Left and Right go to its neighbours, round at the ends. ``words`` are as
    they were written, ``known_as`` as they were at first; ``name`` says to those who cannot see it what is chosen here."""

    chosen = pyqtSignal(int)

    def __init__(self, words: tuple[str, ...], name: str, spacing: int = 10) -> None:
        super().__init__()
        self.words, self.known_as = list(words), words
        self._spacing = spacing
        self.setAccessibleName(tr(name))
        self.setObjectName(name)
        self.setDrawBase(False)
        self.setExpanding(False)
        self.setUsesScrollButtons(False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
        for word in words:
            self.addTab(tr(word))
        self.currentChanged.connect(self.chosen)
        self.tabBarClicked.connect(self._again)

    @property
    def at(self) -> int:
        """Which word is chosen."""
        return self.currentIndex()

    def rename(self, at: int, word: str) -> bool:
        """Another word for a page; whether it is another one."""
        if self.words[at] == word:
            return False
        self.words[at] = word
        self.setTabText(at, tr(word))
        return True

    def mark(self, at: int) -> None:
        """Show a word as chosen without telling anybody."""
        self.blockSignals(True)
        self.setCurrentIndex(at)
        self.blockSignals(False)

    def choose(self, at: int) -> None:
        """Choose a word."""
        if at == self.currentIndex():
            self.chosen.emit(at)
        else:
            self.setCurrentIndex(at)

    def _again(self, at: int) -> None:
        """A press on what is chosen brings its page up again."""
        if at == self.currentIndex():
            self.chosen.emit(at)

    def tabSizeHint(self, index: int) -> QSize:
        hint = super().tabSizeHint(index)
        return QSize(hint.width() + self._spacing, hint.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self)
            painter.setPen(QPen(self.palette().color(QPalette.ColorRole.WindowText), 2))
            painter.drawRect(self.tabRect(self.at).adjusted(1, 1, -1, -1))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {int(Qt.Key.Key_Left): -1, int(Qt.Key.Key_Right): 1}.get(event.key())
        if step is None:
            super().keyPressEvent(event)
            return
        there = [at for at in range(self.count()) if self.isTabVisible(at)]
        self.choose(there[(there.index(self.at) + step) % len(there)])
