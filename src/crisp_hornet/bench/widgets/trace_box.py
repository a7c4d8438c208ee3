"""Where a trace is drawn: dragged it pans; dragged with Shift it zooms to what was passed over, which is tinted meanwhile."""

from __future__ import annotations

from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import Qt

from crisp_hornet.bench.theme import Theme

LEAST_PX = 4  # less is a slip, no stretch that somebody wants to see


class TraceBox(pg.ViewBox):  # type: ignore[misc]
    """A view box that zooms in time only."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(enableMenu=False)
        self._tint = theme.color("text", 0.15)
        self._band: pg.LinearRegionItem | None = None

    def mouseDragEvent(self, event: Any, axis: int | None = None) -> None:
        shifted = event.button() == Qt.MouseButton.LeftButton and event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if not shifted and self._band is None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        start, now = (self.mapToView(place).x() for place in (event.buttonDownPos(), event.pos()))
        if event.isFinish():
            self._drop_band()
            if abs(event.pos().x() - event.buttonDownPos().x()) >= LEAST_PX:
                self.setXRange(min(start, now), max(start, now), padding=0)
            return
        if self._band is None:
            self._band = pg.LinearRegionItem(movable=False, brush=self._tint, pen=pg.mkPen(None))
            self.addItem(self._band, ignoreBounds=True)
        self._band.setRegion((min(start, now), max(start, now)))

    def _drop_band(self) -> None:
        if self._band is not None:
            self.removeItem(self._band)
            self._band = None
