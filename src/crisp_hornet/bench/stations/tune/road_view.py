"""What the draft means away from the bench: launches, stopping, energy, and where it works well."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.charts.efficiency_cells import EfficiencyCells
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import label, sheet
from crisp_hornet.core.drive.efficiency import EfficiencyMap, efficiency_map
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.road.performance import launch
from crisp_hornet.core.road.range import energy_map, range_km, stopping_distance_m
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Symbol, quantity, say
from crisp_hornet.documents.units import Units

LAUNCHES_KMH = (25.0, 40.0, 60.0)
STOPS_KMH = (25.0, 40.0, 60.0)
RIDES_KMH, GRADES = np.array([15.0, 25.0, 35.0, 45.0]), np.array([0.0, 0.06, 0.12])
RANGE_KMH = (20.0, 30.0, 40.0)
COLUMNS, ROWS = 22, 9
Rows = list[list[str]]


def launch_rows(drafted: PullCurve | None, now: PullCurve | None) -> Rows:
    """Seconds and metres from rest, drafted and now."""

    def cell(curve: PullCurve | None, kmh: float) -> str:
        if curve is None:
            return ""
        done = launch(curve, kmh)
        if not math.isfinite(done.time_s):
            return "never"
        return say("{time}, {way}", time=quantity(done.time_s, "s", ".1f"), way=quantity(done.distance_m, "m", ".0f"))

    return [
        [say("0 to {kmh}", kmh=quantity(kmh, "km/h", ".0f")), cell(drafted, kmh), cell(now, kmh)]
        for kmh in LAUNCHES_KMH
    ]


def stopping_rows(bike: Bike) -> Rows:
    """Metres from seeing to standing on a dry road."""
    return [
        [
            say("from {kmh}", kmh=quantity(kmh, "km/h", ".0f")),
            say("{way}", way=quantity(stopping_distance_m(kmh, bike.chassis.tyre_grip), "m", ".0f")),
        ]
        for kmh in STOPS_KMH
    ]


def energy_rows(bike: Bike, rested_v: float, units: Units) -> Rows:
    """Wh/km at held speeds on slopes, unaided."""
    table = energy_map(bike, RIDES_KMH, GRADES, rested_v)
    return [
        [
            say("{speed}", speed=quantity(speed, "km/h", ".0f")),
            *(f"{units.value(wh, 'Wh/km'):.0f}" if math.isfinite(wh) else "too weak" for wh in column),
        ]
        for speed, column in zip(RIDES_KMH, table.T, strict=True)
    ]


def range_rows(bike: Bike, rested_v: float, cutoff_v: float) -> Rows:
    """How far the charge carries on the flat, unaided, 95 %."""
    return [
        [
            say("at {kmh}", kmh=quantity(kmh, "km/h", ".0f")),
            say(
                "{low} to {high}",
                low=quantity(far.low_km, "km", ".0f", bare=True),
                high=quantity(far.high_km, "km", ".0f"),
            ),
        ]
        for kmh, far in ((kmh, range_km(bike, kmh, 0.0, rested_v, cutoff_v)) for kmh in RANGE_KMH)
    ]


class RoadTable(QWidget):
    """A small titled table; its cells can change, its shape cannot."""

    def __init__(self, title: str, heads: Iterable[str], catch: str = "") -> None:
        super().__init__()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(1)
        self._heads = [label(head, "quiet") for head in heads]
        for column, head in enumerate(self._heads):
            self._grid.addWidget(head, 0, column, Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft)
        self._cells: dict[tuple[int, int], QLabel] = {}
        column_box = column_of(self, margins=0, spacing=2)
        self._title, self._title_text = label(title, "caps"), title
        column_box.addWidget(self._title)
        column_box.addLayout(self._grid)
        if catch:
            column_box.addWidget(label(catch, "quiet", wrap=True))
        column_box.addStretch(1)

    def show_rows(self, rows: Rows, units: Units) -> None:
        """Fill the table."""
        self._title.setText(units.text(self._title_text))
        for row, cells in enumerate(rows, start=1):
            for column, text in enumerate(cells):
                if (row, column) not in self._cells:
                    made = self._cells[row, column] = label()
                    aligned = Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft
                    self._grid.addWidget(made, row, column, aligned)
                self._cells[row, column].setText(units.text(text))

    def texts(self) -> list[str]:
        """All cells, row by row."""
        return [self._cells[place].text() for place in sorted(self._cells)]


class RoadView(QWidget):
    """The tables, and below them the field of efficiency."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.launches = RoadTable("LAUNCH, FLAT", ("", "drafted", "now"), "Limited by wheel lift and tyre grip.")
        self.stops = RoadTable(
            "STOPPING, DRY",
            ("", "total distance"),
            "One second to react, then good brakes. Grows with the square of speed.",
        )
        self.energy = RoadTable(say("NO PEDALLING, {unit}", unit=Symbol("Wh/km")), ("", "flat", "6 % up", "12 % up"))
        self.range = RoadTable("RANGE, FLAT", ("", "this charge"), "95 %; rolling and air drag as entered.")
        self.cells = EfficiencyCells(theme)
        self._work = Background()
        self._work.done.connect(self._take_map)
        tables = QGridLayout()
        tables.setSpacing(8)
        for index, table in enumerate((self.launches, self.stops, self.energy, self.range)):
            tables.addWidget(sheet(table, margin=10), index // 2, index % 2)
        column = column_of(self, margins=(0, 4, 0, 0), spacing=10)
        column.addLayout(tables)
        column.addWidget(self.cells, 1)

    def refresh(self) -> None:
        """Show what the desk holds now; does nothing while hidden."""
        desk = self._desk
        bike, draft, drafted, now = desk.bike, desk.draft.tune, desk.draft.prediction, desk.held.prediction
        if self.isHidden() or bike is None or draft is None or drafted is None:
            return
        rested_v, units = desk.conditions.rested_v, desk.units
        self.launches.show_rows(launch_rows(drafted.curve, now.curve if now else None), units)
        self.stops.show_rows(stopping_rows(bike), units)
        self.energy.show_rows(energy_rows(bike, rested_v, units), units)
        self.range.show_rows(range_rows(bike, rested_v, draft.battery_guard.fade_end_v), units)
        self.cells.show_units(units)  # until the new map is there
        curve = drafted.curve
        pulling = curve.speed_kmh[curve.wheel_force_n > 0]
        if pulling.size < 2:
            self.cells.show_map(None, None, units)
            return
        most_kmh, most_n = float(pulling[-1]), float(curve.wheel_force_n.max())
        speeds = (np.arange(COLUMNS) + 0.5) / COLUMNS * most_kmh
        forces = (np.arange(ROWS) + 0.5) / ROWS * most_n
        self._work.start(lambda: efficiency_map(curve.bike, speeds, forces, rested_v))

    def _take_map(self, found: EfficiencyMap) -> None:
        prediction = self._desk.draft.prediction
        self.cells.show_map(found, prediction.curve if prediction else None, self._desk.units)
