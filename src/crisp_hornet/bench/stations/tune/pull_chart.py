"""The pull chart: a force chart whose edges can be dragged.

Handling: drag an edge; with the focus, letters choose one (P, B, W, M, S, R and C), Up and Down move it (fine with Shift), Delete
or double-click returns it to what is on the controller, Esc cancels a drag, the wheel turns the chosen edge.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent

from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.stations.tune.edges import KEYS, Edge
from crisp_hornet.bench.theme import TEXT_PX, Theme, font
from crisp_hornet.bench.widgets.force_chart import ForceChart
from crisp_hornet.core.drive.inverse import BATTERY

REACH_PX = 16.0
HANDLE_PX = 9.0


class PullChart(ForceChart):
    """``dragged``: setting, speed, force, token. ``stepped``: setting, steps, fine, token. ``returned``: setting.
    ``cancelled``: setting, token."""

    dragged = pyqtSignal(str, float, float, int)
    stepped = pyqtSignal(str, float, bool, int)
    returned = pyqtSignal(str)
    cancelled = pyqtSignal(str, int)

    def __init__(self, theme: Theme, new_token: Callable[[], int]) -> None:
        super().__init__(theme)
        self.edges: list[Edge] = []
        self.chosen = BATTERY
        self.dragging: tuple[str, int] | None = None
        self._new_token = new_token
        self._keys: int | None = None
        self.setAccessibleName(
            "Pull chart: P, B, W, M, S, R or C chooses the phase, battery, weakening, motor speed, speed, regen or charging edge, up and "
            "down move it, left and right move the reading"
        )

    def show_edges(self, edges: list[Edge]) -> None:
        """Show the handles."""
        self.edges = edges
        self.update()

    def edge_at(self, at: QPointF) -> Edge | None:
        """The handle under a place, or the edge itself close to it."""
        near = [(self._distance(edge, at), edge) for edge in self.edges]
        near = [(distance, edge) for distance, edge in near if distance <= REACH_PX]
        return min(near, key=lambda pair: pair[0])[1] if near else None

    def _distance(self, edge: Edge, at: QPointF) -> float:
        place = self.point(edge.kmh, edge.force_n)
        return float(((place.x() - at.x()) ** 2 + (place.y() - at.y()) ** 2) ** 0.5)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        edge = self.edge_at(event.position())
        if event.button() == Qt.MouseButton.LeftButton and edge is not None:
            self.chosen = edge.setting
            self.dragging = (edge.setting, self._new_token())
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.dragging is not None:
            kmh, force = self.value(event.position())
            self.dragged.emit(self.dragging[0], kmh, force, self.dragging[1])
            self.point_at(kmh)
            return
        over = self.edge_at(event.position())
        self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.CrossCursor)
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.dragging is not None:
            self.dragging = None
            self.setCursor(Qt.CursorShape.OpenHandCursor)
            self.show_curves(self.draft, self.controller, self.message)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        edge = self.edge_at(event.position())
        if edge is not None:
            self.dragging = None
            self.returned.emit(edge.setting)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus():
            event.ignore()
            return
        self.stepped.emit(self.chosen, event.angleDelta().y() / 120, False, self._new_token())
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        letter = event.text().upper()
        if key == Qt.Key.Key_Escape and self.dragging is not None:
            self.cancelled.emit(*self.dragging)
            self.dragging = None
        elif letter in KEYS:
            self.chosen = KEYS[letter]
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            if not event.isAutoRepeat() or self._keys is None:
                self._keys = self._new_token()
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.stepped.emit(self.chosen, 1.0 if key == Qt.Key.Key_Up else -1.0, fine, self._keys)
        elif key == Qt.Key.Key_Delete:
            self.returned.emit(self.chosen)
        else:
            super().keyPressEvent(event)

    def paint_over(self, painter: QPainter) -> None:
        theme = self.theme
        painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
        metrics = QFontMetricsF(painter.font())
        for edge in self.edges:
            at = self.point(edge.kmh, edge.force_n)
            if edge.setting == self.chosen and self.hasFocus():
                painter.setPen(QPen(theme.color("text"), 1.5, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, HANDLE_PX + 6, HANDLE_PX + 6)
            painter.setOpacity(1.0 if edge.sets else 0.55)
            paint_truth(painter, theme, "drafted", at, HANDLE_PX)
            painter.setOpacity(1.0)
            wide = metrics.horizontalAdvance(edge.text)
            left = min(at.x() + 15, self.plot.right() - wide)
            top = at.y() - 13 if at.y() > self.plot.top() + 24 else at.y() + 28
            back = theme.color("ground", 0.8)
            painter.fillRect(QRectF(left - 3, top - 14, wide + 6, 18), back)
            painter.setPen(theme.color("drafted"))
            painter.drawText(QPointF(left, top), edge.text)
