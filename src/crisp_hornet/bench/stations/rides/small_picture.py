"""What the small pictures beside the traces share: a sheet with its greatest and least figures at the rims."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter, QPolygonF
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.paint import right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, down, fix, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array

FOOT, HEAD, RIM = 20.0, 16.0, 4.0


class SmallPicture(QWidget):
    """``frame`` is where the figures are drawn; ``place`` turns shares of it into pixels."""

    def __init__(self, theme: Theme, height: int) -> None:
        super().__init__()
        self.theme = theme
        fix(self, high=height)

    def sizeHint(self) -> QSize:
        return real(280, self.maximumHeight())

    @property
    def frame(self) -> QRectF:
        """Inside the rims."""
        return QRectF(RIM, HEAD, across(self) - 2 * RIM, down(self) - HEAD - FOOT)

    def place(self, x: Array, y: Array, x_range: tuple[float, float], y_range: tuple[float, float]) -> QPolygonF:
        """Points (n,) in pixels."""
        frame = self.frame
        wide, high = (max(span[1] - span[0], 1e-9) for span in (x_range, y_range))
        px = frame.left() + (x - x_range[0]) / wide * frame.width()
        py = frame.bottom() - (y - y_range[0]) / high * frame.height()
        good = np.isfinite(px) & np.isfinite(py)
        return QPolygonF([QPointF(a, b) for a, b in zip(px[good].tolist(), py[good].tolist(), strict=True)])

    def words(self, painter: QPainter, head: str, left: str, right: str) -> None:
        """One text above the frame, one at either end below it."""
        painter.setFont(font(QUIET_PX))
        painter.setPen(self.theme.color("quiet"))
        painter.drawText(QPointF(RIM, HEAD - 4), tr(head))
        painter.drawText(QPointF(RIM, down(self) - 5), tr(left))
        right_text(painter, across(self) - RIM, down(self) - 5, right)
