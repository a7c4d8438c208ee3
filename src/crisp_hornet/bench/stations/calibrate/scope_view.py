"""The live scope with its controls: which channels, how long a window, a trigger, freezing, cursors, export."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.keys import rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.calibrate.recording import Ring, in_words, unit_of
from crisp_hornet.bench.stations.calibrate.scope import WINDOWS_S, Scope, Trigger
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, column_scroll, label
from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError

AT_FIRST = ("throttle_v", "phase_a", "battery_a", "motor_rpm")
MOST = 12


class ScopeView(QWidget):
    """Up to twelve channels at once."""

    def __init__(self, desk: Desk, theme: Theme, ring: Ring) -> None:
        super().__init__()
        self._desk = desk
        self.scope = Scope(theme, ring)
        self.scope.frozen_changed.connect(lambda on: self._freeze.setText("Go on" if on else "Freeze"))
        self.boxes: dict[str, Confirm] = {}
        self._names: dict[str, QLabel] = {}
        channels = QWidget()
        rove(channels)
        column = column_of(channels, margins=(0, 0, 4, 0), spacing=0)
        for name in ring.names:
            box = Confirm(theme, f"show {name}")
            box.setChecked(name in AT_FIRST)
            box.toggled.connect(lambda _on: self._choose())
            self.boxes[name] = box
            row = QHBoxLayout()
            row.addWidget(box)
            self._names[name] = label("")
            row.addWidget(self._names[name], 1)
            column.addLayout(row)
        column.addStretch(1)
        scroll = column_scroll(channels)
        fix(scroll, wide=230)
        self.window_box, self.trigger_box = Chooser("window"), Chooser("trigger on")
        self.level = NumberField("trigger level", thousandths=True, width=90)
        self._freeze = button("Freeze", self._switch_freeze, "large", "Freeze the scope")
        right = column_of(spacing=8)
        right.addLayout(self._controls(ring))
        right.addWidget(self.scope, 1)
        outer = row_of(self, margins=0, spacing=18)
        outer.addWidget(scroll)
        outer.addLayout(right, 1)
        desk.units_changed.connect(self._show_units)
        self._show_units()
        self._choose()

    def _controls(self, ring: Ring) -> QHBoxLayout:
        self.window_box.addItems([f"{seconds:g} s" for seconds in WINDOWS_S])
        self.window_box.setCurrentIndex(3)
        self.window_box.currentIndexChanged.connect(lambda index: self.scope.set_window(WINDOWS_S[index]))
        self.trigger_box.addItems(["none", *ring.names])
        self.level.returnPressed.connect(self.arm)
        row = row_of(spacing=10)
        for words, one in (("window", self.window_box), ("trigger on", self.trigger_box), ("level", self.level)):
            one.setMinimumHeight(40)
            row.addWidget(Captioned(words, one))
        row.addWidget(button("Arm", self.arm, "large", "Arm the trigger"))
        row.addWidget(self._freeze)
        row.addWidget(button("Export", self._ask_file, "large", "Export what the scope shows"))
        row.addStretch(1)
        return row

    def _show_units(self) -> None:
        units = self.scope.units = self._desk.units
        for name, words in self._names.items():
            words.setText(units.text(in_words(name)))
            self.boxes[name].setAccessibleName(tr(f"show {units.text(in_words(name))}"))
        self.scope.update()

    def arm(self) -> None:
        """Wait for the chosen channel to rise through the level."""
        name = self.trigger_box.currentText()
        try:
            level = self.level.read()
        except Misread as why:
            self._desk.said.emit("note", f"The trigger's level: {why}.")
            return
        level = self._desk.units.back(level, unit_of(name))
        self.scope.arm(Trigger(name, level) if self.trigger_box.currentIndex() > 0 else None)

    def export(self, path: Path) -> None:
        """Write what is shown as CSV."""
        try:
            wire.write_text(path, self.scope.csv())
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Export the window"), "scope.csv", "CSV (*.csv)")
        if name:
            self.export(Path(name))

    def _switch_freeze(self) -> None:
        self.scope.freeze(self.scope.frozen_at is None)

    def _choose(self) -> None:
        chosen = [name for name, box in self.boxes.items() if box.isChecked()]
        if len(chosen) > MOST:
            self._desk.said.emit("note", f"At most {MOST} channels at once.")
            chosen = chosen[:MOST]
        self.scope.show_channels(chosen)
