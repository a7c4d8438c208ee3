"""Channels of a ride below each other on one axis, time or way, with a shared cursor; a second ride behind them, if wanted.

Drag pans, with Shift it zooms to what it passes over; the wheel and + and - zoom, Page Up and Page Down go on by half of what is in view,
left and right move the cursor, Home shows the whole ride.
"""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.drawn import MOST_ROWS, Figures
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import px
from crisp_hornet.bench.theme import QUIET_PX, Theme, real_font
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.trace_parts import Ribbon, SizeAxis, TimeAxis, TraceBox, WayAxis, clock
from crisp_hornet.bench.widgets.trace_rows import WHOLE, Rows, limit_word, told, turned, unit_of
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.along import way_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.gaps import LEAST_S, longest_step_s
from crisp_hornet.core.ride.pyramid import Pyramid
from crisp_hornet.documents.channels import UNITS, short_name
from crisp_hornet.documents.units import Units

RIBBON_PX = 26
GAP_KM = 0.2
KINDS = ("limit",)  # a row of kinds instead of sizes
PREDICTED = ("predicted_w",)  # drawn as what was on the controller, not as measured
DASHES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine)
ZOOMS = {Qt.Key.Key_Plus: 0.5, Qt.Key.Key_Equal: 0.5, Qt.Key.Key_Minus: 2.0}
PAGES = {Qt.Key.Key_PageUp: -0.5, Qt.Key.Key_PageDown: 0.5}


class Traces(QWidget):
    """``pointed`` carries the time (s) under the cursor; ``ranged``: another stretch is in view."""

    pointed = pyqtSignal(float)
    ranged = pyqtSignal()

    def __init__(self, theme: Theme, rows: Rows = WHOLE) -> None:
        super().__init__()
        self.theme = theme
        self._rows = rows
        self.ride: Ride | None = None
        self.other: Ride | None = None
        self.by_way = False
        self.at_s = 0.0
        self.units = Units()
        self._x, self._gap = np.zeros(0), LEAST_S
        self._built: object = (
            None  # what the plots were built for; another ride of the same kind goes into the same plots
        )
        self._plots: list[pg.PlotItem] = []
        self._curves: list[tuple[pg.PlotDataItem, Pyramid]] = []
        self._cursors: list[pg.InfiniteLine] = []
        self._lines: list[list[pg.PlotDataItem]] = []
        self._view = pg.GraphicsLayoutWidget()
        self._view.setAntialiasing(False)
        self._view.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._view.ci.layout.setSpacing(5)
        self._view.ci.layout.setContentsMargins(0, 0, 0, 0)
        self._view.scene().sigMouseMoved.connect(self._mouse_moved)
        column = column_of(self, margins=0)
        column.addWidget(self._view)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(
            tr("Channels of the ride; left and right move the cursor, plus and minus zoom, Home shows the whole ride")
        )

    # --- what is shown --------------------------------------------------------------------------------------

    def show_ride(self, ride: Ride | None, rows: Rows | None = None, other: Ride | None = None) -> None:
        """Show rows of a ride's channels, those it has, and behind them those of another ride laid along it. View and cursor stay
        where they are as long as the ride's times are the same ones."""
        rows = self._rows if rows is None else rows
        if ride is self.ride and rows == self._rows and other is self.other and self._plots:
            return
        stays = self.ride is not None and ride is not None and ride.time_s is self.ride.time_s and bool(self._plots)
        self.ride, self._rows, self.other = ride, rows, other
        self._lay_out(stays)

    def show_units(self, units: Units) -> None:
        """Show figures in these units."""
        if units != self.units:
            self.units = units
            self._lay_out(stays=bool(self._plots))

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.theme = theme
        self._lay_out(stays=bool(self._plots))

    def set_by_way(self, by_way: bool) -> None:
        """Lay everything out along the way, where the ride tells it, or along the time."""
        if by_way != self.by_way:
            view, at_s = self.in_view, self.at_s
            self.by_way = by_way
            self._lay_out(stays=False)
            if view[1] > view[0]:
                self.show_between(*view)
                self.point_at(at_s)

    @property
    def channels(self) -> list[str]:
        """What is shown, from the top."""
        ride = self.ride
        return [] if ride is None else [name for row in self._rows for name in row if ride.has(name)]

    def _lay_out(self, stays: bool) -> None:
        ride, view, at = self.ride, self._plots[0].viewRange()[0] if self._plots else None, self.at_s
        present = () if ride is None or not len(ride) else self._present(ride)
        if ride is None or not present:
            self._clear()
            return
        way = way_km(ride) if self.by_way else None
        self._x, self._gap = (ride.time_s, longest_step_s(ride.time_s)) if way is None else (way, GAP_KM)
        behind = tuple(self.other is not None and self.other.has(row[0]) for row in present)
        wanted = (present, behind, self.theme, self.units, way is None)
        if wanted != self._built:
            self._clear()
            for at_row, row in enumerate(present):
                self._add_plot(at_row, row, behind[at_row], last=at_row == len(present) - 1)
            self._view.ci.setGeometry(self._view.range)  # while it was empty it shrank to its least, and would stay so
            self._plots[0].sigXRangeChanged.connect(self._show_range)
            self._built = wanted
        self._fill(present, ride)
        if stays and view is not None:
            self._plots[0].setXRange(*view, padding=0)
        else:
            self.show_all()
        self._show_range()
        self.point_at(at if stays else float(ride.time_s[int(0.3 * (len(ride) - 1))]))

    def _present(self, ride: Ride) -> Rows:
        return tuple(row for row in (tuple(name for name in row if ride.has(name)) for row in self._rows) if row)

    def _clear(self) -> None:
        self._view.clear()
        self._view.setBackground(self.theme.color("ground"))
        self._plots, self._cursors, self._curves, self._lines, self._built = [], [], [], [], None

    def _fill(self, present: Rows, ride: Ride) -> None:
        """Give each row its figures."""
        self._curves = []
        for plot, names, lines in zip(self._plots, present, self._lines, strict=True):
            plot.getViewBox().setLimits(xMin=0, xMax=float(self._x[-1]))
            if names == KINDS:
                for old in [item for item in plot.items if isinstance(item, Ribbon)]:
                    plot.removeItem(old)
                plot.addItem(Ribbon(self.theme, self._x, ride.get(names[0]), limit_word))
                continue
            behind = [(self.other, names[0])] if len(lines) > len(names) and self.other is not None else []
            shown = [*behind, *((ride, name) for name in names)]
            pyramids = [Pyramid(turned(name, one.get(name), self.units)) for one, name in shown]
            self._curves += list(zip(lines, pyramids, strict=True))
            extremes = [pyramid.extremes for pyramid in pyramids]
            low, high = min(one for one, _ in extremes), max(one for _, one in extremes)
            plot.setYRange(low, high if high > low else low + 1, padding=0.06)

    # --- cursor and view ------------------------------------------------------------------------------------

    def point_at(self, at_s: float) -> None:
        """Move the cursor to the sample nearest to a time."""
        if self.ride is None or not len(self.ride):
            return
        row = self._row_at(at_s)
        self.at_s = float(self.ride.time_s[row])
        for cursor in self._cursors:
            cursor.setPos(float(self._x[row]))
        self.setAccessibleDescription(tr(self.values_at_cursor()))
        self.pointed.emit(self.at_s)

    def _row_at(self, at_s: float) -> int:
        assert self.ride is not None
        return _nearest(self.ride.time_s, at_s)

    def values_at_cursor(self) -> str:
        """For example ``6:32 · speed 31.0 km/h · pack 59.1 V``; with another ride behind, its figures in brackets."""
        if self.ride is None or not len(self.ride):
            return ""
        row = self._row_at(self.at_s)
        words = [clock(self.at_s)]
        for name in self.channels:
            here = self.units.text(told(name, float(self.ride.get(name)[row])))
            there = self.units.text(told(name, float(self.other.get(name)[row]))) if self.other is not None else ""
            there = there.removeprefix(f"{short_name(name)} ")
            if here:
                words.append(f"{here} ({there})" if there else here)
        return " · ".join(words)

    def figures(self) -> Figures:
        """What is in view as a table: a row for each of some sixty moments."""
        if self.ride is None or not len(self.ride):
            return Figures([])
        low, high = self.in_view
        moments = np.linspace(low, high, MOST_ROWS)
        rows = [self._row_at(float(at_s)) for at_s in moments]
        heads = ["time", *(f"{short_name(name)}, {UNITS.get(name, '')}".rstrip(", ") for name in self.channels)]
        values = [self.ride.get(name) for name in self.channels]
        table = [
            [clock(float(self.ride.time_s[row])), *(_figure(one[row]) for one in values)] for row in dict.fromkeys(rows)
        ]
        return Figures(heads, table)

    @property
    def in_view(self) -> tuple[float, float]:
        """From when to when the traces show (s)."""
        if not self._plots or self.ride is None:
            return 0.0, 0.0
        low, high = self._plots[0].viewRange()[0]
        if self._x is self.ride.time_s:
            return float(low), float(high)
        rows = np.clip(np.searchsorted(self._x, [low, high]), 0, len(self._x) - 1)
        return float(self.ride.time_s[rows[0]]), float(self.ride.time_s[rows[1]])

    def show_between(self, from_s: float, to_s: float) -> None:
        """Bring what lies between two times into view."""
        if self.ride is not None and self._plots:
            time = self.ride.time_s
            low, high = (from_s, to_s) if self._x is time else np.interp([from_s, to_s], time, self._x).tolist()
            self._plots[0].setXRange(low, max(high, low + 1e-6), padding=0)

    def show_all(self) -> None:
        """Bring the whole ride into view."""
        if self._plots:
            self._plots[0].setXRange(0.0, float(self._x[-1]), padding=0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        if self.ride is None or not self._plots:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            samples = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            row = self._row_at(self.at_s) + (samples if key == Qt.Key.Key_Right else -samples)
            self.point_at(float(self.ride.time_s[min(max(row, 0), len(self.ride) - 1)]))
        elif key == Qt.Key.Key_Home:
            self.show_all()
        elif key in ZOOMS or key in PAGES:
            low, high = self._plots[0].viewRange()[0]
            cursor = float(self._x[self._row_at(self.at_s)])
            middle = min(max(cursor, low), high)
            zoom, page = ZOOMS.get(key, 1.0), PAGES.get(key, 0.0) * (high - low)
            self._plots[0].setXRange(
                middle - (middle - low) * zoom + page, middle + (high - middle) * zoom + page, padding=0
            )
        else:
            super().keyPressEvent(event)

    def _mouse_moved(self, place: object) -> None:
        for plot in self._plots:
            if self.ride is not None and plot.sceneBoundingRect().contains(place):
                row = _nearest(self._x, plot.getViewBox().mapSceneToView(place).x())
                self.point_at(float(self.ride.time_s[row]))
                return

    def _show_range(self, *_: object) -> None:
        """Give each curve just the points that its pixels can show."""
        if not self._plots:
            return
        low, high = self._plots[0].viewRange()[0]
        pixels = max(int(self._plots[0].getViewBox().width()), 200)
        for curve, pyramid in self._curves:
            x, y = pyramid.between(self._x, low, high, pixels)
            curve.setData(x, y, connect=_joined(x, y, self._gap))
        self.ranged.emit()

    # --- one row --------------------------------------------------------------------------------------------

    def _add_plot(self, row: int, names: tuple[str, ...], behind: bool, last: bool) -> None:
        plot = self._empty_plot(row, names, last)
        self._view.ci.layout.setRowMaximumHeight(row, px(RIBBON_PX + (22 if last else 4)) if names == KINDS else 1e6)
        if names == KINDS:
            plot.setYRange(0, 1, padding=0)
            plot.getAxis("left").setStyle(showValues=False)
        measured, quiet = self.theme.color("measured"), self.theme.color("quiet")
        pens = [pg.mkPen(quiet, width=1)] if behind else []
        pens += [
            pg.mkPen(self.theme.color("controller") if name in PREDICTED else measured, width=1, style=dash)
            for name, dash in zip(names, DASHES, strict=False)
        ]
        lines = [pg.PlotDataItem(pen=pen) for pen in pens] if names != KINDS else []
        for line in lines:
            plot.addItem(line)
        self._lines.append(lines)
        cursor = pg.InfiniteLine(angle=90, pen=pg.mkPen(self.theme.color("text"), width=1))
        cursor.setZValue(10)
        plot.addItem(cursor, ignoreBounds=True)
        self._cursors.append(cursor)
        if self._plots:
            plot.setXLink(self._plots[0])
        self._plots.append(plot)

    def _empty_plot(self, row: int, names: tuple[str, ...], last: bool) -> pg.PlotItem:
        theme = self.theme
        told = f"{tr(short_name(names[0]))} {unit_of(names[0], self.units)}"
        told += f"<br>- - {tr(short_name(names[1]))}" if len(names) > 1 else ""
        words = pg.LabelItem(told, justify="left", color=theme.quiet, size=f"{px(QUIET_PX)}px")
        words.setFixedWidth(px(80))
        self._view.addItem(words, row=row, col=0)
        axes = {"bottom": self._bottom_axis(), "left": SizeAxis("left")}
        plot = self._view.addPlot(row=row, col=1, axisItems=axes, enableMenu=False, viewBox=TraceBox(theme))
        plot.hideButtons()
        plot.setMouseEnabled(x=True, y=False)
        plot.getViewBox().setBackgroundColor(theme.color("sheet"))
        left, bottom = plot.getAxis("left"), plot.getAxis("bottom")
        left.setWidth(px(34))
        for axis in (left, bottom):
            axis.setTickFont(real_font(QUIET_PX))
            axis.setPen(pg.mkPen(theme.color("rule")))
            axis.setTextPen(pg.mkPen(theme.color("quiet")))
        left.setStyle(autoReduceTextSpace=False)
        if last:
            bottom.setHeight(px(22))
        else:
            plot.hideAxis("bottom")
        return plot

    def _bottom_axis(self) -> pg.AxisItem:
        if self.ride is not None and self._x is self.ride.time_s:
            return TimeAxis("bottom")
        return WayAxis(self.units.unit("km"), self.units.value(1.0, "km"))


def _figure(value: float) -> str:
    return f"{value:.4g}" if np.isfinite(value) else ""


def _nearest(sorted_values: Array, wanted: float) -> int:
    """The row nearest to a value."""
    after = int(np.clip(np.searchsorted(sorted_values, wanted), 1, max(len(sorted_values) - 1, 1)))
    if len(sorted_values) < 2:
        return 0
    return after - 1 if wanted - sorted_values[after - 1] <= sorted_values[after] - wanted else after


def _joined(x: Array, y: Array, gap: float) -> NDArray[np.int32]:
    """Which points to join with the next: not over missing values, nor over a gap in which nothing was recorded."""
    joined = np.zeros(len(x), np.int32)
    if len(x) > 1:
        steps = np.diff(x)
        usual = float(np.median(steps))
        joined[:-1] = np.isfinite(y[:-1]) & np.isfinite(y[1:]) & (steps <= max(8 * usual, gap))
    return joined
