"""The share of the cells' power that reaches the road, over speed and force: a field of cells, each with its figure."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.frame import ticks_along, ticks_up
from crisp_hornet.bench.charts.paint import LEFT_GAP_PX, TICK_PX, centred_text, right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import truth_pen
from crisp_hornet.bench.scale import across, down, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.drive.efficiency import EfficiencyMap
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import Units

LEFT, RIGHT, TOP, BOTTOM = 56.0, 14.0, 22.0, 22.0
POOR, GOOD = 0.4, 0.95  # tints run from one to the other


class EfficiencyCells(QWidget):
    """A cell stands for its middle. Cells beyond full throttle of ``curve`` stay empty; its line is drawn over them."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.map: EfficiencyMap | None = None
        self._curve: PullCurve | None = None
        self._units = Units()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return real(660, 220)

    def minimumSizeHint(self) -> QSize:
        return real(300, 120)

    def show_units(self, units: Units) -> None:
        """The same map in other units."""
        if units != self._units:
            self.show_map(self.map, self._curve, units)

    def show_map(self, found: EfficiencyMap | None, curve: PullCurve | None, units: Units) -> None:
        """Show a map whose speeds and forces are evenly spaced, and the draft's full throttle."""
        self.map, self._curve, self._units = found, curve, units
        if found is not None and np.isfinite(found.efficiency).any():
            best = np.unravel_index(int(np.nanargmax(found.efficiency)), found.efficiency.shape)
            self.setAccessibleName(
                tr(
                    units.text(
                        say(
                            "efficiency, best {share} at {speed} and {force}",
                            share=quantity(found.efficiency[best], "", ".0%"),
                            speed=quantity(found.speed_kmh[best[1]], "km/h", ".0f"),
                            force=quantity(found.force_n[best[0]], "N", ".0f"),
                        )
                    )
                )
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        found, curve = self.map, self._curve
        painter = painter_of(self)
        painter.setFont(font(QUIET_PX))
        painter.setPen(self.theme.color("quiet"))
        if found is None or curve is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        unit = self._units.unit("km/h")
        painter.drawText(QPointF(LEFT, 14), tr(f"battery-to-road efficiency, %; wheel force, N, over {unit}"))
        box = QRectF(LEFT, TOP, across(self) - LEFT - RIGHT, down(self) - TOP - BOTTOM)
        wide, high = box.width() / found.speed_kmh.size, box.height() / found.force_n.size
        most_kmh, most_n = found.speed_kmh[-1] + found.speed_kmh[0], found.force_n[-1] + found.force_n[0]
        reached = np.interp(found.speed_kmh, curve.speed_kmh, curve.wheel_force_n)
        step_n = float(found.force_n[0]) * 2
        painter.save()
        painter.setClipRect(box)
        for (row, column), share in np.ndenumerate(found.efficiency):
            cell = QRectF(box.left() + column * wide, box.bottom() - (row + 1) * high, wide - 1, high - 1)
            if np.isfinite(share) and found.force_n[row] <= reached[column]:
                crossed = (
                    found.force_n[row] + step_n > reached[column]
                )  # a figure under the line would be struck through
                self._paint_cell(painter, cell, float(share), not crossed)
        line = [
            QPointF(box.left() + v / most_kmh * box.width(), box.bottom() - f / most_n * box.height())
            for v, f in zip(curve.speed_kmh, curve.wheel_force_n, strict=True)
        ]
        painter.setPen(truth_pen(self.theme, "drafted"))
        painter.drawPolyline(QPolygonF(line))
        painter.restore()
        self._paint_axes(painter, box, found)

    def _paint_cell(self, painter: QPainter, cell: QRectF, share: float, named: bool) -> None:
        background = self.theme.tint("ink", 0.49 * min(max((share - POOR) / (GOOD - POOR), 0.0), 1.0) ** 2)
        painter.fillRect(cell, background)
        painter.setPen(self.theme.readable_on(background))
        text = f"{100 * share:.0f}"
        if named and cell.height() >= QFontMetricsF(painter.font()).ascent():
            centred_text(painter, cell.center().x(), cell.center().y() + 5, text)

    def _paint_axes(self, painter: QPainter, box: QRectF, found: EfficiencyMap) -> None:
        painter.setPen(QPen(self.theme.color("quiet"), 1))
        most_n, most_kmh = found.force_n[-1] + found.force_n[0], found.speed_kmh[-1] + found.speed_kmh[0]
        for force in ticks_up(0, float(most_n), box.height()):
            right_text(
                painter, box.left() - LEFT_GAP_PX, box.bottom() - force / most_n * box.height() + 5, f"{force:g}"
            )
        for shown in ticks_along(0, self._units.value(float(most_kmh), "km/h"), box.width()):
            x = box.left() + self._units.back(shown, "km/h") / most_kmh * box.width()
            painter.drawLine(QPointF(x, box.bottom()), QPointF(x, box.bottom() + TICK_PX))
            centred_text(painter, x, down(self) - 5, f"{shown:g}", (0.0, float(across(self))))
