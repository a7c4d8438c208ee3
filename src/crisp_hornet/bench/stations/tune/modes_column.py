"""The left side of Modes: which mode is chosen, adding and dropping, and the rulers of the chosen one."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.stations.tune.ruler_column import RulerColumn
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.ruler import Scale, Stop
from crisp_hornet.bench.widgets.text import button, clear, label
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
        self._modes = column_of(spacing=0)
        self._shown: list[str] | None = None
        self.kind = Chooser()
        self.kind.addItems(KINDS)
        self.kind.setAccessibleName("kind of the new mode")
        self._add = button("Add a mode", lambda: self.add.emit(self.kind.currentText()), "link")
        self._drop = button("take it out", self.drop.emit, "link", "Take the chosen mode out")
        acts = QHBoxLayout()
        for widget in (self._add, self.kind, self._drop):
            acts.addWidget(widget)
        acts.addStretch(1)
        self.column.insertLayout(0, self._modes)
        self.column.insertLayout(1, acts)
        self.column.insertSpacing(2, 6)

    def choose(self, at: int) -> None:
        """Show another mode's limits."""
        self.chosen = at
        self._shown = None
        self.chosen_changed.emit()

    def refresh(self) -> None:
        draft = self._desk.draft.tune
        if draft is None:
            return
        self.chosen = min(self.chosen, max(len(draft.modes) - 1, 0))
        names = [f"{mode.name}{self.chosen == at}" for at, mode in enumerate(draft.modes)]
        if names != self._shown:
            self._shown = names
            clear(self._modes)
            self._modes.addWidget(label("MODES", "caps"))
            for at, mode in enumerate(draft.modes):
                one = button(mode.name, partial(self.choose, at), "page", f"mode {mode.name}")
                one.setCheckable(True)
                one.setChecked(at == self.chosen)
                self._modes.addWidget(one, alignment=Qt.AlignmentFlag.AlignLeft)
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
            "speed_kmh": ("Speed limit", "km/h", 80, 1, 0.5),
            "field_weakening_a": ("Field weakening", "A", draft.drive.field_weakening_a * 1.1 + 5, 1, 0.5),
            "throttle_maximum": ("Throttle, full twist", "%", 1, 5, 1),
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
