"""The ride: the road left, along it what draft and controller do, where wishes hold, what it costs, and the road's own drawing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QVBoxLayout, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.ride.along import Along
from crisp_hornet.bench.stations.tune.ride.draw_page import DrawPage
from crisp_hornet.bench.stations.tune.ride.range_page import RangePage
from crisp_hornet.bench.stations.tune.ride.ride_column import RideColumn
from crisp_hornet.bench.stations.tune.ride.strips import Strips
from crisp_hornet.bench.stations.tune.ride.wishes_page import WishesPage, amps_of
from crisp_hornet.bench.stations.tune.ride.work import (
    Asked,
    Banded,
    Sought,
    Turn,
    banded,
    mapped,
    quick,
    reached,
    sought,
    told,
)
from crisp_hornet.bench.stations.tune.road_view import RoadTable, RoadView
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.bench.widgets.truth_legend import TruthLegend
from crisp_hornet.core.goal.parts import Instead
from crisp_hornet.core.goal.search import Stopped as SearchStopped
from crisp_hornet.core.goal.wish_map import WishMap
from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.core.virtual_ride.climbs import climbed
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.promise import goes_along
from crisp_hornet.core.virtual_ride.ride import Setting, Stopped, ride
from crisp_hornet.core.virtual_ride.roads import from_ride, joined, repeated, turned
from crisp_hornet.core.virtual_ride.telling import change_told
from crisp_hornet.core.virtual_ride.wishes import Held
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.rides.roads import read_road

PAGES = ("along the road", "where wishes hold", "range", "draw", "climbs and figures")
ALONG, WISHES, RANGE, DRAW, FIGURES = range(5)
COLUMN_PX, OTHERS_PX, STANDS_KMH, MOST_NOTES = 252, 116, 0.5, 4000
NOTHING, OTHER_BIKE = "none", "the bike "
LEGEND = {"drafted": "drafted", "controller": "on the controller"}
ROADS = "Roads and rides (*.json *.gpx *.tcx *.fit *.csv *.parquet *.xlsx);;All files (*)"


class RideView(TuneView):
    """``column`` asks, the pages answer. ``news``: the footer has something else to say."""

    news = pyqtSignal()

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        acts: list[tuple[str, Callable[[], object]]] = [
            ("Draw a new road", self.draw_new),
            ("Import a road or a ride", self.import_road),
            ("Take it from the open ride", self.take_ride),
            ("Ride it the other way", self.turn), ("Ride it again and again", self.repeat), ("Join another road to it", self.join),
            ("Delete the road", self.drop),
        ]  # fmt: skip
        self.ask_column = RideColumn(desk, theme, acts)
        fix(self.ask_column, wide=COLUMN_PX)
        self.column = self.ask_column
        self.switch = PageChoice(PAGES, "of the ride", 8)
        self.switch.chosen.connect(self.show_part)
        self.strips, self.wishes, self.range = Strips(theme), WishesPage(desk, theme), RangePage(desk, theme)
        self.draw, self.figures = DrawPage(desk, theme), RoadView(desk, theme)
        self.climbs = RoadTable("CLIMBS", ("", "time", "mean", "slowest", "winding"))
        self.others = Chooser("what is laid beside the draft's ride")
        self.others.be_narrow()
        fix(self.others, wide=OTHERS_PX)
        self.others.activated.connect(lambda _at: self._lay_other())
        self.cards = Consequences(theme)
        self.sentence, self.cursor_words = label("", wrap=True), label("", "quiet", wrap=True)
        self._legend = TruthLegend(theme, dict(LEGEND))
        self._pages = Pages()
        self._lay_out()
        self._asked: Asked | None = None
        self._ridden: Asked | None = None
        self._rests = True
        self._along: Along | None = None
        self._quick_turn, self._slow_turn, self._seek_turn, self._map_turn = Turn(), Turn(), Turn(), Turn()
        self._beside_turn = Turn()
        self._quick, self._band, self._reach, self._map, self._seek, self._beside = (
            Background(Stopped, SearchStopped, ValueError) for _ in range(6)
        )
        for work in (self._quick, self._beside, self._seek, self._map, self._reach):
            work.failed.connect(self._refuse)
        self._quick.done.connect(self._take_quick)
        self._band.done.connect(self._take_band)
        self._reach.done.connect(self.ask_column.show_reached)
        self._map.done.connect(self._take_map)
        self._seek.done.connect(self._take_answer)
        self._beside.done.connect(self._take_beside)
        self._answer: Sought | None = None
        self._answer_units = desk.units
        self._sentence: str = ""
        self._reached_of: object = None
        self._mapped_of: object = None
        self.ask_column.seek_asked.connect(self.seek)
        self.wishes.taken.connect(self.take_answer)
        self.wishes.axes_changed.connect(self.refresh_slow)
        self.wishes.laid.connect(self.lay_beside)
        self.strips.pointed.connect(self._show_cursor)
        desk.ask.changed.connect(self._ask_changed)
        desk.ride.changed.connect(self.refresh)

    def _lay_out(self) -> None:
        along, figures = QWidget(), QWidget()
        column = column_of(along, margins=(0, 4, 0, 0), spacing=4)
        above = row_of(spacing=8)
        above.addWidget(self._legend, 1)
        above.addWidget(Captioned("beside", self.others))
        column.addLayout(above)
        column.addWidget(self.strips, 1)
        column.addWidget(self.cursor_words)
        column.addWidget(self.cards)
        column.addWidget(self.sentence)
        below = column_of(figures, margins=(0, 4, 0, 0), spacing=8)
        below.addWidget(self.climbs)
        below.addWidget(self.figures, 1)
        for page in (along, self.wishes, self.range, self.draw, figures):
            self._pages.addWidget(page)
        head = row_of(spacing=8)
        head.addWidget(self.switch, 1)
        outer: QVBoxLayout = column_of(self, margins=0, spacing=4)
        outer.addLayout(head)
        outer.addWidget(self._pages, 1)

    def show_part(self, at: int) -> None:
        """Bring a part of the page into view."""
        if self.switch.at != at:
            self.switch.choose(at)
            return
        self._pages.setCurrentIndex(at)
        self.refresh()
        self.refresh_slow()

    # --- showing it -----------------------------------------------------------------------------------------

    def _ask_changed(self) -> None:
        self.wishes.show_answer(None, [], "")
        self._answer = None
        self._seek_turn.begin()
        if self.isVisible():
            self.refresh()
            self.refresh_slow()

    def refresh(self) -> None:
        if not self.isVisible():
            return
        self.ask_column.refresh()
        if self._answer_units != self.desk.units:
            self._show_answer()
        self._list_others()
        self.wishes.refresh()
        self.draw.refresh()
        self.figures.refresh()
        asked = self._ask_now()
        if asked is None:
            self._asked = None
            self.strips.show_along(None, None, self.desk.units)
            self.cards.show_figures([], [], self.desk.units)
            self.sentence.setText("Choose, import or draw a road: the draft is ridden over it before you do.")
            return
        if self._asked is not None and asked.key == self._asked.key:
            self._show_along()
            return
        self._asked, self._rests = asked, False
        self._slow_turn.begin()
        self._band.cancel()
        ticket, before = self._quick_turn.begin(), self._ridden
        known = self._along.now if self._along is not None else None
        self._quick.start(lambda: (asked, *quick(asked, before, known, ticket)))

    def _ask_now(self) -> Asked | None:
        desk = self.desk
        if desk.bike is None or desk.draft.tune is None or desk.ask.road is None:
            return None
        as_run = desk.held.as_held
        now = as_run(desk.held.tune) if desk.held.tune is not None else None
        setting = Setting(desk.conditions.rested_v, desk.ask.ambient_c, desk.ask.headwind_kmh)
        return Asked(desk.bike, as_run(desk.draft.tune), now, desk.ask.road, desk.ask.wish, setting)

    def refresh_slow(self) -> None:
        if not self.isVisible():
            return
        desk, goals = self.desk, self.desk.ask.document()
        rested_v = desk.conditions.rested_v
        self._rests = True
        self._start_band()
        bike, tune = desk.bike, desk.draft.tune
        if bike is None or tune is None or goals is None:
            self.wishes.show_map(None, "Ask for something: then it is shown here where it holds.")
            return
        wanted = (bike, tune, goals, rested_v)
        if wanted != self._reached_of:
            self._reached_of = wanted
            self.ask_column.show_reached(None)
            self._reach.start(lambda: reached(bike, tune, goals, rested_v))
        if self.switch.at == WISHES:
            self._draw_map()
        self.range.refresh_slow()

    def _start_band(self) -> None:
        """The band of what is drawn, once the hands rest and it is drawn."""
        asked, along = self._asked, self._along
        if self._rests and asked is not None and asked is self._ridden and along is not None and along.band is None:
            ticket = self._slow_turn.begin()
            self._band.start(lambda: banded(asked, ticket))

    def _draw_map(self) -> None:
        desk, goals = self.desk, self.desk.ask.document()
        bike, tune, rested_v, paths = desk.bike, desk.draft.tune, desk.conditions.rested_v, self.wishes.paths
        if bike is None or tune is None or goals is None:
            return
        others = tune.with_settings(dict.fromkeys(paths, 1.0))  # what the map goes over makes it no other map
        wanted = (bike, others, goals, rested_v, paths, desk.units)
        if wanted == self._mapped_of:
            return
        self._mapped_of = wanted
        ticket = self._map_turn.begin()
        self._map.start(lambda: mapped(bike, tune, goals, rested_v, paths, ticket))
        self.wishes.show_map(self.wishes.chart.map, "Drawing the map …", drawing=True)

    def _take_map(self, found: WishMap) -> None:
        words = say(
            "At {volts} at rest. Hatched: every wish holds.", volts=quantity(self.desk.conditions.rested_v, "V", ".1f")
        )
        self.wishes.show_map(found, self.desk.units.text(words))
        self.wishes.refresh()

    def _take_quick(self, made: tuple[Asked, Journey, Journey | None]) -> None:
        asked, drafted, now = made
        self._ridden = asked
        measured = self.desk.ride.cleaned
        laid = self._along.beside if self._along is not None and self._along.road == asked.road else None
        self._along = Along(
            asked.road, drafted, now, None, measured if goes_along(measured, asked.road) else None, laid
        )
        self._sentence = _stalled_words(drafted) if drafted.stalled_at_m is not None else ""
        self._show_along()
        self._start_band()

    def _refuse(self, error: Exception) -> None:
        """What was told to stop says nothing; what cannot be ridden says why."""
        if isinstance(error, ValueError):
            self.desk.said.emit("warn", f"The ride: {error}.")

    def _take_band(self, found: Banded) -> None:
        if self._along is None or self._asked is None:
            return
        foreseen, changes, now = found
        self._along = replace(self._along, drafted=foreseen.journey, band=foreseen)
        if foreseen.journey.stalled_at_m is None and isinstance(self._asked.wish, Held):
            self.desk.promises.foresee(self._asked.tune, self._asked.road, foreseen.figures)
        if changes is not None and now is not None and now.stalled_at_m is None:
            self._sentence = change_told(foreseen, changes, now.figures, "Against what is on the controller")
        self._show_along()
        self.news.emit()

    def _show_along(self) -> None:
        along, units = self._along, self.desk.units
        open_ride = {"measured": "ridden"} if along is not None and along.measured is not None else {}
        self.sentence.setText(units.text(self._sentence))
        self._legend.words = LEGEND | open_ride
        self._legend.update()
        self.strips.show_along(along, self._asked.tune if self._asked is not None else None, units)
        self._show_cursor(self.strips.at_m)
        if along is None or along.drafted is None:
            return
        self.cards.show_figures(_cards(along.drafted), _cards(along.now) if along.now is not None else [], units)
        rows: list[list[str]] = [
            [
                say("{start} to {end} at {grade}", start=quantity(one.climb.from_m / 1000, "km", ".1f", bare=True),
                    end=quantity(one.climb.to_m / 1000, "km", ".1f"), grade=quantity(100 * one.climb.grade, "%", ".1f")),
                say("{time}", time=quantity(one.time_s, "s", ".0f")), say("{speed}", speed=quantity(one.mean_kmh, "km/h", ".1f")),
                _slowest(one.slowest_kmh), say("{heat}", heat=quantity(one.winding_c, "°C", ".0f")),
            ]
            for one in climbed(along.drafted, along.road)[:6]
        ]  # fmt: skip
        self.climbs.show_rows(rows, units)

    def _show_cursor(self, at_m: float) -> None:
        self.cursor_words.setText(self._along.told(at_m, self.desk.units) if self._along is not None else "")

    # --- asking ---------------------------------------------------------------------------------------------

    def seek(self) -> None:
        """Find the settings for the wishes; once more ends the search."""
        if self._seek.running:
            self._seek_turn.begin()
            self._seek.cancel()
            self._show_seeking(False)
            self.wishes.show_answer(None, [], "Stopped. Nothing was changed.")
            return
        desk, goals = self.desk, self.desk.ask.document()
        bike, tune, rested_v = desk.bike, desk.draft.tune, desk.conditions.rested_v
        if bike is None or tune is None or goals is None:
            desk.said.emit("note", "Ask for something first: add a wish.")
            return
        ticket, steps = self._seek_turn.begin(), desk.held.steps(desk.ask.free)
        self._seek.start(lambda: sought(bike, tune, goals, rested_v, steps, ticket))
        self._show_seeking(True)
        self.show_part(WISHES)
        self.wishes.show_answer(None, [], "Looking for settings …")

    def _show_seeking(self, on: bool) -> None:
        self.ask_column.seek.setText("Stop the search" if on else "Find the settings")

    def _take_answer(self, found: Sought) -> None:
        self._show_seeking(False)
        self._answer = found
        self._show_answer()
        self.news.emit()

    def _show_answer(self) -> None:
        """What was found, in the units of now."""
        self._answer_units = self.desk.units
        if self._answer is not None:
            _, answer, parts = self._answer
            self.wishes.show_answer(answer, parts, self._answer_words)

    @property
    def _answer_words(self) -> str:
        return self.desk.units.text(told(self._answer[1], self._answer[0])) if self._answer is not None else ""

    def take_answer(self) -> None:
        """Draft the settings that were found, and keep the ask in the logbook."""
        answer, desk = self.wishes.found, self.desk
        if answer is None or desk.draft.tune is None:
            return
        values = {path: answer.tune.setting(path) for path in desk.ask.free}
        notes = "\n".join(filter(None, [desk.draft.tune.notes, self._answer_words]))[-MOST_NOTES:]
        desk.draft.open(
            desk.draft.tune.with_settings(values).model_copy(update={"notes": notes}), "the settings asked for"
        )
        desk.log("ask", f"Asked, and drafted {amps_of(answer.tune, desk.ask.free)}", self._answer_words)
        desk.said.emit("settled", f"Drafted: {amps_of(answer.tune, desk.ask.free)}. Drafts has the steps there.")

    def lay_beside(self, part: Instead) -> None:
        """Ride the same road with another part, and draw that beside."""
        asked = self._asked
        if asked is None:
            self.desk.said.emit("note", "Choose a road first: it is ridden with this part.")
            return
        ticket = self._beside_turn.begin()
        self._beside.start(lambda: (part, ride(part.bike, part.tune, asked.road, asked.wish, asked.setting, ticket)))

    def _lay_other(self) -> None:
        """Ride the road with a saved draft, or with another bike of the garage on its draft."""
        name, asked, desk = self.others.currentText(), self._asked, self.desk
        if asked is None or self._along is None:
            return
        tune, bike = desk.draft.named().get(name), asked.bike
        if tune is None:
            number = next((one.id for one in desk.bikes() if f"{OTHER_BIKE}{one.name}" == name), None)
            other = desk.kept_tune(number) if number is not None else None
            if other is None:
                self._along = replace(self._along, beside=None)
                self._show_along()
                return
            bike, tune = other
        rested = asked.setting.rested_v if bike is asked.bike else None  # another pack is taken to be full
        ticket, setting, other_tune = self._beside_turn.begin(), replace(asked.setting, rested_v=rested), tune
        self._beside.start(lambda: (None, ride(bike, other_tune, asked.road, asked.wish, setting, ticket)))

    def _list_others(self) -> None:
        desk = self.desk
        bikes = [
            f"{OTHER_BIKE}{one.name}"
            for one in desk.bikes()
            if one.id != desk.bike_id and one.readable and not one.archived
        ]
        names = [NOTHING, *desk.draft.named(), *bikes]
        if [self.others.itemText(at) for at in range(self.others.count())] != names:
            self.others.offer(names)

    def _take_beside(self, found: tuple[Instead | None, Journey]) -> None:
        if self._along is not None:
            self._along = replace(self._along, beside=found[1])
            self.show_part(ALONG)
            self._show_along()

    # --- roads ----------------------------------------------------------------------------------------------

    def draw_new(self) -> None:
        """Begin a road."""
        self.show_part(DRAW)
        self.draw.open(None)

    def import_road(self) -> None:
        """Take a road from a file."""
        name, _ = QFileDialog.getOpenFileName(self, "Import a road or a ride", "", ROADS)
        if name:
            self.take_file(Path(name))

    def take_file(self, path: Path) -> None:
        """Read a road, keep it, ride it."""
        try:
            road = read_road(path)
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))
            return
        self.desk.ask.keep_road(road.route)
        words = say(
            "Imported: {name}, {way}.", name=road.route.name, way=quantity(road.route.length_m / 1000, "km", ".1f")
        )
        if road.logged_climb_m > road.climb_m + 1:
            words = say(
                "{words} Heights smoothed: it climbs {climb}, {logged} as logged.", words=words,
                climb=quantity(road.climb_m, "m", ".0f"), logged=quantity(road.logged_climb_m, "m", ".0f"),
            )  # fmt: skip
        self.desk.said.emit("settled", self.desk.units.text(words))

    def take_ride(self) -> None:
        """The road that the open ride went."""
        ride_ = self.desk.ride.cleaned
        if ride_ is None:
            self.desk.said.emit("note", "Open a ride on Rides first.")
            return
        try:
            road = from_ride(ride_, ride_.name[:150] or "ride")
        except ValueError as error:
            self.desk.said.emit("stop", f"The open ride: {error}.")
            return
        self.desk.ask.keep_road(road.route)

    def turn(self) -> None:
        """The same road the other way."""
        self._change_road(turned)

    def repeat(self) -> None:
        """The road several times in a row, as one."""
        times, good = QInputDialog.getInt(self, "Ride it again and again", "times in a row", 2, 2, 20)
        if good:
            self._change_road(
                lambda road: repeated(road, times).model_copy(update={"name": f"{road.name[:140]}, {times} times"})
            )

    def join(self) -> None:
        """Another road of the garage behind it."""
        names = [
            name for name in self.desk.ask.roads() if self.desk.ask.road is None or name != self.desk.ask.road.name
        ]
        if not names or self.desk.ask.road is None:
            self.desk.said.emit("note", "There is no other road to join.")
            return
        name, good = QInputDialog.getItem(self, "Join another road to it", "road", names, 0, False)
        other = self.desk.ask.road_named(name) if good else None
        if other is not None:
            self._change_road(lambda road: joined(road, other))

    def _change_road(self, change: Callable[[Route], Route]) -> None:
        road = self.desk.ask.road
        if road is None:
            self.desk.said.emit("note", "Choose a road first.")
            return
        try:
            made = change(road)
        except (ValueError, DocumentError) as error:
            self.desk.said.emit("stop", f"{road.name}: {error}.")
            return
        self.desk.ask.keep_road(made.model_copy(update={"name": made.name[:150]}))

    def drop(self) -> None:
        """Delete the road; it is said."""
        road = self.desk.ask.road
        if road is not None:
            self.desk.ask.drop_road(road.name)
            self.desk.said.emit("note", f"Deleted: {road.name}.")

    def meaning(self) -> tuple[str, str] | None:
        if self._answer_words:
            return "WHAT THE ASK COMES TO", self._answer_words
        return (
            "THE RIDE",
            self.sentence.text()
            or "Drag pans, the wheel zooms, the arrows move the cursor, Home shows the whole road.",
        )


def _stalled_words(journey: Journey) -> str:
    where = quantity((journey.stalled_at_m or 0.0) / 1000, "km", ".2f")
    if journey.why == "empty":
        return say("The pack is empty after {where}.", where=where)
    return say("It stalls after {where}.", where=where)


def _slowest(kmh: float) -> str:
    return say("{speed}", speed=quantity(kmh, "km/h", ".1f")) if not kmh < STANDS_KMH else "from a stop"


def _cards(journey: Journey) -> list[Consequence]:
    figures = journey.figures
    return [
        Consequence("there in", figures["time_s"] / 60 if journey.stalled_at_m is None else float("nan"), "min", 1),
        Consequence("from the cells", figures["wh_cells"], "Wh", 0), Consequence("charge left", 100 * figures["end_charge"], "%", 0),
        Consequence("hottest winding", figures["winding_c"], "°C", 0), Consequence("lowest pack", figures["min_pack_v"], "V", 1),
    ]  # fmt: skip
