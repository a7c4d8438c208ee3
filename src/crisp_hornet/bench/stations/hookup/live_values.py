"""The controller's live values, large enough to read at arm's length, each looking as old as it is."""

from __future__ import annotations

import time

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import label, sheet
from crisp_hornet.documents.channels import TABLE
from crisp_hornet.documents.units import Units
from crisp_hornet.link.contact import Live

SHOWN = [
    (name, words, "%" if name == "throttle" else TABLE[name].unit, TABLE[name].digits)
    for name, words in (
        ("pack_v", "pack"),
        ("battery_a", "battery current"),
        ("phase_a", "phase current"),
        ("wheel_speed_kmh", "wheel"),
        ("throttle", "throttle"),
        ("brake", "brake"),
        ("motor_c", "motor"),
        ("controller_c", "controller"),
        ("fault", "fault"),
    )
]
STALE_S = 1.0
DRAW_EVERY_S = 0.1


class LiveValues(QWidget):
    """Nine figures and their age."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.units = Units()
        self._live: Live | None = None
        self._drawn_s = 0.0
        self._styled: tuple[bool, str] | None = None
        self._age = label("no live values", "quiet")
        self._values = {name: label("–", "big") for name, _, _, _ in SHOWN}
        self._names: dict[str, QLabel] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(8)
        for index, (name, *_) in enumerate(SHOWN):
            self._names[name] = label("", "quiet")
            box = sheet(self._names[name], self._values[name], margin=12, spacing=4)
            grid.addWidget(box, index // 3, index % 3)
        column = QVBoxLayout()
        column.addWidget(self._age)
        grid.addLayout(column, 3, 0, 1, 3)
        self.show_units(Units())
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._show_age)
        self._clock.start(200)

    def show_units(self, units: Units) -> None:
        """Show figures in these units."""
        self.units = units
        for name, words, unit, _ in SHOWN:
            self._names[name].setText(f"{words}, {units.unit(unit)}" if unit else words)
        self.take(self._live)

    def take(self, live: Live | None) -> None:
        """Show a reading, or that there is none."""
        self._live = live
        now = time.monotonic()
        if live is not None and (not self.isVisible() or now - self._drawn_s < DRAW_EVERY_S):
            return  # faster than an eye reads
        self._drawn_s = now
        for name, _, unit, digits in SHOWN:
            value = live.values.get(name) if live else None
            self._values[name].setText(
                "–" if value is None else self._words(name, self.units.value(value, unit), digits)
            )
        self._show_age()

    def _words(self, name: str, value: float, digits: int) -> str:
        if name == "brake":
            return "pulled" if value else "free"
        if name == "fault":
            return f"code {value:g}" if value else "none"
        shown = round(100 * value if name == "throttle" else value, digits)
        return f"{shown + 0.0:.{digits}f}"  # no minus before a zero

    def _show_age(self) -> None:
        if self._live is None:
            self._age.setText("no live values")
            fresh = False
        else:
            age = time.monotonic() - self._live.at_s
            fresh = age < STALE_S
            self._age.setText(f"read {age:.1f} s ago" if fresh else f"stale: read {age:.0f} s ago")
        if (fresh, self.theme.name) == self._styled:
            return  # styling is far dearer than a new text
        self._styled = (fresh, self.theme.name)
        for value in self._values.values():
            value.setEnabled(fresh)
            value.setStyleSheet("" if fresh else f"color: {self.theme.quiet}; text-decoration: line-through;")
