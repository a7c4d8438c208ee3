"""A small chart with handles: settings dragged as points of a line.

Handling as on the pull chart: drag; with the focus Left and Right choose a handle, Up and Down move it (fine with Shift), the wheel
turns it, Delete or a double click returns it to what is on the controller, Esc cancels a drag, digits open a field for a figure.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent

from crisp_hornet.bench.figures import Misread, figure
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.widgets.plain_chart import PlainChart
from crisp_hornet.bench.widgets.ruler import Entry

REACH_PX, HANDLE_PX = 16.0, 7.5


@dataclass(frozen=True)
class Handle:
    """A setting at a place. ``now``: the same place for what is on the controller, if known. ``sideways``: it moves along x."""

    setting: str
    x: float
    y: float
    text: str
    now: tuple[float, float] | None = None
    sideways: bool = False


class HandleChart(PlainChart):
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
        self.chosen = ""
        self.dragging: tuple[str, int] | None = None
        self._name, self._new_token = name, new_token
        self._keys: int | None = None
        self._editor: Entry | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(name)

    def show_handles(self, handles: list[Handle]) -> None:
        """Show the handles."""
        self.handles = handles
        if self.chosen not in [one.setting for one in handles]:
            self.chosen = handles[0].setting if handles else ""
        told = ", ".join(one.text for one in handles)
        self.setAccessibleName(f"{self._name}; left and right choose, up and down move: {told}")
        self.update()

    def place(self, setting: str) -> QPointF:
        """Where a handle lies on the widget."""
        frame, handle = self.frame(), next(one for one in self.handles if one.setting == setting)
        assert frame is not None
        return frame.at(handle.x, handle.y)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        found = self._near(event.position())
        if event.button() == Qt.MouseButton.LeftButton and found is not None:
            self.chosen = found.setting
            self.dragging = (found.setting, self._new_token())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        frame = self.frame()
        if self.dragging is not None and frame is not None:
            self.dragged.emit(self.dragging[0], *frame.back(event.position()), self.dragging[1])
            return
        over = self._near(event.position()) is not None
        self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.dragging = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        found = self._near(event.position())
        if found is not None:
            self.dragging = None
            self.returned.emit(found.setting)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus() or not self.chosen:  # never by a passing scroll
            event.ignore()
            return
        self.stepped.emit(self.chosen, event.angleDelta().y() / 120, False, self._new_token())
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, names = event.key(), [one.setting for one in self.handles]
        if key == Qt.Key.Key_Escape and self.dragging is not None:
            self.cancelled.emit(*self.dragging)
            self.dragging = None
        elif not names:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self.chosen = names[min(max(names.index(self.chosen) + step, 0), len(names) - 1)]
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            if not event.isAutoRepeat() or self._keys is None:
                self._keys = self._new_token()
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.stepped.emit(self.chosen, 1.0 if key == Qt.Key.Key_Up else -1.0, fine, self._keys)
        elif key == Qt.Key.Key_Delete:
            self.returned.emit(self.chosen)
        elif event.text() and event.text() in "0123456789.,":
            self.edit(event.text())
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit("")
        else:
            super().keyPressEvent(event)

    def edit(self, start: str) -> None:
        """Open a field for the chosen handle's figure; Enter takes it, Esc leaves it."""
        if self._editor is not None or not self.chosen:
            return
        at = self.place(self.chosen)
        editor = Entry(start, self)
        editor.setAccessibleName(f"figure of {self.chosen}")
        left = min(max(int(at.x()) - 40, 0), self.width() - 80)
        editor.setGeometry(left, min(max(int(at.y()) - 44, 0), self.height() - 32), 80, 32)
        editor.taken.connect(self._take_typed)
        editor.left.connect(self._close_editor)
        self._editor = editor
        editor.show()
        editor.setFocus()

    def _take_typed(self, text: str) -> None:
        if not text.strip():
            self._close_editor(True)
            return
        try:
            value = figure(text.strip().rstrip("%×VC°F ").strip(), thousandths=True)
        except Misread as why:
            self.refused.emit(f"{why}.")
            if self._editor is not None:
                self._editor.refuse(str(why))
            return
        self._close_editor(True)
        self.typed.emit(self.chosen, value)

    def _close_editor(self, back: bool) -> None:
        if self._editor is not None:
            editor, self._editor = self._editor, None
            if back:
                self.setFocus()
            editor.hide()
            editor.deleteLater()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()

    def _near(self, at: QPointF) -> Handle | None:
        frame = self.frame()
        if frame is None:
            return None
        gaps = [(frame.at(one.x, one.y) - at, one) for one in self.handles]
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
        metrics = QFontMetricsF(painter.font())
        for handle in self.handles:
            at = frame.at(handle.x, handle.y)
            if handle.setting == self.chosen and self.hasFocus():
                painter.setPen(QPen(self.theme.color("text"), 1.5, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, HANDLE_PX + 5, HANDLE_PX + 5)
            paint_truth(painter, self.theme, "drafted", at, HANDLE_PX)
            wide = metrics.horizontalAdvance(handle.text)
            if handle.sideways:
                left, top = min(at.x() + 12, frame.box.right() - wide), at.y() - 3
                painter.fillRect(QRectF(left - 2, top - 12, wide + 4, 16), self.theme.color("ground", 0.85))
            else:
                left = min(max(at.x() - wide / 2, frame.box.left() + 2), frame.box.right() - wide)
                top = at.y() - 12 if at.y() > frame.box.top() + 20 else at.y() + 22
            painter.setPen(self.theme.color("drafted"))
            painter.drawText(QPointF(left, top), handle.text)
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("text"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 3, 3)
