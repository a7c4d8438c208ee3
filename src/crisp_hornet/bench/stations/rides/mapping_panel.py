"""Which column of a log is which channel: as recognised, with a small trace and how sure it is; corrected by hand."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, down, fix, painter_of
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.channels import long_name
from crisp_hornet.rides.mapping import Mapping
from crisp_hornet.rides.quantities import CHANNEL_UNIT, shown_unit, units_of
from crisp_hornet.rides.table import Column, Table
from crisp_hornet.rides.taking import clock_faults

NOTHING = "left out"
SURE = 0.7


class MiniTrace(QWidget):
    """A column's figures in small."""

    def __init__(self, theme: Theme, values: Array) -> None:
        super().__init__()
        self.theme = theme
        good = values[np.isfinite(values)]
        self._shown = good[:: max(1, len(good) // 160)]
        fix(self, 150, 30)
        told = f"{good.min():.4g} to {good.max():.4g}" if good.size else "no figures"
        self.setAccessibleName(tr(told))
        self.setToolTip(tr(told))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("sheet"))
        if self._shown.size < 2:
            return
        low, span = float(self._shown.min()), float(np.ptp(self._shown)) or 1.0
        x = np.linspace(2, across(self) - 2, len(self._shown))
        y = down(self) - 4 - (self._shown - low) / span * (down(self) - 8)
        painter.setPen(QPen(self.theme.color("measured"), 1.2))
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]))


class MappingPanel(QWidget):
    """``accepted``: take the ride as it is mapped now. ``dropped``: leave it."""

    accepted = pyqtSignal()
    dropped = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.table: Table | None = None
        self.mapping: Mapping | None = None
        self.path = Path()
        self.channels: dict[int, QComboBox] = {}
        self.units: dict[int, QComboBox] = {}
        self._about = label("", "quiet", wrap=True)
        self.steady = Confirm(theme, "fix the timestamps")
        self.steady.toggled.connect(self._set_steady)
        self._faults = label("", wrap=True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(3)
        inside = QWidget()
        column = column_of(inside, margins=(0, 0, 8, 0))
        column.addLayout(self._grid)
        column.addStretch(1)
        acts = QHBoxLayout()
        acts.addStretch(1)
        acts.addWidget(button("Discard this log", self.dropped.emit, "small"))
        outer = column_of(self, margins=0)
        outer.addWidget(self._about)
        clock = QHBoxLayout()
        clock.addWidget(self.steady)
        clock.addWidget(self._faults, 1)
        outer.addLayout(clock)
        outer.addWidget(column_scroll(inside), 1)
        outer.addLayout(acts)

    def show_table(self, path: Path, table: Table, mapping: Mapping) -> None:
        """Show a log's columns."""
        self.path, self.table, self.mapping = path, table, mapping
        found = clock_faults(table, mapping, path)
        self._faults.setText(f"{'; '.join(found)}. Unticked, rows that lie behind are left out.")
        for widget in (self.steady, self._faults):
            widget.setVisible(bool(found))
        self.steady.setChecked(mapping.steady)
        self._show()

    def _set_steady(self, steady: bool) -> None:
        if self.mapping is not None:
            self.mapping = replace(self.mapping, steady=steady)

    def _show(self) -> None:
        table, mapping = self.table, self.mapping
        assert table is not None and mapping is not None
        clear(self._grid)
        self.channels, self.units = {}, {}
        times = " and ".join(table.columns[at].name for at in mapping.time) or "no column"
        told = f": {mapping.time_told}" if mapping.time_told else ""
        notes = "; ".join(table.notes)
        self._about.setText(f"{table.kind}, {len(table)} rows. Time from {times}{told}. {notes}".strip())
        for at, head in enumerate(("column", "its figures", "is", "in", "how sure")):
            self._grid.addWidget(label(head, "quiet"), 0, at)
        for at, column in enumerate(table.columns):
            if at not in mapping.time:
                self._add_row(len(self.channels) + 1, at, column, mapping)
        self._grid.setColumnStretch(4, 1)

    def _add_row(self, row: int, at: int, column: Column, mapping: Mapping) -> None:
        known = next((one for one in mapping.assigned if one.column == at), None)
        name = f"{column.name}{f' ({shown_unit(column.unit)})' if column.unit else ''}"
        box = Chooser(f"channel of {column.name}")
        box.addItems([NOTHING, *(long_name(one) for one in CHANNEL_UNIT)])
        box.setCurrentIndex(list(CHANNEL_UNIT).index(known.channel) + 1 if known else 0)
        box.activated.connect(partial(self._set_channel, at))
        unit = Chooser(f"unit of {column.name}")
        if known is not None:
            choices = ["as it is", *units_of(CHANNEL_UNIT[known.channel])]
            unit.addItems([shown_unit(choice) for choice in choices])
            unit.setCurrentIndex(choices.index(known.unit) if known.unit in choices else 0)
            unit.activated.connect(partial(self._set_unit, at))
        unit.setEnabled(known is not None)
        self.channels[at], self.units[at] = box, unit
        sure = f"{100 * known.confidence:.0f} %, {known.why}" if known else ""
        for place, widget in enumerate(
            (label(name, wrap=True), MiniTrace(self.theme, column.values), box, unit, label(sure, "quiet", wrap=True))
        ):
            self._grid.addWidget(widget, row, place, Qt.AlignmentFlag.AlignVCenter)

    def _set_channel(self, at: int, choice: int) -> None:
        channel = list(CHANNEL_UNIT)[choice - 1] if choice else ""
        self._change(at, channel, "")

    def _set_unit(self, at: int, _choice: int) -> None:
        known = (
            next((column for column in self.mapping.assigned if column.column == at), None) if self.mapping else None
        )
        if known is not None:
            self._change(at, known.channel, self.units[at].currentText())

    def _change(self, at: int, channel: str, unit: str) -> None:
        assert self.table is not None and self.mapping is not None
        self.mapping = self.mapping.with_column(self.table, at, channel, unit)
        self._show()

    @property
    def unsure(self) -> int:
        """How many columns are taken with less than 70 % confidence."""
        return sum(column.confidence < SURE for column in self.mapping.assigned) if self.mapping else 0
