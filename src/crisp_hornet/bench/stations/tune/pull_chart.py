"""The pull chart: a force chart whose edges can be dragged.

Handling: drag an edge; with the focus, letters choose one (P, B, W, M, S, R and C), Up and Down move it (fine with Shift), Delete
or double-click returns it to what is on the controller, Esc cancels a drag, the wheel turns the chosen edge.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter

from crisp_hornet.bench.charts.force_chart import ForceChart
from crisp_hornet.bench.charts.handling import Handled
from crisp_hornet.bench.charts.lettering import Name
from crisp_hornet.bench.charts.paint import chosen_ring
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.stations.tune.edges import KEYS, Edge
from crisp_hornet.bench.theme import TEXT_PX, Theme, font
from crisp_hornet.core.drive.inverse import BATTERY

REACH_PX = 16.0
HANDLE_PX = 9.0


class PullChart(Handled, ForceChart):
    """``dragged``: setting, speed, force, token. ``stepped``: setting, steps, fine, token. ``returned``: setting.
    ``cancelled``: setting, token."""

    dragged = pyqtSignal(str, float, float, int)
    stepped = pyqtSignal(str, float, bool, int)
    returned = pyqtSignal(str)
    cancelled = pyqtSignal(str, int)
    away = Qt.CursorShape.CrossCursor

    def __init__(self, theme: Theme, new_token: Callable[[], int]) -> None:
        super().__init__(theme)
        self.edges: list[Edge] = []
        self.takes_hands(new_token, BATTERY)
        self.setAccessibleName(
            tr(
                "Pull chart: P, B, W, M, S, R or C chooses the phase, battery, weakening, motor speed, speed, regen or charging edge, "
                "up and down move it, left and right move the reading"
            )
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

    def setting_at(self, at: QPointF) -> str:
        edge = self.edge_at(at)
        return edge.setting if edge is not None else ""

    def dragged_to(self, setting: str, at: QPointF, token: int) -> None:
        kmh, force = self.value(at)
        self.dragged.emit(setting, kmh, force, token)
        self.point_at(kmh)

    def chosen_by(self, event: QKeyEvent) -> str:
        return KEYS.get(event.text().upper(), "")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.dragging is not None:
            super().mouseReleaseEvent(event)
            self.show_curves(self.draft, self.controller, self.message)

    def paint_over(self, painter: QPainter) -> None:
        theme = self.theme
        painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
        for edge in self.edges:
            at = self.point(edge.kmh, edge.force_n)
            if edge.setting == self.chosen and self.hasFocus():
                chosen_ring(painter, theme, at, HANDLE_PX + 6)
            painter.setOpacity(1.0 if edge.sets else 0.8)
            paint_truth(painter, theme, "drafted", at, HANDLE_PX)
            painter.setOpacity(1.0)
            self.lettering.mark(at, HANDLE_PX)
        painter.setPen(theme.color("drafted"))
        names = [Name(self.units.text(edge.text), self.point(edge.kmh, edge.force_n), HANDLE_PX) for edge in self.edges]
        self.lettering.write(painter, names)
