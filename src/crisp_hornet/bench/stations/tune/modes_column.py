"""The left side of Modes: which mode is chosen, adding and dropping, and the rulers of the chosen one."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.stations.tune.ruler_column import RulerColumn
from crisp_hornet.bench.stations.tune.scales import speed_end
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.ruler import Scale, Stop
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.mode import MOST_MODES
from crisp_hornet.documents.tune import Tune

KEYS = (
    "phase_current_a",
    "battery_current_a",
    "power_w",
    "speed_kmh",
    "field_weakening_a",
    "throttle_maximum",
    "highest_level",
)
KINDS = ("guest", "daily", "full", "street", "off-road", "reverse")
AS_TUNE = "as the tune"


class ModesColumn(RulerColumn):
    """Rulers at ``mode.<key>`` stand for ``modes.<chosen>.<key>``."""

    chosen_changed = pyqtSignal()
    add = pyqtSignal(str)
    drop = pyqtSignal()

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme, [("", [f"mode.{key}" for key in KEYS])])
        self.chosen = 0
        self.kind = Chooser("kind of the new mode")
        self.kind.addItems(KINDS)
        self._add = button("Add a mode", lambda: self.add.emit(self.kind.currentText()), "small")
        self._drop = button("Delete the mode", self.drop.emit, "small", "Delete the chosen mode")
        acts = row_of(spacing=6)
        acts.addWidget(self._add)
        acts.addWidget(self._drop)
        acts.addStretch(1)
        self.column.insertWidget(0, label("MODES", "caps"))
        self.column.insertSpacing(1, 4)
        self.column.insertWidget(2, Captioned("kind", self.kind))
        self.column.insertSpacing(3, 4)
        self.column.insertLayout(4, acts)
        self.column.insertSpacing(5, 10)

    def choose(self, at: int) -> None:
        """Show another mode's limits."""
        self.chosen = at
        self.chosen_changed.emit()

    def refresh(self) -> None:
        draft = self._desk.draft.tune
        if draft is None:
            return
        self.chosen = min(self.chosen, max(len(draft.modes) - 1, 0))
        self._drop.setVisible(bool(draft.modes))
        self._add.setEnabled(len(draft.modes) < MOST_MODES)
        for ruler in self.rulers.values():
            ruler.setVisible(bool(draft.modes))
        if draft.modes:
            super().refresh()

    def _path(self, path: str) -> str:
        return f"modes.{self.chosen + 1}.{path.partition('.')[2]}"

    def scale(self, path: str, bike: Bike, draft: Tune) -> Scale:
        key = path.partition(".")[2]
        tune = getattr(draft.drive, key, None)
        stops = [Stop(tune, f"tune {tune:g}")] if tune else []
        name, unit, high, step, fine = {
            "phase_current_a": ("Phase current", "A", draft.drive.phase_current_a * 1.1 + 5, 1, 0.5),
            "battery_current_a": ("Battery current", "A", draft.drive.battery_current_a * 1.1 + 5, 1, 0.5),
            "power_w": ("Power limit", "W", bike.controller.max_battery_current_a * bike.battery.series * 4.2, 50, 10),
            "speed_kmh": ("Speed limit", "km/h", speed_end(bike), 1, 0.5),
            "field_weakening_a": ("Field weakening", "A", draft.drive.field_weakening_a * 1.1 + 5, 1, 0.5),
            "throttle_maximum": ("Max throttle current", "%", 1, 5, 1),
            "highest_level": ("Highest level", "", len(draft.assist.levels), 1, 1),
        }[key]
        units = self._desk.units
        factor = 100.0 if key == "throttle_maximum" else units.value(1.0, unit)
        low = 1.0 if key == "highest_level" else 0.0
        return Scale(name, units.unit(unit), low, high, step, fine, stops, AS_TUNE, factor=factor)

    def value(self, tune: Tune, path: str) -> float | None:
        return tune.setting(self._path(path)) if self.chosen < len(tune.modes) else None

    def known(self, now: Tune, path: str) -> bool:
        return now.holds(self._path(path))

    def take(self, path: str, value: float | None, token: int) -> None:
        super().take(self._path(path), value, token)
