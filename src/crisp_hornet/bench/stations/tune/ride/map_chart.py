"""Where every wish holds, over two settings: each wish an edge with its name, the ground where all hold hatched, a ring to drag."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.frame import Frame, ticks_along, ticks_up
from crisp_hornet.bench.charts.handling import Handled
from crisp_hornet.bench.charts.lettering import Lettering, Name
from crisp_hornet.bench.charts.paint import focus_frame, foot_tick, level_tick, right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.scale import across, down, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.widgets.ruler import Stop
from crisp_hornet.core.goal.wish_map import WishMap

LEFT, RIGHT, TOP, FOOT, REACH_PX = 44.0, 12.0, 24.0, 34.0, 18.0
STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashDotLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotDotLine)
MARK = "both"
FINE = 4  # cells of the hatched ground for each of the map's


Stops = tuple[Sequence[Stop], Sequence[Stop]]


class MapChart(Handled, QWidget):
    """``dragged``: both settings (A), token. ``stepped``: unused by the mark, whose keys send ``moved``: steps across, up, fine, token."""

    dragged = pyqtSignal(float, float, int)
    stepped = pyqtSignal(str, float, bool, int)
    moved = pyqtSignal(float, float, bool, int)
    returned = pyqtSignal(str)
    cancelled = pyqtSignal(str, int)

    def __init__(self, theme: Theme, new_token: Callable[[], int]) -> None:
        super().__init__()
        self.theme = theme
        self.map: WishMap | None = None
        self.names: list[str] = []
        self.axes = ("", "")
        self.marks: dict[str, tuple[float, float]] = {}
        self.stops: Stops = ((), ())
        self.lettering = Lettering(QRectF())
        self._ground: list[QRectF] = []
        self.takes_hands(new_token, MARK)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Where every wish holds"))

    def sizeHint(self) -> QSize:
        return real(360, 360)

    def minimumSizeHint(self) -> QSize:
        return real(240, 170)

    def show_map(self, found: WishMap | None, names: Sequence[str]) -> None:
        """Another map; ``names`` of its wishes."""
        self.map, self.names = found, list(names)
        self._ground = _holding(found) if found is not None else []
        self.update()

    def show_marks(self, marks: dict[str, tuple[float, float]], axes: tuple[str, str], stops: Stops) -> None:
        """Where draft, controller ("controller") and what was found ("found") stand, the axes' names, and stops along them."""
        self.marks, self.axes, self.stops = marks, axes, stops
        told = ", ".join(f"{name} {x:.4g} A and {y:.4g} A" for name, (x, y) in marks.items())
        self.setAccessibleName(
            tr(f"Where every wish holds: {axes[0]} across, {axes[1]} up; the arrows move the draft: {told}")
        )
        self.update()

    def frame(self) -> Frame | None:
        """The axes."""
        if self.map is None:
            return None
        box = QRectF(LEFT, TOP, across(self) - LEFT - RIGHT, down(self) - TOP - FOOT)
        return Frame(box, (0.0, float(self.map.x_a[-1])), (0.0, float(self.map.y_a[-1])))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(QUIET_PX))
        frame = self.frame()
        if frame is None or self.map is None:
            return
        self.lettering = Lettering(frame.box.adjusted(2, 2, -2, -2))
        painter.fillRect(frame.box, self.theme.color("sheet"))
        self._paint_axes(painter, frame)
        self._paint_ground(painter, frame)
        self._paint_stops(painter, frame)
        names = self._paint_edges(painter, frame)
        for truth in ("controller", "found", "drafted"):
            if truth in self.marks:
                self._paint_mark(painter, frame, truth)
        painter.setPen(self.theme.color("text"))
        self.lettering.write(painter, names)
        if self.hasFocus():
            focus_frame(painter, self.theme, self)

    def _paint_axes(self, painter: QPainter, frame: Frame) -> None:
        for value in ticks_up(*frame.y, frame.box.height()):
            level_tick(painter, self.theme, frame.box, frame.at(0, value).y(), f"{value:g}")
        for value in ticks_along(*frame.x, frame.box.width()):
            foot_tick(painter, self.theme, frame.at(value, 0), f"{value:g}")
        painter.setPen(self.theme.color("quiet"))
        painter.drawText(QPointF(2, 14), tr(f"{self.axes[1]}, A"))
        right_text(painter, frame.box.right(), down(self) - 3, f"{self.axes[0]}, A")

    def _paint_ground(self, painter: QPainter, frame: Frame) -> None:
        """Hatched where all wishes hold and no stop is passed, so that it is seen without colour."""
        ends = zip(self.stops, (frame.x[1], frame.y[1]), strict=True)
        most = [min((one.value for one in stops if one.value > 0), default=end) for stops, end in ends]
        painter.save()
        painter.setClipRect(QRectF(frame.at(0, most[1]), frame.at(most[0], 0)))
        painter.setPen(Qt.PenStyle.NoPen)
        for cell in self._ground:
            top, bottom = frame.at(cell.left(), cell.bottom()), frame.at(cell.right(), cell.top())
            box = QRectF(top, bottom)
            painter.fillRect(box, self.theme.color("settled", 0.13))
            painter.fillRect(box, QBrush(self.theme.color("settled", 0.55), Qt.BrushStyle.BDiagPattern))
        painter.restore()

    def _paint_stops(self, painter: QPainter, frame: Frame) -> None:
        painter.setPen(QPen(self.theme.color("stop"), 1.6))
        for stop in self.stops[0]:
            if 0 < stop.value < frame.x[1]:
                x = frame.at(stop.value, 0).x()
                painter.drawLine(QPointF(x, frame.box.top()), QPointF(x, frame.box.bottom()))
                self._write_stop(painter, stop.name, QPointF(x, frame.box.bottom() - 16))
        for stop in self.stops[1]:
            if 0 < stop.value < frame.y[1]:
                y = frame.at(0, stop.value).y()
                painter.drawLine(QPointF(frame.box.left(), y), QPointF(frame.box.right(), y))
                self._write_stop(painter, stop.name, QPointF(frame.box.right() - 40, y))

    def _write_stop(self, painter: QPainter, text: str, at: QPointF) -> None:
        self.lettering.write(painter, [Name(text, at)])

    def _paint_edges(self, painter: QPainter, frame: Frame) -> list[Name]:
        assert self.map is not None
        names = []
        painter.save()
        painter.setClipRect(frame.box)
        for at, name in enumerate(self.names):
            painter.setPen(QPen(self.theme.color("text"), 1.6, STYLES[at % len(STYLES)]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            lines = self.map.edge(at)
            for line in lines:
                points = frame.points(line[:, 0], line[:, 1])
                painter.drawPolyline(QPolygonF(points))
                self.lettering.line(points)
            if lines:
                longest = max(lines, key=len)
                share = (0.75, 0.3, 0.5, 0.9)[at % 4]
                names.append(Name(name, frame.at(*longest[int(share * (len(longest) - 1))])))
        painter.restore()
        return names

    def _paint_mark(self, painter: QPainter, frame: Frame, truth: str) -> None:
        at = frame.at(*self.marks[truth])
        if truth == "found":
            painter.setPen(QPen(self.theme.color("text"), 2.2))
            painter.drawLine(at - QPointF(9, 0), at + QPointF(9, 0))
            painter.drawLine(at - QPointF(0, 9), at + QPointF(0, 9))
        else:
            paint_truth(painter, self.theme, truth, at, 8)
        self.lettering.mark(at, 11)

    # --- hands ----------------------------------------------------------------------------------------------

    def setting_at(self, at: QPointF) -> str:
        frame = self.frame()
        if frame is None or "drafted" not in self.marks:
            return ""
        away = frame.at(*self.marks["drafted"]) - at
        return MARK if abs(away.x()) <= REACH_PX and abs(away.y()) <= REACH_PX else ""

    def dragged_to(self, setting: str, at: QPointF, token: int) -> None:
        frame = self.frame()
        if frame is not None:
            self.dragged.emit(*frame.back(at), token)

    def chosen_by(self, event: QKeyEvent) -> str:
        return ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {
            Qt.Key.Key_Left: (-1.0, 0.0), Qt.Key.Key_Right: (1.0, 0.0), Qt.Key.Key_Up: (0.0, 1.0), Qt.Key.Key_Down: (0.0, -1.0),
        }.get(Qt.Key(event.key()))  # fmt: skip
        if steps is None or "drafted" not in self.marks:
            super().keyPressEvent(event)
            return
        if not event.isAutoRepeat() or self._keys is None:
            self._keys = self._new_token()
        self.moved.emit(*steps, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier), self._keys)


def _holding(found: WishMap) -> list[QRectF]:
    """Where all wishes hold, as level strips of the plane of the two settings."""
    x = np.linspace(found.x_a[0], found.x_a[-1], FINE * (len(found.x_a) - 1) + 1)
    y = np.linspace(found.y_a[0], found.y_a[-1], FINE * (len(found.y_a) - 1) + 1)
    fine = np.full((len(y), len(x)), np.inf)
    for slack in np.clip(
        found.slack, -1, 1
    ):  # each wish by itself: the least of two straight lines is no straight line
        along = np.array([np.interp(x, found.x_a, row) for row in slack])
        fine = np.fmin(fine, np.array([np.interp(y, found.y_a, column) for column in along.T]).T)
    half_x, half_y = (x[1] - x[0]) / 2, (y[1] - y[0]) / 2
    strips = []
    for row, height in zip(fine >= 0, y, strict=True):
        edges = np.flatnonzero(np.diff(np.concatenate(([0], row.astype(int), [0]))))
        for first, last in zip(edges[::2], edges[1::2], strict=True):
            strips.append(QRectF(x[first] - half_x, height - half_y, (last - first) * 2 * half_x, 2 * half_y))
    return strips
