"""Along the road: the rides of draft and controller, one laid beside, the logged one; cards, a cursor, and what the draft changes."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.scale import across, fix
from crisp_hornet.bench.stations.tune.ride.along import Along
from crisp_hornet.bench.stations.tune.ride.strips import Strips
from crisp_hornet.bench.stations.tune.ride.work import Asked, Banded, Turn, banded, quick
from crisp_hornet.bench.stations.tune.road_view import RoadTable
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.bench.widgets.truth_legend import TruthLegend
from crisp_hornet.core.goal.parts import Instead
from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.core.virtual_ride.again import RiddenAgain, ride_again
from crisp_hornet.core.virtual_ride.climbs import climbed
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.promise import goes_along
from crisp_hornet.core.virtual_ride.ride import Setting, Stopped, ride
from crisp_hornet.core.virtual_ride.telling import change_told
from crisp_hornet.core.virtual_ride.wishes import Held
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

POLL_MS = 250
OTHERS_PX, ROOMY_PX, STANDS_KMH, MOST_CLIMBS = 116, 560, 0.5, 6
NOTHING, OTHER_BIKE = "none", "the bike "
LEGEND = {"drafted": "drafted", "controller": "on the controller"}
NO_ROAD = "Choose, import or draw a road: the draft is ridden over it before you do."


class AlongPage(QWidget):
    """``along`` is what is drawn, of what was ``ridden``; what is ``asked`` may be newer. ``news``: the sentence is another one. ``laid``:
    a ride was laid beside. ``climbs`` stands where the owner puts it."""

    news = pyqtSignal()
    laid = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.strips, self.cards = Strips(theme), Consequences(theme)
        self.sentence, self.cursor_words = label("", wrap=True), label("", "quiet", wrap=True)
        self.climbs = RoadTable("CLIMBS", ("", "time", "mean", "slowest", "winding"))
        self._legend = TruthLegend(theme, dict(LEGEND))
        self.others = Chooser("what is laid beside the draft's ride")
        self.others.be_narrow()
        fix(self.others, wide=OTHERS_PX)
        self.others.activated.connect(lambda _at: self._lay_other())
        above = row_of(spacing=8)
        above.addWidget(self._legend, 1)
        above.addWidget(Captioned("beside", self.others))
        column = column_of(self, margins=(0, 4, 0, 0), spacing=4)
        column.addLayout(above)
        column.addWidget(self.strips, 1)
        for below in (self.cursor_words, self.cards, self.sentence):
            column.addWidget(below)
        self.asked: Asked | None = None
        self.ridden: Asked | None = None
        self.along: Along | None = None
        self._rests, self._sentence = True, ""
        self._quick_turn, self._band_turn, self._beside_turn = Turn(), Turn(), Turn()
        self._quick, self._band, self._beside, self._again = (Background(Stopped, ValueError) for _ in range(4))
        self._again.done.connect(self._take_again)
        self._poll = QTimer(self)
        self._poll.setInterval(POLL_MS)
        self._poll.timeout.connect(self._show_progress)
        for work in (self._quick, self._beside, self._again):
            work.failed.connect(self._refuse)
        self._quick.done.connect(self._take_quick)
        self._band.done.connect(self._take_band)
        self._beside.done.connect(self._take_beside)
        self.strips.pointed.connect(self._show_cursor)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.sentence.setVisible(
            self.asked is None or across(self) >= ROOMY_PX
        )  # where it is narrow the footer says it alone

    def stop(self) -> None:
        """Nobody waits for it any more."""
        for turn in (self._quick_turn, self._band_turn, self._beside_turn):
            turn.begin()

    # --- the rides ------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Ride what is asked now, where it is something else than before."""
        self._list_others()
        asked = self._ask_now()
        if asked is None:
            self.asked = None
            self.strips.show_along(None, None, self._desk.units)
            self.cards.show_figures([], [], self._desk.units)
            self.sentence.setText(NO_ROAD)
            self.sentence.show()
            return
        if self.asked is not None and asked.key == self.asked.key:
            self._show()
            return
        self.asked, self._rests = asked, False
        self._band_turn.begin()
        self._band.cancel()
        ticket, before = self._quick_turn.begin(), self.ridden
        known = self.along.now if self.along is not None else None
        self._quick.start(lambda: (asked, *quick(asked, before, known, ticket)))

    def rest(self) -> None:
        """The hands rest: the band is worked out, once the rides are there."""
        self._rests = True
        asked, along = self.asked, self.along
        if asked is not None and asked is self.ridden and along is not None and along.band is None:
            ticket = self._band_turn.begin()
            self._band.start(lambda: banded(asked, ticket))
            self._poll.start()

    def _ask_now(self) -> Asked | None:
        desk = self._desk
        if desk.bike is None or desk.draft.tune is None or desk.ask.road is None:
            return None

        def ridden(tune: Tune) -> Tune:
            return desk.ask.in_mode(desk.held.as_held(tune))

        now = ridden(desk.held.tune) if desk.held.tune is not None else None
        setting = Setting(desk.conditions.rested_v, desk.ask.ambient_c, desk.ask.headwind_kmh)
        return Asked(desk.bike, ridden(desk.draft.tune), now, desk.ask.road, desk.ask.wish, setting)

    def _take_quick(self, made: tuple[Asked, Journey, Journey | None]) -> None:
        asked, drafted, now = made
        before, self.ridden = self.ridden, asked
        measured = self._desk.ride.cleaned
        same = before is not None and (before.road, before.wish, before.setting) == (
            asked.road,
            asked.wish,
            asked.setting,
        )
        laid = self.along.beside if self.along is not None and same else None
        self.along = Along(asked.road, drafted, now, None, measured if goes_along(measured, asked.road) else None, laid)
        self._sentence = _stalled_words(drafted) if drafted.stalled_at_m is not None else ""
        self._show()
        if not same and self.others.currentText() != NOTHING:
            self._lay_other()
        if self._rests:
            self.rest()

    def _refuse(self, error: Exception) -> None:
        """What was told to stop says nothing; what cannot be ridden says why."""
        if isinstance(error, ValueError):
            self._desk.said.emit("warn", f"The ride: {error}.")

    def _show_progress(self) -> None:
        """How far the band is, where one waits for it."""
        if not self._band.running:
            self._poll.stop()
        elif not self._sentence and self._band_turn.share < 1:
            self.sentence.setText(f"Working out the band: {100 * self._band_turn.share:.0f} %")

    def _take_band(self, found: Banded) -> None:
        if self.along is None or self.asked is None:
            return
        foreseen, changes, now = found
        self.along = replace(self.along, drafted=foreseen.journey, band=foreseen)
        if foreseen.journey.stalled_at_m is None and isinstance(self.asked.wish, Held) and not self._desk.ask.mode:
            self._desk.promises.foresee(self.asked.tune, self.asked.road, foreseen.figures)
        if changes is not None and now is not None and now.stalled_at_m is None:
            self._sentence = change_told(foreseen, changes, now.figures, "Against what is on the controller")
        self._show()
        self.news.emit()

    # --- showing them ---------------------------------------------------------------------------------------

    def _show(self) -> None:
        along, units = self.along, self._desk.units
        logged = {"measured": "ridden"} if along is not None and along.measured is not None else {}
        self.sentence.setText(units.text(self._sentence))
        self._legend.words = LEGEND | logged
        self._legend.update()
        self.strips.show_along(along, self.asked.tune if self.asked is not None else None, units)
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
            for one in climbed(along.drafted, along.road)[:MOST_CLIMBS]
        ]  # fmt: skip
        self.climbs.show_rows(rows, units)

    def _show_cursor(self, at_m: float) -> None:
        self.cursor_words.setText(self.along.told(at_m, self._desk.units) if self.along is not None else "")

    def ride_again(self) -> None:
        """The open ride once more, on the draft: what that would have changed is said."""
        desk = self._desk
        log, tune, draft, bike = desk.ride.cleaned, desk.ride.tune, desk.draft.tune, desk.bike
        if log is None or tune is None or draft is None or bike is None:
            desk.said.emit("note", "Open a ride on Rides, and say on Verdict which tune it was ridden on.")
            return
        ticket, bike = self._beside_turn.begin(), bike.with_pack(desk.ride.card.pack)
        self._again.start(lambda: ride_again(log, tune, draft, bike, tick=ticket))
        desk.said.emit("note", f"Riding {log.name} again on the draft …")

    def _take_again(self, found: RiddenAgain) -> None:
        words = say(
            "{name}: {sentence}",
            name=self._desk.ride.cleaned.name if self._desk.ride.cleaned else "",
            sentence=found.sentence,
        )
        self._desk.said.emit("settled", self._desk.units.text(words))

    # --- what is laid beside --------------------------------------------------------------------------------

    def lay_part(self, part: Instead) -> None:
        """Ride the same road with another part, and draw that beside."""
        asked = self.asked
        if asked is None:
            self._desk.said.emit("note", "Choose a road first: it is ridden with this part.")
            return
        ticket = self._beside_turn.begin()
        self._beside.start(lambda: ride(part.bike, part.tune, asked.road, asked.wish, asked.setting, ticket))
        self.laid.emit()

    def _lay_other(self) -> None:
        """Ride the road with a saved draft, or with another bike of the garage on its draft."""
        name, asked, desk = self.others.currentText(), self.asked, self._desk
        if asked is None or self.along is None:
            return
        tune, bike = desk.draft.named().get(name), asked.bike
        if tune is None:
            number = next((one.id for one in desk.bikes() if f"{OTHER_BIKE}{one.name}" == name), None)
            other = desk.kept_tune(number) if number is not None else None
            if other is None:
                self.along = replace(self.along, beside=None)
                self._show()
                return
            bike, tune = other
        rested = asked.setting.rested_v if bike is asked.bike else None  # another pack is taken to be full
        ticket, setting, other_tune = self._beside_turn.begin(), replace(asked.setting, rested_v=rested), tune
        self._beside.start(lambda: ride(bike, other_tune, asked.road, asked.wish, setting, ticket))

    def _list_others(self) -> None:
        desk = self._desk
        bikes = [
            f"{OTHER_BIKE}{one.name}"
            for one in desk.bikes()
            if one.id != desk.bike_id and one.readable and not one.archived
        ]
        names = [NOTHING, *desk.draft.named(), *bikes]
        if [self.others.itemText(at) for at in range(self.others.count())] != names:
            self.others.offer(names)

    def _take_beside(self, found: Journey) -> None:
        if self.along is not None:
            self.along = replace(self.along, beside=found)
            self._show()


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
