"""The map of wishes, what the ask comes to, and parts instead of amperes."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.scale import across, fix, real
from crisp_hornet.bench.stations.tune.ride.map_chart import MapChart
from crisp_hornet.bench.stations.tune.scales import pull_scales
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label, sheet
from crisp_hornet.core.goal.parts import Instead
from crisp_hornet.core.goal.seek import Answer
from crisp_hornet.core.goal.wish_map import WishMap
from crisp_hornet.core.goal.words import PARTS, title_of
from crisp_hornet.documents.goals import FREE
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.setting_words import label_of
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

STEP_A, FINE_A = 1.0, 0.1
SIDE_PX, BELOW_PX, BESIDE_PX, MOST_PX = 236, 104, 540, 16_777_215
UNITS = {
    "drivetrain.wheel_circumference_m": ("m", ".2f"), "battery.capacity_ah": ("Ah", ".0f"), "controller.max_phase_current_a": ("A", ".0f"),
    "motor.flux_linkage_wb": ("Wb", ".4f"), "drivetrain.ratio": ("", ".2f"),
}  # fmt: skip


class WishesPage(QWidget):
    """``axes_changed``: the map is to be drawn over other settings. ``taken``: the draft shall have the settings found. ``laid``: a ride
    with another part is to be laid beside, or none (None)."""

    axes_changed = pyqtSignal()
    taken = pyqtSignal()
    laid = pyqtSignal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.chart = MapChart(theme, desk.draft.token)
        self.chart.dragged.connect(self._take_drag)
        self.chart.moved.connect(self._take_step)
        self.chart.cancelled.connect(lambda _mark, token: desk.draft.cancel(token))
        self.chart.returned.connect(lambda _mark: self._return())
        self.across_, self.up = Chooser("setting across the map"), Chooser("setting up the map")
        for chooser, at in ((self.across_, 1), (self.up, 0)):
            chooser.addItems([label_of(path) for path in FREE])
            chooser.setCurrentIndex(at)
            chooser.activated.connect(lambda _at: self._axes())
            chooser.be_narrow()
        self._words = label("", wrap=True)
        self._take = button("Draft this", self.taken.emit, "small", "Draft the settings found")
        self._parts = QVBoxLayout()
        self._parts.setSpacing(6)
        side = QWidget()
        column = column_of(side, margins=(0, 0, 8, 0), spacing=6)
        column.addWidget(label("WHAT THE ASK COMES TO", "caps"))
        column.addWidget(self._words)
        column.addWidget(self._take)
        column.addSpacing(6)
        self._parts_head = label("PARTS INSTEAD OF AMPERES", "caps")
        column.addWidget(self._parts_head)
        column.addLayout(self._parts)
        column.addStretch(1)
        self._side = column_scroll(side)
        axes = row_of(spacing=8)
        axes.addWidget(Captioned("up", self.up))
        axes.addWidget(Captioned("across", self.across_))
        axes.addStretch(1)
        left = column_of(spacing=6)
        left.addLayout(axes)
        left.addWidget(self.chart, 1)
        self._state = label("", "quiet", wrap=True)
        left.addWidget(self._state)
        self._row = row_of(self, margins=(0, 4, 0, 0), spacing=12)
        self._row.addLayout(left, 1)
        self._row.addWidget(self._side)
        self._beside(True)
        self.found: Answer | None = None
        self._drawing = False
        self.show_answer(None, [], "")

    def minimumSizeHint(self) -> QSize:
        return real(300, 280)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        wide = across(self) >= BESIDE_PX
        if wide != (self._row.direction() == QBoxLayout.Direction.LeftToRight):
            self._beside(wide)

    def _beside(self, wide: bool) -> None:
        """What the ask comes to beside the map, or below it where there is no room."""
        direction = QBoxLayout.Direction.LeftToRight if wide else QBoxLayout.Direction.TopToBottom
        self._row.setDirection(direction)
        self._side.setMinimumSize(0, 0)
        self._side.setMaximumSize(MOST_PX, MOST_PX)
        self._side.setProperty("fixed", None)
        fix(self._side, wide=SIDE_PX) if wide else fix(self._side, high=BELOW_PX)

    @property
    def paths(self) -> tuple[str, str]:
        """The settings across and up."""
        return FREE[self.across_.currentIndex()], FREE[self.up.currentIndex()]

    def _axes(self) -> None:
        if self.across_.currentIndex() == self.up.currentIndex():
            self.up.setCurrentIndex((self.across_.currentIndex() + 1) % len(FREE))
        self.axes_changed.emit()

    # --- what is shown --------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Put the marks where the tunes are."""
        desk, (x, y) = self._desk, self.paths
        if desk.bike is None or desk.draft.tune is None:
            return
        marks = {"drafted": _place(desk.draft.tune, x, y)}
        if desk.held.tune is not None:
            marks["controller"] = _place(desk.held.tune, x, y)
        if self.found is not None and self.found.found:
            marks["found"] = _place(self.found.tune, x, y)
        scales = pull_scales(desk.bike, desk.units)
        self.chart.show_marks(marks, (label_of(x), label_of(y)), (scales[x].stops, scales[y].stops))

    @property
    def all_drawn(self) -> bool:
        """Whether the map is there, and nothing of it is being worked out."""
        return self.chart.map is not None and not self._drawing

    def show_map(self, found: WishMap | None, state: str, drawing: bool = False) -> None:
        """The map, and what it is made for or still lacks."""
        self._drawing = drawing
        units = self._desk.units
        self.chart.show_map(found, [units.text(title_of(goal)) for goal in self._desk.ask.goals])
        self._state.setText(state)

    def show_answer(self, answer: Answer | None, parts: Sequence[Instead], words: str) -> None:
        """What was found, or which wishes fight and what would do instead."""
        self.found = answer
        units = self._desk.units
        self._words.setText(words or "Ask for something, then find the settings for it.")
        self._take.setVisible(answer is not None and answer.found)
        if answer is not None and answer.found:
            self._take.setText(f"Draft {amps_of(answer.tune, self._desk.ask.free)}")
        clear(self._parts)
        self._parts_head.setVisible(bool(parts))
        for part in parts:
            self._parts.addWidget(self._card(part, units))
        self.refresh()

    def say(self, words: str) -> None:
        """Words where the answer will stand."""
        self._words.setText(words)

    def _card(self, part: Instead, units: Units) -> QWidget:
        unit, spec = UNITS[part.path]
        goals = self._desk.ask.goals
        change = say(
            "{part}: {before} to {after}", part=PARTS[part.path], before=quantity(part.from_, unit, spec, bare=bool(unit)),
            after=quantity(part.to, unit, spec),
        )  # fmt: skip
        meets = ", ".join(units.text(title_of(goals[at])) for at in part.meets if at < len(goals))
        lines = [label(units.text(change), wrap=True), label(f"meets {meets}", "quiet", wrap=True)]
        more = amps_of(part.tune, self._desk.ask.free)
        if abs(part.kg) > 0.05:
            more = units.text(say("{amps}; {kg} more to carry", amps=more, kg=quantity(part.kg, "kg", ".1f")))
        lines.append(label(f"with {more}", "quiet", wrap=True))
        act = button("Lay beside", lambda: self.laid.emit(part), "small", f"Lay beside: {change}")
        return sheet(*lines, act, margin=8, spacing=2)

    # --- hands ----------------------------------------------------------------------------------------------

    def _take_drag(self, x: float, y: float, token: int) -> None:
        self._set(x, y, token)

    def _take_step(self, across: float, up: float, fine: bool, token: int) -> None:
        if self._desk.draft.tune is not None:
            x, y = _place(self._desk.draft.tune, *self.paths)
            step = FINE_A if fine else STEP_A
            self._set(x + across * step, y + up * step, token)

    def _set(self, x: float, y: float, token: int) -> None:
        draft = self._desk.draft
        if draft.tune is None or self._desk.bike is None:
            return
        values = {}
        for path, value in zip(self.paths, (x, y), strict=True):
            scale = pull_scales(self._desk.bike, self._desk.units)[path]
            values[path] = round(min(max(value, scale.low), scale.high), 1)
        draft.try_many(values, "the mark on the map", token)

    def _return(self) -> None:
        held = self._desk.held.tune
        if held is not None:
            values = {path: held.setting(path) for path in self.paths}
            self._desk.draft.try_many(values, "as on the controller", self._desk.draft.token())


def _place(tune: Tune, x: str, y: str) -> tuple[float, float]:
    return tune.setting(x) or 0.0, tune.setting(y) or 0.0


def amps_of(tune: Tune, free: Sequence[str]) -> str:
    """The settings as a button says them: ``103 A and 33 A``."""
    told = [f"{round(tune.setting(path) or 0.0, 1):g} A" for path in free]
    return " and ".join(told) if len(told) < 3 else f"{', '.join(told[:-1])} and {told[-1]}"
