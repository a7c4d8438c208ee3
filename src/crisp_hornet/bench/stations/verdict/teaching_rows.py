"""The run that would teach most: what each would narrow, and one press that starts it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.scale import across, fix, painter_of, real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.row_grid import RowGrid
from crisp_hornet.bench.widgets.text import button, label, shortened
from crisp_hornet.core.programmes.teaching import Lesson, lessons
from crisp_hornet.core.programmes.wordings import TOLD
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

MOST = 3
CHECK = "current gain"
CHECK_WORDS = "Current against a clamp meter"


class _Narrowing(QWidget):
    """Two bars: how wide the answer is, and how wide it would be."""

    def __init__(self, theme: Theme, lesson: Lesson) -> None:
        super().__init__()
        self._theme, self._share = theme, lesson.after / lesson.before
        fix(self, high=16)
        self.setMinimumWidth(70)

    def sizeHint(self) -> QSize:
        return real(110, 16)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        wide = across(self)
        painter.fillRect(QRectF(0, 2, wide, 5), self._theme.color("quiet", 0.4))
        painter.fillRect(QRectF(0, 9, max(self._share * wide, 2), 5), self._theme.color("text"))


class TeachingRows(QWidget):
    """``start`` carries the id of a programme, or of the instrument on Calibrate."""

    start = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._desk = desk
        self.lessons: list[Lesson] = []
        self._of: tuple[Bike, Tune] | None = None
        self._looking = Background()
        self._looking.done.connect(self._take)
        self._looking.failed.connect(lambda error: desk.said.emit("stop", str(error)))
        self._grid = RowGrid(5, vertical=2)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setColumnStretch(3, 1)
        column = column_of(self, margins=(0, 2, 0, 0), spacing=2)
        column.addWidget(label("THE RUN THAT WOULD TEACH MOST", "caps"))
        column.addLayout(self._grid)
        self.hide()

    def look(self, bike: Bike | None, tune: Tune | None) -> None:
        """Find out for a bike on a tune, off the interface thread, unless that is known."""
        if bike is None or tune is None:
            self._of, self.lessons = None, []
            self._looking.cancel()
            self._show()
        elif self._of != (bike, tune):
            self._of = (bike, tune)
            self._looking.start(lambda: lessons(bike, tune))
        else:
            self._show()

    def _take(self, found: list[Lesson]) -> None:
        self.lessons = found
        self._show()

    def _show(self) -> None:
        self._grid.begin()
        self.setVisible(bool(self.lessons))
        turn = self._desk.units.text
        for one in self.lessons[:MOST]:
            check = one.programme == CHECK
            title = CHECK_WORDS if check else TOLD[one.programme]["title"]
            words = turn(one.in_words)
            lasts = turn(say("{minutes}", minutes=quantity(max(one.minutes, 1), "min", ".0f")))
            act = button(
                "Calibrate ›" if check else "Start ›",
                partial(self.start.emit, one.programme),
                "place",
                f"{title}: {words}; start it",
            )
            self._grid.add(
                [label(shortened(title, 40)), label(lasts, "quiet"), _Narrowing(self.theme, one), label(words), act]
            )
