"""Left of the ride: which road, how it is ridden, what it shall do, and the search for settings."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from crisp_hornet.bench.desk.ask import EVERY_CASE, HELD, THROTTLE
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.stations.tune.ride.wish_card import WishCard, new_wish
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.fold import Several
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.core.goal.cases import CASES
from crisp_hornet.core.goal.reached import Reached
from crisp_hornet.core.goal.words import KINDS
from crisp_hornet.documents.goals import FREE, MOST_GOALS, Goal

NO_ROAD, NO_MODE = "no road yet", "none"
FREE_WORDS = {
    "phase and battery current": FREE[:2], "phase, battery, weakening": FREE, "phase current alone": FREE[:1],
    "battery current alone": FREE[1:2],
}  # fmt: skip


CASE_WORDS = {"as it is drawn": "", **{f"also {name}": name for name in CASES}, "in all these cases": EVERY_CASE}


class RideColumn(QWidget):
    """``seek_asked``: settings are to be found, or the search is to end."""

    seek_asked = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme, road_acts: Sequence[tuple[str, Callable[[], object]]]) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.roads = Chooser("the road")
        self.roads.activated.connect(self._take_road)
        self.roads.be_narrow()
        self.hold = NumberField("speed held where the road allows it", "km/h", width=80)
        self.hold.editingFinished.connect(self._take_hold)
        self.air = NumberField("air temperature on the road", "°C", width=62)
        self.air.editingFinished.connect(self._take_hold)
        self.wind = NumberField("wind from ahead", "km/h", width=80)
        self.wind.editingFinished.connect(self._take_hold)
        self.how = Chooser("how it is ridden")
        self.how.be_narrow()
        self.how.activated.connect(lambda at: desk.ask.ride_at(how=self._ways()[at][0]))
        self.mode = Chooser("mode of the tune it is ridden in")
        self.mode.be_narrow()
        self.mode.activated.connect(lambda at: desk.ask.ride_in(self.mode.itemText(at) if at else ""))
        self.free = Chooser("settings that may be changed for the wishes")
        self.free.addItems(list(FREE_WORDS))
        self.free.activated.connect(lambda _at: desk.ask.set_free(FREE_WORDS[self.free.currentText()]))
        self.case = Chooser("in which cases the wishes shall hold")
        self.case.addItems(list(CASE_WORDS))
        self.case.activated.connect(lambda _at: desk.ask.set_cases(CASE_WORDS[self.case.currentText()]))
        self.seek = button("Find the settings", self.seek_asked.emit, "small", "Find the settings")
        self.cards: list[WishCard] = []
        self._reached: Sequence[Reached] | None = None
        self._rows = QVBoxLayout()
        self._rows.setSpacing(6)
        self._shown: object = None
        self._goals: list[Goal] = []
        self._lay_out(road_acts)

    def _lay_out(self, road_acts: Sequence[tuple[str, Callable[[], object]]]) -> None:
        inside = QWidget()
        column = column_of(inside, margins=(0, 0, 8, 0), spacing=6)
        column.addWidget(label("THE ROAD", "caps"))
        column.addWidget(Captioned("road", self.roads))
        acts = row_of(spacing=6)
        acts.addWidget(Several("Road", road_acts))
        acts.addStretch(1)
        column.addLayout(acts)
        column.addWidget(Captioned("ridden", self.how))
        self._in_mode = Captioned("in mode", self.mode)
        column.addWidget(self._in_mode)
        day = row_of(spacing=6)
        for words, made in (("at", self.hold), ("air", self.air), ("wind", self.wind)):
            day.addWidget(Captioned(words, made, above=True))
        column.addLayout(day)
        column.addSpacing(6)
        column.addWidget(label("WHAT IT SHALL DO", "caps"))
        column.addLayout(self._rows)
        wishes = row_of(spacing=6)
        wishes.addWidget(
            Several("Add a wish", [(kind.listed, partial(self.add, what)) for what, kind in KINDS.items()])
        )
        wishes.addStretch(1)
        column.addLayout(wishes)
        column.addWidget(Captioned("free to change", self.free, above=True))
        column.addWidget(Captioned("shall hold", self.case, above=True))
        column.addWidget(self.seek)
        column.addStretch(1)
        column_of(self, margins=0).addWidget(column_scroll(inside))

    def add(self, what: str) -> None:
        """Ask for one more thing, with figures to begin with."""
        if len(self._desk.ask.goals) >= MOST_GOALS:
            self._desk.said.emit("note", f"{MOST_GOALS} wishes are the most: drop one first.")
            return
        road = self._desk.ask.road
        wish = new_wish(what, road.name if road is not None else "")
        if wish is None:
            self._desk.said.emit("note", "Choose a road first: then something can be asked of it.")
            return
        self._desk.ask.set_goals([*self._desk.ask.goals, wish])
        self.cards[-1]._unfold()  # noqa: SLF001

    def _take_road(self, at: int) -> None:
        if self.roads.itemText(at) != NO_ROAD:
            self._desk.ask.choose(self.roads.itemText(at))

    def _take_hold(self) -> None:
        units, ask = self._desk.units, self._desk.ask
        try:
            kmh, ambient = units.back(self.hold.read(), "km/h"), units.back(self.air.read(), "°C")
            wind = units.back(self.wind.read(), "km/h")
        except Misread as why:
            self._desk.said.emit("note", f"The ride: {why}.")
            return
        if not 1 <= kmh <= 300 or not -40 <= ambient <= 60 or abs(wind) > 100:
            self._desk.said.emit("note", "The ride: from 1 to 300 km/h, in air of -40 to 60 °C, wind up to 100 km/h.")
            return
        kmh, ambient, wind = (round(one, 3) for one in (kmh, ambient, wind))
        if (kmh, ambient, wind) != tuple(round(one, 3) for one in (ask.hold_kmh, ask.ambient_c, ask.headwind_kmh)):
            ask.ride_at(kmh, ambient, wind)

    def _ways(self) -> list[tuple[str, str]]:
        """How it may be ridden, and in words."""
        draft = self._desk.draft.tune
        levels = len(draft.assist.levels) if draft is not None else 0
        told = [(HELD, "hold a speed"), (THROTTLE, "throttle open")]
        return [*told, *((f"level {at}", f"pedal, level {at}") for at in range(1, levels + 1))]

    def refresh(self) -> None:
        """Show what is asked now."""
        ask, units = self._desk.ask, self._desk.units
        names = ask.roads()
        if ask.road is None:
            names = [NO_ROAD, *names]
        if [self.roads.itemText(at) for at in range(self.roads.count())] != names:
            self.roads.clear()
            self.roads.addItems(names)
        here = ask.road.name if ask.road is not None else NO_ROAD
        self.roads.setCurrentIndex(names.index(here) if here in names else -1)
        for made, value, unit in (
            (self.hold, ask.hold_kmh, "km/h"),
            (self.air, ask.ambient_c, "°C"),
            (self.wind, ask.headwind_kmh, "km/h"),
        ):
            made.show_unit(units.unit(unit))
            if not made.hasFocus():
                made.setText(f"{units.value(value, unit):.4g}")
        ways = self._ways()
        if [self.how.itemText(at) for at in range(self.how.count())] != [words for _, words in ways]:
            self.how.clear()
            self.how.addItems([words for _, words in ways])
        self.how.setCurrentIndex(next((at for at, (way, _) in enumerate(ways) if way == ask.how), 0))
        self.hold.setEnabled(ask.how == HELD)
        self.free.setCurrentIndex(
            next((at for at, one in enumerate(FREE_WORDS.values()) if set(one) == set(ask.free)), 0)
        )
        draft = self._desk.draft.tune
        modes = [NO_MODE, *(one.name for one in draft.modes)] if draft is not None else [NO_MODE]
        self._in_mode.setVisible(len(modes) > 1)
        self.mode.offer(modes)
        self.mode.setCurrentIndex(modes.index(ask.mode) if ask.mode in modes else 0)
        self.case.setCurrentIndex(next((at for at, one in enumerate(CASE_WORDS.values()) if one == ask.case), 0))
        if self._shown != (ask.goals, units):
            same = self._shown is not None and self._goals == ask.goals
            self._shown, self._goals = (list(ask.goals), units), list(ask.goals)
            self._build()
            self.show_reached(self._reached if same else None)

    def _build(self) -> None:
        clear(self._rows)
        self.cards = []
        for at, goal in enumerate(self._desk.ask.goals):
            card = WishCard(goal, self._theme, self._desk.units)
            card.changed.connect(lambda wish, at=at: self._replace(at, wish))
            card.dropped.connect(lambda at=at: self._replace(at, None))
            card.refused.connect(lambda why: self._desk.said.emit("note", why))
            self.cards.append(card)
            self._rows.addWidget(card)
        if not self.cards:
            self._rows.addWidget(
                label("Nothing asked yet. Say what it shall reach, and the settings are found.", "quiet", wrap=True)
            )

    def _replace(self, at: int, wish: Goal | None) -> None:
        goals = list(self._desk.ask.goals)
        goals[at : at + 1] = [wish] if wish is not None else []
        self._desk.ask.set_goals(goals)

    def show_reached(self, reached: Sequence[Reached] | None) -> None:
        """What the draft reaches of each wish; None while it is being worked out."""
        self._reached = reached
        for at, card in enumerate(self.cards):
            card.show_reached(reached[at] if reached is not None and at < len(reached) else None)
