"""Beside the traces: the track coloured by a channel, the time spent at each of its sizes, and the figures of what is in view."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from crisp_hornet.bench.desk import Desk
from crisp_hornet.bench.stations.rides.mapping_panel import WORDS
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.bench.widgets.traces import ALL_UNITS, Traces, clock
from crisp_hornet.core.derived import derivable, derived
from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.motor import Array
from crisp_hornet.core.spread import stretch, time_at
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.channels import UNITS

TINTS, MOST_POINTS = 6, 1500
WORKED_OUT = {
    "battery_w": "electric power", "wh": "energy drawn", "ah": "charge drawn", "distance_km": "way ridden", "grade": "grade",
    "acceleration_mps2": "acceleration", "human_w": "rider's power", "wheel_w": "power on the road, estimated",
    "human_share": "rider's share", "efficiency": "battery to road, estimated", "rested_v": "rested voltage, estimated",
}  # fmt: skip


class TrackMap(QWidget):
    """The way ridden, north up, no map below it; darker where the channel is greater. A ring marks the cursor."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._x = self._y = self._tint = np.zeros(0)
        self._times = np.zeros(0)
        self._at_s = 0.0
        self.setFixedHeight(150)

    def sizeHint(self) -> QSize:
        return QSize(280, 150)

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
        self.setAccessibleName(f"track, darker where {WORDS.get(channel, channel)} is greater")
        self.update()

    def point_at(self, at_s: float) -> None:
        """Mark the place of a moment."""
        self._at_s = at_s
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("sheet"))
        if self._x.size < 2:
            return
        span = max(float(np.ptp(self._x)) / (self.width() - 20), float(np.ptp(self._y)) / (self.height() - 20), 1e-12)
        middle_x, middle_y = (float(one.min() + one.max()) / 2 for one in (self._x, self._y))
        x = self.width() / 2 + (self._x - middle_x) / span
        y = self.height() / 2 - (self._y - middle_y) / span
        for tint in range(TINTS):
            lines = [QLineF(x[k], y[k], x[k + 1], y[k + 1]) for k in np.flatnonzero(self._tint[:-1] == tint).tolist()]
            painter.setPen(QPen(self.theme.color("stop", 0.2 + 0.8 * tint / (TINTS - 1)), 2))
            painter.drawLines(lines)  # type: ignore[call-overload]
        at = int(np.argmin(np.abs(self._times - self._at_s)))
        painter.setPen(QPen(self.theme.color("text"), 2))
        painter.drawEllipse(QPointF(x[at], y[at]), 5, 5)


class TimeAt(QWidget):
    """Bars: how long the ride was at each size of a channel."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._edges = self._seconds = np.zeros(0)
        self._unit = ""
        self.setFixedHeight(100)

    def show_bars(self, edges: Array, seconds: Array, unit: str) -> None:
        """Show other bars."""
        self._edges, self._seconds, self._unit = edges, seconds, unit
        if seconds.size:
            most = int(np.argmax(seconds))
            self.setAccessibleName(
                f"time at: most at {edges[most]:.4g} to {edges[most + 1]:.4g} {unit}, {clock(float(seconds[most]))}"
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.color("sheet"))
        if not self._seconds.size:
            return
        wide, high = self.width() / len(self._seconds), self.height() - 34.0
        most = float(self._seconds.max()) or 1.0
        for at, seconds in enumerate(self._seconds.tolist()):
            bar = high * seconds / most
            painter.fillRect(QRectF(at * wide + 1, 14 + high - bar, wide - 2, bar), self.theme.color("measured"))
        painter.setFont(font(QUIET_PX))
        painter.setPen(self.theme.color("quiet"))
        metrics = QFontMetricsF(painter.font())
        painter.drawText(QPointF(2, 12), f"at most {clock(most)}")
        texts = (f"{self._edges[0]:.3g}", f"{self._edges[-1]:.4g} {self._unit}")
        painter.drawText(QPointF(2, self.height() - 5), texts[0])
        painter.drawText(QPointF(self.width() - metrics.horizontalAdvance(texts[1]) - 2, self.height() - 5), texts[1])


class RideSide(QWidget):
    """The right side of Rides."""

    def __init__(self, desk: Desk, theme: Theme, traces: Traces) -> None:
        super().__init__()
        self._desk, self._traces = desk, traces
        self._more: tuple[Ride, Bike, Ride] | None = None  # the ride, its bike, and it with what is worked out
        self.channel = QComboBox()
        self.channel.setAccessibleName("channel to look at")
        self.channel.activated.connect(lambda _at: self.refresh())
        self.track, self.bars = TrackMap(theme), TimeAt(theme)
        self.figures = label("", "quiet", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.channel)
        for widget in (self.track, label("TIME AT", "caps"), self.bars, label("IN VIEW", "caps"), self.figures):
            column.addWidget(widget)
        column.addStretch(1)
        traces.pointed.connect(self.track.point_at)
        traces.ranged.connect(lambda: self._show_figures())

    def refresh(self) -> None:
        """Show the open ride."""
        ride = self._desk.ride
        self.setVisible(ride is not None)
        if ride is None:
            return
        present = [name for name in WORDS if name in UNITS and name not in ("lat_deg", "lon_deg") and ride.has(name)]
        names = [WORDS[name] for name in present]
        if self._desk.bike is not None:
            names += [WORKED_OUT[name] for name in derivable(ride)]
        if [self.channel.itemText(at) for at in range(self.channel.count())] != names:
            now = self.channel.currentText()
            self.channel.clear()
            self.channel.addItems(names)
            self.channel.setCurrentIndex(names.index(now) if now in names else 0)
        shown = self._shown(ride)
        self._traces.show_besides(self._name, shown.get(self._name))
        self.track.show_track(shown, self._name)
        edges, seconds = time_at(shown, self._name)
        self.bars.show_bars(self._turned(edges), seconds, self._unit)
        self._show_figures()

    def _shown(self, ride: Ride) -> Ride:
        """The ride, with what is worked out from it once that is asked for."""
        bike = self._desk.bike
        if self._name in UNITS or bike is None:
            return ride
        if self._more is None or self._more[0] is not ride or self._more[1] != bike:
            self._more = ride, bike, Ride(ride.name, ride.time_s, ride.channels | derived(ride, bike))
        return self._more[2]

    @property
    def _name(self) -> str:
        every = WORKED_OUT | {name: words for name, words in WORDS.items() if name in UNITS}
        return next((name for name, words in every.items() if words == self.channel.currentText()), "wheel_speed_kmh")

    @property
    def _unit(self) -> str:
        return "%" if self._name == "throttle" else self._desk.units.unit(ALL_UNITS[self._name])

    def _turned(self, values: Array) -> Array:
        if self._name == "throttle":
            return 100 * values
        low, high = (self._desk.units.value(one, ALL_UNITS[self._name]) for one in (0.0, 1.0))
        turned: Array = low + (high - low) * values
        return turned

    def _show_figures(self) -> None:
        ride = self._desk.ride
        if ride is None or not self.isVisible():
            return
        low, high = self._traces.in_view
        found = stretch(self._shown(ride), self._name, low, high)
        if found is None:
            self.figures.setText("Nothing was recorded in view.")
            return
        least, mean, most = self._turned(np.array([found.least, found.mean, found.most])).tolist()
        self.figures.setText(
            f"{clock(low)} to {clock(high)}: {least:.4g} to {most:.4g} {self._unit}, on average {mean:.4g}"
        )
