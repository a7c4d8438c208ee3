"""A small chart with handles: settings dragged as points of a line.

Handling as on the pull chart: drag; with the focus Left and Right choose a handle, Up and Down move it (fine with Shift), the wheel
turns it, Delete or a double click returns it to what is on the controller, Esc cancels a drag, digits open a field for a figure.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPainter

from crisp_hornet.bench.charts.handling import Handled
from crisp_hornet.bench.charts.lettering import Name
from crisp_hornet.bench.charts.paint import chosen_ring, focus_frame
from crisp_hornet.bench.charts.plain_chart import PlainChart
from crisp_hornet.bench.figures import Misread, figure
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.number_field import LaidField
from crisp_hornet.bench.scale import across, down
from crisp_hornet.bench.theme import QUIET_PX, Theme, font

REACH_PX, HANDLE_PX = 16.0, 7.5
SIDEWAYS: dict[int, int] = {Qt.Key.Key_Left.value: -1, Qt.Key.Key_Right.value: 1}


@dataclass(frozen=True)
class Handle:
    """A setting at a place. ``now``: the same place for what is on the controller, if known. ``sideways``: it moves along x."""

    setting: str
    x: float
    y: float
    text: str
    now: tuple[float, float] | None = None
    sideways: bool = False


class HandleChart(Handled, PlainChart):
    """``dragged``: setting, x, y, token. ``stepped``: setting, steps, fine, token. ``returned``: setting. ``cancelled``: setting,
    token. ``typed``: setting, the figure as shown."""

    dragged = pyqtSignal(str, float, float, int)
    stepped = pyqtSignal(str, float, bool, int)
    returned = pyqtSignal(str)
    cancelled = pyqtSignal(str, int)
    typed = pyqtSignal(str, float)
    refused = pyqtSignal(str)

    def __init__(self, theme: Theme, new_token: Callable[[], int], name: str) -> None:
        super().__init__(theme)
        self.handles: list[Handle] = []
        self.takes_hands(new_token)
        self._name = name
        self._editor: LaidField | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr(name))

    def show_handles(self, handles: list[Handle]) -> None:
        """Show the handles."""
        self.handles = handles
        if self.chosen not in [handle.setting for handle in handles]:
            self.chosen = handles[0].setting if handles else ""
        told = ", ".join(handle.text for handle in handles)
        self.setAccessibleName(tr(f"{self._name}; left and right choose, up and down move: {told}"))
        self.update()

    def place(self, setting: str) -> QPointF:
        """Where a handle lies on the widget."""
        frame, handle = self.frame(), next(one for one in self.handles if one.setting == setting)
        assert frame is not None
        return frame.at(handle.x, handle.y)

    def setting_at(self, at: QPointF) -> str:
        near = self._near(at)
        return near.setting if near is not None else ""

    def dragged_to(self, setting: str, at: QPointF, token: int) -> None:
        frame = self.frame()
        if frame is not None:
            self.dragged.emit(setting, *frame.back(at), token)

    def chosen_by(self, event: QKeyEvent) -> str:
        names, step = [handle.setting for handle in self.handles], SIDEWAYS.get(event.key())
        return names[min(max(names.index(self.chosen) + step, 0), len(names) - 1)] if step else ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.chosen and event.text() and event.text() in "0123456789.,":
            self.edit(event.text())
        elif self.chosen and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit("")
        else:
            super().keyPressEvent(event)

    def edit(self, start: str) -> None:
        """Open a field for the chosen handle's figure; Enter takes it, Esc leaves it."""
        if self._editor is not None or not self.chosen:
            return
        at = self.place(self.chosen)
        left, top = min(max(int(at.x()) - 40, 0), across(self) - 80), min(max(int(at.y()) - 44, 0), down(self) - 32)
        editor = LaidField(self, f"figure of {self.chosen}", start, QRect(int(left), int(top), 80, 32))
        editor.taken.connect(self._take_typed)
        editor.left.connect(self._closed)
        self._editor = editor
        editor.open()

    def _take_typed(self, text: str) -> None:
        if not text.strip():
            self._close_editor()
            return
        try:
            value = figure(text.strip().rstrip("%×VC°F ").strip(), thousandths=True)
        except Misread as why:
            self.refused.emit(f"{why}.")
            if self._editor is not None:
                self._editor.refuse(str(why))
            return
        self._close_editor()
        self.typed.emit(self.chosen, value)

    def _close_editor(self) -> None:
        if self._editor is not None:
            self._editor.close_it(True)

    def _closed(self) -> None:
        self._editor = None

    def _near(self, at: QPointF) -> Handle | None:
        frame = self.frame()
        if frame is None:
            return None
        gaps = [(frame.at(handle.x, handle.y) - at, handle) for handle in self.handles]
        near = [((gap.x() ** 2 + gap.y() ** 2) ** 0.5, index) for index, (gap, _) in enumerate(gaps)]
        closest = min(near, default=(REACH_PX + 1, 0))
        return self.handles[closest[1]] if closest[0] <= REACH_PX else None

    def paint_over(self, painter: QPainter) -> None:
        frame = self.frame()
        if frame is None:
            return
        for handle in self.handles:
            if handle.now is not None:
                paint_truth(painter, self.theme, "controller", frame.at(*handle.now), 5.5)
        painter.setFont(font(QUIET_PX, QFont.Weight.DemiBold))
        for handle in self.handles:
            at = frame.at(handle.x, handle.y)
            if handle.setting == self.chosen and self.hasFocus():
                chosen_ring(painter, self.theme, at, HANDLE_PX + 5)
            paint_truth(painter, self.theme, "drafted", at, HANDLE_PX)
            self.lettering.mark(at, HANDLE_PX)
            if handle.now is not None:
                self.lettering.mark(frame.at(*handle.now), 5.5)
        painter.setPen(self.theme.color("drafted"))
        names = [Name(one.text, frame.at(one.x, one.y), HANDLE_PX) for one in self.handles]
        self.lettering.write(painter, names)
        if self.hasFocus():
            focus_frame(painter, self.theme, self)
