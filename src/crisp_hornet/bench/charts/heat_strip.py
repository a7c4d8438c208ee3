"""Under the pull chart: minutes of full pull until heat fades it, by speed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.force_axes import LEFT, RIGHT
from crisp_hornet.bench.charts.paint import centred_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.core.arrays import Array

CELLS = 24
HEIGHT = 36
COOL_MIN = 30.0  # from here on a cell is as light as it gets


class HeatStrip(QWidget):
    """Aligned with a force chart above it. Cells are tints of one colour and say their figure."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._minutes: list[float] = []
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return real(660, HEIGHT)

    def show_seconds(self, seconds: Array, pulls: NDArray[np.bool_]) -> None:
        """Show times (s, (n,)) over the chart's speeds; NaN minutes where there is no pull."""
        parts = np.array_split(np.arange(len(seconds)), CELLS)
        minutes = [float(np.min(seconds[part]) / 60) if bool(np.any(pulls[part])) else float("nan") for part in parts]
        minutes = [
            float(f"{minute:.2g}") for minute in minutes
        ]  # finer than anyone sees: most steps of a drag change nothing
        if repr(minutes) == repr(self._minutes):
            return
        self._minutes = minutes
        shown = [f"{minutes:.0f}" for minutes in self._minutes if np.isfinite(minutes)]
        self.setAccessibleName(
            tr(
                "Minutes at full throttle until derating, from standstill upwards: "
                + (", ".join(shown) or "no derating")
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        theme = self.theme
        painter.fillRect(area(self), theme.color("ground"))
        painter.setFont(font(QUIET_PX))
        wide = (across(self) - LEFT - RIGHT) / CELLS
        for index, minutes in enumerate(self._minutes):
            if np.isnan(minutes):
                continue
            heat = 0.0 if np.isinf(minutes) else max(0.0, 1 - float(np.log1p(minutes) / np.log1p(COOL_MIN)))
            box = QRectF(LEFT + index * wide + 0.5, 0, wide - 1, 16)
            background = theme.tint("stop", heat)
            painter.fillRect(box, background)
            text = "" if np.isinf(minutes) else "<1" if minutes < 1 else f"{minutes:.0f}"
            painter.setPen(theme.readable_on(background))
            centred_text(painter, box.center().x(), 13, text)
        painter.setPen(theme.color("quiet"))
        words = "minutes at full throttle from cold until derating; blank: over 4 h"
        painter.drawText(QPointF(LEFT, 31), tr(words))
