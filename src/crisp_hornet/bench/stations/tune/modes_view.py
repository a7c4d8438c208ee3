"""Modes: named sets of limits, all on one pull chart; and what the local code allows."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.charts.plain_chart import Line, Picture, PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.local_panel import LocalPanel
from crisp_hornet.bench.stations.tune.mode_list import ModeLine, ModeList
from crisp_hornet.bench.stations.tune.modes_column import ModesColumn
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, column_scroll, label, sheet
from crisp_hornet.core.drive.modes import in_mode
from crisp_hornet.core.drive.pull import PullCurve, pull_curve
from crisp_hornet.core.road.performance import launch_time_s, steady_speed_kmh
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.mode import MOST_MODES, Mode
from crisp_hornet.documents.saying import joined, quantity, say
from crisp_hornet.documents.setting_words import in_words
from crisp_hornet.documents.tune import Tune

STYLES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DashDotDotLine,
)
EVERY = 5
NO_MODES = (
    "Modes are named sets of limits that display or switch select: a gentle one for guests and the first minute, one for the "
    "road, the whole tune."
)
SHORT = {
    "phase_current_a": "phase",
    "battery_current_a": "battery",
    "power_w": "",
    "speed_kmh": "",
    "field_weakening_a": "weakening",
    "throttle_maximum": "throttle",
    "highest_level": "level",
}
FAMILIES: dict[str, dict[str, object]] = {
    "guest": {"phase_current_a": 0.45, "battery_current_a": 0.4, "speed_kmh": 20.0, "throttle_maximum": 0.6},
    "daily": {"phase_current_a": 0.75, "battery_current_a": 0.75},
    "full": {},
    "street": {"speed_kmh": 25.0},
    "off-road": {"off_road": True},
    "reverse": {
        "reverse": True,
        "phase_current_a": 0.3,
        "battery_current_a": 0.2,
        "speed_kmh": 4.0,
        "throttle_maximum": 0.4,
    },
}


def mode_of_kind(tune: Tune, kind: str) -> Mode:
    """A mode to begin with; currents as shares of the tune's, on whole amperes."""
    given = dict(FAMILIES[kind])
    for key in ("phase_current_a", "battery_current_a"):
        if isinstance(given.get(key), float):
            given[key] = float(round(float(given[key]) * float(getattr(tune.drive, key))))  # type: ignore[arg-type]
    return Mode.model_validate({"name": kind.capitalize(), **given})


class ModesView(TuneView):
    """The chart of all modes, the chosen one's words, and the table of what each changes."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.column = self.rulers = ModesColumn(desk, link, theme)
        self.rulers.chosen_changed.connect(self.refresh)
        self.rulers.add.connect(self.add_mode)
        self.rulers.drop.connect(self.drop_mode)
        self.chart = PlainChart(theme)
        self.name, self.lever = QLineEdit(), QLineEdit()
        for field, told, key in ((self.name, "name of the mode", "name"), (self.lever, "selected by", "selected_by")):
            field.setAccessibleName(tr(told))
            field.editingFinished.connect(partial(self._take_word, key))
        self.flags = {
            key: Confirm(theme, words)
            for key, words in (
                ("starts", "start-up mode"),
                ("reverse", "drives in reverse"),
                ("off_road", "off-road only"),
            )
        }
        self._words = QWidget()
        self._words.setLayout(self._word_row())
        self.table = ModeList(theme)
        self.table.chosen.connect(self.rulers.choose)
        self._nothing = label(NO_MODES, wrap=True)
        self._begin = button("Add a guest mode", partial(self.add_mode, "guest"))
        self._curves: dict[str, tuple[object, PullCurve]] = {}
        self.local = LocalPanel(desk)
        beside = QWidget()
        fix(beside, wide=268)
        right = column_of(beside, margins=0, spacing=10)
        right.addWidget(self._nothing)
        right.addWidget(self._begin)
        right.addWidget(column_scroll(self.table), 1)
        upper = row_of(spacing=14)
        upper.addWidget(self.chart, 1)
        upper.addWidget(beside)
        column = column_of(self, margins=0, spacing=8)
        column.addLayout(upper, 1)
        column.addWidget(self._words)
        column.addWidget(sheet(self.local, margin=8))

    def _word_row(self) -> QVBoxLayout:
        words, flags = row_of(spacing=10), row_of(spacing=6)
        words.addWidget(Captioned("name", self.name), 2)
        words.addWidget(Captioned("selected by", self.lever), 3)
        for key, box in self.flags.items():
            box.toggled.connect(partial(self._take_flag, key))
            flags.addWidget(box)
            flags.addWidget(label(box.accessibleName(), "quiet"))
        flags.addStretch(1)
        rows = column_of(margins=0, spacing=2)
        rows.addLayout(words)
        rows.addLayout(flags)
        return rows

    # --- changing it ----------------------------------------------------------------------------------------

    def add_mode(self, kind: str) -> None:
        """A new mode of a kind."""
        draft = self.desk.draft.tune
        if draft is None or len(draft.modes) >= MOST_MODES:
            return
        mode, names = mode_of_kind(draft, kind), [one.name for one in draft.modes]
        name = next(one for one in (mode.name, *(f"{mode.name} {at}" for at in range(2, 99))) if one not in names)
        self._put([*draft.modes, mode.model_copy(update={"name": name, "starts": not draft.modes})], f"mode {name}")
        self.rulers.choose(len(draft.modes))

    def drop_mode(self) -> None:
        """Take the chosen mode out."""
        draft, at = self.desk.draft.tune, self.rulers.chosen
        if draft is not None and at < len(draft.modes):
            self._put([mode for k, mode in enumerate(draft.modes) if k != at], f"{draft.modes[at].name} out")

    def _take_word(self, key: str) -> None:
        field = {"name": self.name, "selected_by": self.lever}[key]
        if key == "selected_by" or field.text().strip():
            self._change({key: field.text().strip()})

    def _take_flag(self, key: str, on: bool) -> None:
        self._change({key: on})

    def _change(self, what: dict[str, object]) -> None:
        draft, at = self.desk.draft.tune, self.rulers.chosen
        if draft is None or at >= len(draft.modes):
            return
        modes = list(draft.modes)
        if what.get("starts"):  # one at a time
            modes = [mode.model_copy(update={"starts": False}) for mode in modes]
        if "name" in what and what["name"] in [mode.name for k, mode in enumerate(modes) if k != at]:
            self.desk.said.emit("note", f"There is a mode {what['name']} already: choose another name.")
            self.refresh()
            return
        modes[at] = modes[at].model_copy(update=what)
        self._put(modes, f"{modes[at].name} changed")

    def _put(self, modes: list[Mode], what: str) -> None:
        draft = self.desk.draft.tune
        if draft is not None and modes != draft.modes:
            data = draft.model_dump(mode="json", by_alias=True, exclude_unset=True)
            data["modes"] = [mode.model_dump(mode="json", exclude_unset=True) for mode in modes]
            self.desk.draft.open(Tune.model_validate(data), what)

    # --- showing it -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        self.rulers.refresh()
        draft = self.desk.draft.tune
        if draft is None:
            return
        self.local.refresh()
        self._show_words(draft)
        self._show_chart(draft)

    def _show_words(self, draft: Tune) -> None:
        at = self.rulers.chosen
        for widget in (self._nothing, self._begin):
            widget.setVisible(not draft.modes)
        self._words.setVisible(at < len(draft.modes))
        if at >= len(draft.modes):
            return
        mode = draft.modes[at]
        for field, text in ((self.name, mode.name), (self.lever, mode.selected_by)):
            if not field.hasFocus() and field.text() != text:
                field.setText(text)
        for key, box in self.flags.items():
            box.blockSignals(True)
            box.setChecked(getattr(mode, key))
            box.blockSignals(False)
            box.update()

    def _show_chart(self, draft: Tune) -> None:
        prediction, bike, units = self.desk.draft.prediction, self.desk.bike, self.desk.units
        if prediction is None or bike is None or self.desk.speeds is None:
            return
        whole = prediction.curve
        turn = units.value(1.0, "km/h")
        lines = [Line("whole tune", turn * whole.speed_kmh[::2], whole.wheel_force_n[::2], truth="drafted")]
        found: list[tuple[Mode, PullCurve]] = []
        for at, mode in enumerate(draft.modes):
            curve = self._curve_of(bike, draft, mode)
            lines.append(Line(mode.name, turn * curve.speed_kmh, curve.wheel_force_n, STYLES[(at + 1) % len(STYLES)]))
            found.append((mode, curve))
        self.chart.show_picture(Picture(units.unit("km/h"), "wheel force, N", lines, y_from=0.0))
        head = say(
            "top speed on the flat, {low} to {high}, peak at the road",
            low=quantity(0, "km/h", bare=True),
            high=quantity(25, "km/h", ".0f"),
        )
        self.table.show_modes(
            self._line("whole tune", None, whole),
            [self._line(mode.name, mode, curve) for mode, curve in found],
            self.rulers.chosen,
            units.text(head),
        )

    def _curve_of(self, bike: Bike, draft: Tune, mode: Mode) -> PullCurve:
        """The pull in a mode; kept while neither mode nor tune changes."""
        assert self.desk.speeds is not None
        tune = in_mode(draft, mode)
        key = (bike, tune.drive, tune.battery_guard, tune.heat_guard, self.desk.conditions)
        if mode.name not in self._curves or self._curves[mode.name][0] != key:
            self._curves[mode.name] = (key, pull_curve(bike, tune, self.desk.speeds[::EVERY], self.desk.conditions))
        return self._curves[mode.name][1]

    def _line(self, name: str, mode: Mode | None, curve: PullCurve) -> ModeLine:
        launch = launch_time_s(curve, 25.0)
        top = self.desk.units.text(say("{top}", top=quantity(steady_speed_kmh(curve, 0.0), "km/h", ".0f")))
        peak = say("{peak}", peak=quantity(float(np.max(curve.wheel_w, initial=0.0)) / 1000, "kW", ".1f"))
        words = f"{launch:.1f} s   {peak}" if np.isfinite(launch) else f"never   {peak}"
        if mode is None:
            return ModeLine(name, top, words, "")
        marks = (("start-up", mode.starts), ("reverse", mode.reverse), ("off-road", mode.off_road))
        limits = self.desk.units.text(_changes(mode))
        return ModeLine(name, top, words, limits, tuple(mark for mark, on in marks if on))

    def meaning(self) -> tuple[str, str] | None:
        draft = self.desk.draft.tune
        if draft is None:
            return None
        if not draft.modes:
            return (
                "MODES",
                "No modes: the full tune is active from power-on. A gentle mode for guests is worth having; add one on the left.",
            )
        start = next((mode for mode in draft.modes if mode.starts), None)
        told = (
            f"After power-on <b>{start.name}</b> is on"
            if start
            else "<b>No start-up mode is set</b>: after power-on the whole tune is active"
        )
        return "MODES", f"{told}. A mode never gives more than the tune; the lowest limit always applies."

    def shows(self, setting: str) -> QWidget | None:
        if setting.startswith("modes.") and setting.split(".")[1].isdecimal():
            self.rulers.choose(int(setting.split(".")[1]) - 1)
            return self.rulers.rulers.get(f"mode.{setting.rpartition('.')[2]}")
        return None


def _changes(mode: Mode) -> str:
    """What a mode limits, and how it is selected."""
    told = [
        say("{words} {value}", words=words, value=shown) if words else shown
        for key, words in SHORT.items()
        if (value := getattr(mode, key)) is not None and (shown := in_words(f"modes.1.{key}", value))
    ]
    if mode.levels is not None:
        told.append(f"{len(mode.levels)} levels of its own")
    limits = joined(", ", told) if told else "changes nothing"
    return joined("; ", [limits, *([mode.selected_by] if mode.selected_by else [])])
