"""The pack as the voltage window of its cells, with the guards of the draft drawn in."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.frame import ticks_along
from crisp_hornet.bench.charts.paint import centred_text
from crisp_hornet.bench.scale import across, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

SIDE = 16.0


class PackWindow(QWidget):
    """One voltage scale: where the board trips, where the draft's fade lies, where the pack is full."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.bike: Bike | None = None
        self.tune: Tune | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return real(600, 92)

    def show_pack(self, bike: Bike, tune: Tune | None) -> None:
        """Draw a bike's pack, with a tune's low-voltage fade."""
        self.bike, self.tune = bike, tune
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.bike is None:
            return
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, pack = self.theme, self.bike.battery
        full = full_v(pack)
        low, high = pack.bms_trip_v - 0.15 * pack.series, full + 0.05 * pack.series

        def x(volts: float) -> float:
            return SIDE + (volts - low) / (high - low) * (across(self) - 2 * SIDE)

        bar = QRectF(x(pack.bms_trip_v), 34, x(full) - x(pack.bms_trip_v), 16)
        painter.setPen(QPen(theme.color("quiet"), 1))
        painter.setBrush(theme.color("sheet"))
        painter.drawRect(bar)
        if self.tune is not None:
            guard = self.tune.battery_guard
            fade = QRectF(x(guard.fade_end_v), 34, x(guard.fade_start_v) - x(guard.fade_end_v), 16)
            painter.fillRect(fade, theme.color("stop", 0.25))
            painter.setPen(theme.color("text"))
            painter.setFont(font(QUIET_PX))
            self._text(
                painter,
                (fade.left() + fade.right()) / 2,
                27,
                f"low-voltage cutoff {guard.fade_start_v:g} to {guard.fade_end_v:g} V",
            )
        painter.setFont(font(QUIET_PX))
        painter.setPen(QPen(theme.color("quiet"), 1))
        for tick in ticks_along(low, high, bar.width()):
            painter.drawLine(QPointF(x(tick), 50), QPointF(x(tick), 55))
            self._text(painter, x(tick), 69, f"{tick:g}")
        painter.setPen(QPen(theme.color("stop"), 2))
        painter.drawLine(QPointF(bar.left(), 30), QPointF(bar.left(), 54))
        self._text(painter, max(bar.left(), 40.0), 86, f"BMS cutoff {pack.bms_trip_v:g} V")
        painter.setFont(font(QUIET_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("text"))
        self._text(painter, bar.right() - 70, 86, f"full {full:.1f} V, {full / pack.series:.2f} V a cell")

    def _text(self, painter: QPainter, centre: float, y: float, text: str) -> None:
        centred_text(painter, centre, y, text, (0.0, float(across(self))))
