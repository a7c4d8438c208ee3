"""The pictures over the three doors: a bike on a stand, a bike on the ground, traces of a ride."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.scale import across, down, fix, painter_of
from crisp_hornet.bench.theme import Theme

HIGH, SMALLER = 122, 0.8
RADIUS, BASE = 33.0, 126.0
PRACTISE, BUILD, RIDE = "practise", "build", "ride"


class DoorPicture(QWidget):
    """``what`` is one of the three doors."""

    def __init__(self, what: str, theme: Theme) -> None:
        super().__init__()
        self.what, self.theme = what, theme
        self._foot = 0.0
        fix(self, high=HIGH)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.what == RIDE:
            self._traces(painter)
            return
        painter.scale(SMALLER, SMALLER)
        self._foot = down(self) / SMALLER - 8
        rear = QPointF(across(self) / SMALLER / 2 - BASE / 2, self._foot - 14 - RADIUS)
        self._bike(painter, rear)
        if self.what == PRACTISE:
            self._stand(painter, rear)
        else:
            self._ground(painter, rear)

    def _bike(self, painter: QPainter, rear: QPointF) -> None:
        theme, front, crank = self.theme, rear + QPointF(BASE, 0), rear + QPointF(50, 4)
        seat, head = rear + QPointF(28, -56), rear + QPointF(96, -58)
        painter.setPen(QPen(theme.color("rule"), 7, cap=Qt.PenCapStyle.RoundCap))
        for start, end in (
            (rear, crank), (rear, seat + QPointF(3, 14)), (crank, seat), (crank, head), (seat + QPointF(5, 14), head), (head, front),
            (head, head + QPointF(-5, -20)), (head + QPointF(-5, -20), head + QPointF(-22, -22)),
        ):  # fmt: skip
            painter.drawLine(start, end)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("text"), 3))
        for hub in (rear, front):
            painter.drawEllipse(hub, RADIUS, RADIUS)
        painter.setPen(QPen(theme.color("text"), 1.4))
        painter.setBrush(theme.color("quiet"))
        painter.drawEllipse(rear, 11, 11)

    def _stand(self, painter: QPainter, rear: QPointF) -> None:
        painter.setPen(QPen(self.theme.color("text"), 3, cap=Qt.PenCapStyle.RoundCap))
        foot = self._foot
        for side in (-22, 22):
            painter.drawLine(rear, QPointF(rear.x() + side, foot))
        painter.drawLine(QPointF(rear.x() - 30, foot), QPointF(rear.x() + 30, foot))

    def _ground(self, painter: QPainter, rear: QPointF) -> None:
        ground = rear.y() + RADIUS + 2
        painter.setPen(QPen(self.theme.color("quiet"), 1.4))
        painter.drawLine(QPointF(rear.x() - 50, ground), QPointF(rear.x() + BASE + 50, ground))
        for x in (rear.x(), rear.x() + BASE):  # what each wheel carries
            painter.drawLine(QPointF(x, ground + 3), QPointF(x, ground + 14))

    def _traces(self, painter: QPainter) -> None:
        wide, lane = across(self) - 44, (down(self) - 24) / 3
        for number in range(3):
            top = 8 + number * (lane + 4)
            painter.fillRect(QRectF(22, top, wide, lane), self.theme.color("ground"))
            line = QPolygonF(
                [
                    QPointF(22 + at, top + lane * (0.55 - 0.35 * _shape(number, at / wide)))
                    for at in range(0, int(wide), 3)
                ]
            )
            painter.setPen(QPen(self.theme.color("measured"), 1.4))
            painter.drawPolyline(line)
        painter.setPen(QPen(self.theme.color("text"), 1.4))
        painter.drawLine(QPointF(22 + wide / 2, 4), QPointF(22 + wide / 2, down(self) - 8))


def _shape(number: int, share: float) -> float:
    """What such a trace looks like: no figures of anybody's."""
    return math.sin(share * (9 + 4 * number)) * math.cos(share * (21 - 5 * number)) + 0.2 * math.sin(
        60 * share + number
    )
