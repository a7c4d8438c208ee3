"""A part of a page that folds under its heading, and a button that opens a few acts of one kind."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPalette
from PyQt6.QtWidgets import QMenu, QSizePolicy, QVBoxLayout, QWidget

from crisp_hornet.bench.keys import step_in_group
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_chevron
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.spoken import SpokenButton


class Heading(SpokenButton):
    """The heading of a fold: a chevron, its name, and a few words at the right."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.words = ""
        self.setProperty("role", "fold")
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not step_in_group(self, event.key()):
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color = self.palette().color(QPalette.ColorRole.ButtonText)
        paint_chevron(painter, color, QPointF(9, self.height() / 2), down=self.isChecked())
        painter.setFont(self.font())
        painter.setPen(color)
        area = self.rect().adjusted(0, 0, -8, 0)
        painter.drawText(area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, tr(self.words))


class Fold(QWidget):
    """``rows`` is the column under the heading; ``opened`` says that it was opened (True) or closed."""

    opened = pyqtSignal(bool)

    def __init__(self, name: str, is_open: bool) -> None:
        super().__init__()
        self.heading = Heading(name)
        self._inside = QWidget()
        self.rows: QVBoxLayout = column_of(self._inside, margins=0, spacing=0)
        column = column_of(self, margins=0, spacing=0)
        column.addWidget(self.heading)
        column.addWidget(self._inside)
        self.heading.setChecked(is_open)
        self._inside.setVisible(is_open)
        self._tell()
        self.heading.toggled.connect(self._switch)

    def say(self, words: str) -> None:
        """A few words beside the name, for what is hidden."""
        self.heading.words = words
        self._tell()
        self.heading.update()

    def _switch(self, is_open: bool) -> None:
        self._inside.setVisible(is_open)
        self._tell()
        self.opened.emit(is_open)

    def _tell(self) -> None:
        state = "open" if self.heading.isChecked() else "closed"
        self.heading.setAccessibleName(
            tr(f"{self.heading.text()}, {state}{', ' if self.heading.words else ''}{self.heading.words}")
        )


class Several(SpokenButton):
    """One button for acts of one kind, which it lists."""

    def __init__(self, words: str, acts: Sequence[tuple[str, Callable[[], object]]]) -> None:
        super().__init__(words)
        self.setProperty("role", "several")
        self.setAccessibleName(tr(words))
        self.setObjectName(words)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.list = QMenu(self)
        for name, act in acts:
            made = self.list.addAction(tr(name))
            assert made is not None
            made.triggered.connect(lambda _on, act=act: act())
        self.setMenu(self.list)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color = self.palette().color(QPalette.ColorRole.ButtonText)
        paint_chevron(painter, color, QPointF(self.width() - 13, self.height() / 2), down=True)
