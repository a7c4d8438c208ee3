"""The way ridden, coloured by a channel."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, down, fix, painter_of, real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.channels import long_name

TINTS, MOST_POINTS = 6, 1500


class TrackMap(QWidget):
    """The way ridden, north up, no map below it; darker where the channel is greater. A ring marks the cursor."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._x = self._y = self._tint = np.zeros(0)
        self._times = np.zeros(0)
        self._at_s = 0.0
        fix(self, high=150)

    def sizeHint(self) -> QSize:
        return real(280, 150)

    def show_track(self, ride: Ride | None, channel: str) -> None:
        """Show a ride's track; nothing where it has no positions."""
        lat, lon = (ride.get(one) for one in ("lat_deg", "lon_deg")) if ride is not None else (np.zeros(0), np.zeros(0))
        good = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
        self.setVisible(good.size > 1)
        if ride is None or good.size < 2:
            return
        good = good[:: max(1, good.size // MOST_POINTS)]
        self._times = ride.time_s[good]
        self._x, self._y = lon[good] * np.cos(np.radians(float(np.mean(lat[good])))), lat[good]
        values = ride.get(channel)[good]
        low, high = np.nanpercentile(values, [2, 98]) if np.isfinite(values).any() else (0.0, 1.0)
        share = np.nan_to_num((values - low) / max(float(high - low), 1e-9))
        self._tint = np.clip(np.floor(share * TINTS), 0, TINTS - 1)
        self.setAccessibleName(tr(f"track, darker where {long_name(channel)} is greater"))
        self.update()

    def point_at(self, at_s: float) -> None:
        """Mark the place of a moment."""
        self._at_s = at_s
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area(self), self.theme.color("sheet"))
        if self._x.size < 2:
            return
        span = max(float(np.ptp(self._x)) / (across(self) - 20), float(np.ptp(self._y)) / (down(self) - 20), 1e-12)
        middle_x, middle_y = (float(one.min() + one.max()) / 2 for one in (self._x, self._y))
        x = across(self) / 2 + (self._x - middle_x) / span
        y = down(self) / 2 - (self._y - middle_y) / span
        for tint in range(TINTS):
            lines = [QLineF(x[k], y[k], x[k + 1], y[k + 1]) for k in np.flatnonzero(self._tint[:-1] == tint).tolist()]
            painter.setPen(QPen(self.theme.color("stop", 0.2 + 0.8 * tint / (TINTS - 1)), 2))
            painter.drawLines(lines)  # type: ignore[call-overload]
        at = int(np.argmin(np.abs(self._times - self._at_s)))
        painter.setPen(QPen(self.theme.color("text"), 2))
        painter.drawEllipse(QPointF(x[at], y[at]), 5, 5)
