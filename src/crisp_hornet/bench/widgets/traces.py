"""Channels of a ride below each other on one time axis, with a shared cursor.

Drag pans, the wheel zooms in time, left and right move the cursor, Home shows the whole ride.
"""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.units import Units
from crisp_hornet.core.derived import UNITS as WORKED_OUT_UNITS
from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.motor import Array
from crisp_hornet.core.pyramid import Pyramid
from crisp_hornet.documents.channels import UNITS

SHOWN = ["wheel_speed_kmh", "pack_v", "battery_a", "phase_a", "throttle", "motor_c", "human_nm", "altitude_m"]
WORDS = {
    "wheel_speed_kmh": "speed",
    "pack_v": "pack",
    "battery_a": "battery",
    "phase_a": "phase",
    "throttle": "throttle",
    "motor_c": "motor",
    "controller_c": "controller",
    "human_nm": "rider",
    "altitude_m": "height",
    "gps_speed_kmh": "GPS",
    "cadence_rpm": "cadence",
    "motor_rpm": "motor",
    "battery_w": "electric", "wh": "energy", "ah": "charge", "distance_km": "way", "acceleration_mps2": "accel.", "human_w": "rider",
    "wheel_w": "road", "human_share": "rider", "efficiency": "to road", "rested_v": "rested", "d_axis_a": "d-axis",
}  # fmt: skip


ALL_UNITS = UNITS | WORKED_OUT_UNITS
TIME_STEPS_S = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 1800.0, 3600.0)


class TimeAxis(pg.AxisItem):  # type: ignore[misc]
    """Ticks as minutes and seconds."""

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        wanted = (maxVal - minVal) / max(size / 90, 1)
        return [(next((step for step in TIME_STEPS_S if step >= wanted), 3600.0), 0.0)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [clock(value) for value in values]


class SizeAxis(pg.AxisItem):  # type: ignore[misc]
    """As many round ticks as have room below each other."""

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        wanted = max((maxVal - minVal) / max(size / (1.05 * QUIET_PX), 1), 1e-9)
        power = 10.0 ** np.floor(np.log10(wanted))
        return [(float(next((one * power for one in (1, 2, 5) if one * power >= wanted), 10 * power)), 0.0)]


class Traces(QWidget):
    """``pointed`` carries the time (s) under the cursor; ``ranged``: another stretch is in view."""

    pointed = pyqtSignal(float)
    ranged = pyqtSignal()

    def __init__(self, theme: Theme, channels: list[str] | None = None) -> None:
        super().__init__()
        self.theme = theme
        self._always = channels or SHOWN
        self._besides, self._besides_values = "", np.zeros(0)
        self.ride: Ride | None = None
        self.at_s = 0.0
        self.units = Units()
        self._plots: list[pg.PlotItem] = []
        self._curves: list[tuple[pg.PlotDataItem, Pyramid]] = []
        self._cursors: list[pg.InfiniteLine] = []
        self._view = pg.GraphicsLayoutWidget()
        self._view.setAntialiasing(False)
        self._view.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._view.ci.layout.setSpacing(2)
        self._view.ci.layout.setContentsMargins(0, 0, 0, 0)
        self._view.scene().sigMouseMoved.connect(self._mouse_moved)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._view)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Channels over time; left and right move the cursor, Home shows the whole ride")

    def show_ride(self, ride: Ride | None) -> None:
        """Show a ride's channels, those it has."""
        if ride is not self.ride:
            self._besides = ""
        self.ride = ride
        self._lay_out()

    def _lay_out(self) -> None:
        ride = self.ride
        self._view.clear()
        self._plots, self._cursors, self._curves = [], [], []
        self._view.setBackground(self.theme.color("ground"))
        if ride is None or not len(ride):
            return
        present = [name for name in self.channels if ride.has(name) or name == self._besides]
        if not present:
            return
        for row, name in enumerate(present):
            self._add_plot(row, name, ride, last=row == len(present) - 1)
        self._view.ci.setGeometry(self._view.range)  # while it was empty it shrank to its least, and would stay so
        self._plots[0].sigXRangeChanged.connect(self._show_range)
        self._show_all()
        self._show_range()
        self.point_at(float(ride.time_s[int(0.3 * (len(ride) - 1))]))

    @property
    def channels(self) -> list[str]:
        """What is shown, from the top, where the ride has it."""
        return [*self._always, self._besides] if self._besides else self._always

    def show_besides(self, channel: str, values: Array) -> None:
        """Show one more channel (n,) of the ride below the usual ones; what is shown anyway is not shown twice."""
        wanted = "" if channel in self._always else channel
        same = wanted == self._besides and (not wanted or values is self._besides_values)
        if self.ride is None or same:
            return
        view, at = self.in_view, self.at_s
        self._besides, self._besides_values = wanted, values
        self._lay_out()
        if self._plots:
            self._plots[0].setXRange(*view, padding=0)
            self.point_at(at)

    def _get(self, channel: str) -> Array:
        assert self.ride is not None
        return self._besides_values if channel == self._besides else self.ride.get(channel)

    def show_units(self, units: Units) -> None:
        """Show figures in these units."""
        if units != self.units:
            self.units = units
            self.show_ride(self.ride)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.theme = theme
        self.show_ride(self.ride)

    def point_at(self, at_s: float) -> None:
        """Move the cursor to the sample nearest to a time."""
        if self.ride is None or not len(self.ride):
            return
        index = int(np.argmin(np.abs(self.ride.time_s - at_s)))
        self.at_s = float(self.ride.time_s[index])
        for cursor in self._cursors:
            cursor.setPos(self.at_s)
        self.pointed.emit(self.at_s)

    def values_at_cursor(self) -> str:
        """For example ``6:32 · 31.0 km/h · 59.1 V``."""
        if self.ride is None or not len(self.ride):
            return ""
        index = int(np.argmin(np.abs(self.ride.time_s - self.at_s)))
        words = [clock(self.at_s)]
        for name in self.channels:
            value = float(self._get(name)[index])
            if np.isfinite(value):
                number = f"{100 * value:.0f} %" if name == "throttle" else f"{value:.1f} {ALL_UNITS[name]}".strip()
                words.append(f"{WORDS.get(name, name)} {number}")
        return self.units.text(" · ".join(words))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.ride is not None and len(self.ride) and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            samples = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            index = int(np.argmin(np.abs(self.ride.time_s - self.at_s)))
            index += samples if event.key() == Qt.Key.Key_Right else -samples
            self.point_at(float(self.ride.time_s[min(max(index, 0), len(self.ride) - 1)]))
        elif self._plots and event.key() == Qt.Key.Key_Home:
            self._show_all()
        else:
            super().keyPressEvent(event)

    def _shown(self, name: str, values: Array) -> Array:
        if name == "throttle":
            return 100 * values
        low, high = self.units.value(0.0, ALL_UNITS[name]), self.units.value(1.0, ALL_UNITS[name])
        if (low, high) == (0.0, 1.0):
            return values
        return low + (high - low) * values

    def _show_all(self) -> None:
        assert self.ride is not None
        self._plots[0].setXRange(0.0, float(self.ride.time_s[-1]), padding=0)

    @property
    def in_view(self) -> tuple[float, float]:
        """From when to when the traces show (s)."""
        if not self._plots:
            return 0.0, 0.0
        low, high = self._plots[0].viewRange()[0]
        return float(low), float(high)

    def _show_range(self, *_: object) -> None:
        """Give each curve just the points that its pixels can show."""
        if self.ride is None or not self._plots:
            return
        low, high = self._plots[0].viewRange()[0]
        pixels = max(int(self._plots[0].getViewBox().width()), 200)
        for curve, pyramid in self._curves:
            x, y = pyramid.between(self.ride.time_s, low, high, pixels)
            curve.setData(x, y, connect=_joined(x, y))
        self.ranged.emit()

    def _add_plot(self, row: int, name: str, ride: Ride, last: bool) -> None:
        theme = self.theme
        unit = "%" if name == "throttle" else self.units.unit(ALL_UNITS[name])
        words = pg.LabelItem(f"{WORDS.get(name, name)} {unit}", justify="left", color=theme.quiet, size=f"{QUIET_PX}px")
        words.setFixedWidth(80)
        self._view.addItem(words, row=row, col=0)
        axes = {"bottom": TimeAxis("bottom"), "left": SizeAxis("left")}
        plot = self._view.addPlot(row=row, col=1, axisItems=axes, enableMenu=False)
        plot.hideButtons()
        plot.setMouseEnabled(x=True, y=False)
        plot.getViewBox().setBackgroundColor(theme.color("sheet"))
        plot.getViewBox().setLimits(xMin=0, xMax=float(ride.time_s[-1]))
        curve = pg.PlotDataItem()
        plot.addItem(curve)
        curve.setPen(pg.mkPen(theme.color("measured"), width=1))
        values = self._shown(name, self._get(name))
        pyramid = Pyramid(values)
        self._curves.append((curve, pyramid))
        low, high = pyramid.extremes
        plot.setYRange(low, high if high > low else low + 1, padding=0.06)
        left, bottom = plot.getAxis("left"), plot.getAxis("bottom")
        left.setWidth(34)
        for axis in (left, bottom):
            axis.setTickFont(font(QUIET_PX))
            axis.setPen(pg.mkPen(theme.color("rule")))
            axis.setTextPen(pg.mkPen(theme.color("quiet")))
        left.setStyle(autoReduceTextSpace=False)
        bottom.setStyle(showValues=last)
        bottom.setHeight(22 if last else 4)
        cursor = pg.InfiniteLine(angle=90, pen=pg.mkPen(theme.color("text"), width=1))
        plot.addItem(cursor, ignoreBounds=True)
        self._cursors.append(cursor)
        if self._plots:
            plot.setXLink(self._plots[0])
        self._plots.append(plot)

    def _mouse_moved(self, place: object) -> None:
        for plot in self._plots:
            if plot.sceneBoundingRect().contains(place):
                self.point_at(plot.getViewBox().mapSceneToView(place).x())
                return


def _joined(x: Array, y: Array) -> NDArray[np.int32]:
    """Which points to join with the next: not over missing values, nor over a gap in which nothing was recorded."""
    joined = np.zeros(len(x), np.int32)
    if len(x) > 1:
        steps = np.diff(x)
        usual = float(np.median(steps))
        joined[:-1] = np.isfinite(y[:-1]) & np.isfinite(y[1:]) & (steps <= max(8 * usual, 2.0))
    return joined


def clock(seconds: float) -> str:
    """``6:32`` for 392 s."""
    whole = max(0, round(seconds))
    return (
        f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"
        if whole >= 3600
        else f"{whole // 60}:{whole % 60:02d}"
    )
