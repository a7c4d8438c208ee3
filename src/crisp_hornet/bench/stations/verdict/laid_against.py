"""What the open ride is laid against: its prediction along the way, another ride, or another tune."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.text import label, shortened
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.evidence.compare import compare
from crisp_hornet.core.evidence.day import Day
from crisp_hornet.core.evidence.differences import Difference, against_prediction, between_rides, between_tunes
from crisp_hornet.core.evidence.dyno import DynoRuns, dyno_runs
from crisp_hornet.core.evidence.effects import effects_between
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.core.ride.along import beside
from crisp_hornet.core.ride.along_way import per_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.rides import KeptRide

ALONE, PREDICTION = "none", "its prediction, along the route"


@dataclass(frozen=True, eq=False)
class Against:
    """What was found: the name of what the ride is laid against, a sentence, what differs; of another ride its Wh per km at the
    places of this one, and its pulls; of another tune its curve."""

    name: str
    sentence: str
    found: list[Difference]
    way: tuple[Array, Array] | None = None
    runs: DynoRuns | None = None
    curve: PullCurve | None = None


@dataclass(frozen=True, eq=False)
class Judged:
    """The open ride as it was judged: what others are compared with."""

    ride: Ride
    bike: Bike
    tune: Tune
    verdict: Verdict
    curve: PullCurve
    day: Day
    flywheel_kg: float | None = None


class AgainstRow(QWidget):
    """The choice, and the sentence. Loaded and computed off the interface thread; ``found`` carries an :class:`Against`, or None."""

    found = pyqtSignal(object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._open: Judged | None = None
        self._choices: list[tuple[str, Callable[[Judged], Against]]] = []
        self.choice = Chooser("compare the ride with")
        self.choice.setMinimumContentsLength(12)
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.choice.activated.connect(lambda _at: self._start())
        self.told = label("", wrap=True)
        self._work = Background(DocumentError)
        self._work.done.connect(self._take)
        self._work.failed.connect(lambda error: self._tell(str(error)))
        self.row = Captioned("compare with", self.choice)  # the page lays it beside its title
        row_of(self, margins=0).addWidget(self.told)
        self.hide()

    def _tell(self, words: str) -> None:
        self.told.setText(words)
        self.setVisible(bool(words))

    def show_judged(self, judged: Judged | None) -> None:
        """The open ride was judged, or there is none."""
        self._open = judged
        self.row.setVisible(judged is not None)
        names = [name for name, _ in self._choices]
        self._choices = self._offered()
        if [name for name, _ in self._choices] != names:
            chosen = self.choice.currentText()
            self.choice.clear()
            self.choice.addItems([ALONE, *(name for name, _ in self._choices)])
            self.choice.setCurrentIndex(max(self.choice.findText(chosen), 0))
        self._start()

    def _offered(self) -> list[tuple[str, Callable[[Judged], Against]]]:
        desk = self._desk
        if self._open is None or desk.bike is None:
            return []
        offered: list[tuple[str, Callable[[Judged], Against]]] = [(PREDICTION, _along_the_way)]
        for kept in desk.ride.kept():
            if kept.id != desk.ride.id:
                offered.append((f"the ride {shortened(kept.name, 40)}", self._with_ride(kept)))
        tunes = {"the draft": desk.draft.tune, "what the controller holds": desk.held.tune} | {
            f"the draft {name}": tune for name, tune in desk.draft.named().items()
        }
        tunes |= {f"{tune.name}, sent {time_words(when)}": tune for when, tune in desk.held.sent()}
        own = self._open.tune
        for name, tune in tunes.items():
            if tune is not None and tune.differing(own):
                offered.append((f"its tune: {shortened(name, 50)}", _with_tune(name, tune)))
        return offered

    def _with_ride(self, kept: KeptRide) -> Callable[[Judged], Against]:
        desk = self._desk

        def work(judged: Judged) -> Against:
            other = desk.ride.load(kept)
            return against_ride(judged, other, kept.tune or judged.tune, Day.of(kept.card))

        return work

    def _start(self) -> None:
        at, one = self.choice.currentIndex() - 1, self._open
        self._work.cancel()
        self._tell("")
        self.found.emit(None)
        if one is None or not 0 <= at < len(self._choices):
            return
        job = self._choices[at][1]
        self._tell("being compared")
        self._work.start(lambda: (one, job(one)))

    def _take(self, found: tuple[Judged, Against]) -> None:
        one, against = found
        if one is self._open:
            self._tell(self._desk.units.text(against.sentence))
            self.found.emit(against)


def against_ride(judged: Judged, other: Ride, tune: Tune, day: Day) -> Against:
    """The open ride against another one, which was ridden on ``tune``."""
    curve = pull_curve(
        judged.bike, tune, judged.curve.speed_kmh, conditions_at_start(other, judged.bike) or _conditions(judged)
    )
    verdict, _ = judge(other, judged.bike, tune, curve, day)
    compared = compare(judged.ride, other, judged.bike, (judged.day, day))
    stretch = judged.verdict.stretch(judged.bike)  # one bike, one wheel
    runs = tuple(dyno_runs(ride, judged.bike, judged.flywheel_kg, stretch) for ride in (judged.ride, other))
    found = between_rides((judged.verdict, verdict), (judged.ride, other), compared, (runs[0], runs[1]))
    days = [judged.day.beside(day), day.beside(judged.day)]
    told = f"This day: {days[0].in_words}; the other: {days[1].in_words}."
    if all(each == Day(rested_v=each.rested_v, timed=each.timed) for each in days):
        told = "Neither card tells air, wind or load."
    return Against(
        shortened(other.name, 40), f"{compared.sentence} {told}", found, _way(judged.ride, other, judged.bike), runs[1]
    )


def _way(ride: Ride, other: Ride, bike: Bike) -> tuple[Array, Array] | None:
    """(km of the first ride's way, the other's Wh per km there)."""
    there = derived(other, bike)
    if "battery_w" not in there or "distance_km" not in there:
        return None
    try:
        laid = beside(ride, other)
    except ValueError:  # one of them tells no distance
        return None
    km, wh_per_km = per_km(other.time_s, there["distance_km"], there["battery_w"])
    return (km - laid.offset_km) / laid.stretch, wh_per_km


def _along_the_way(judged: Judged) -> Against:
    found = against_prediction(judged.ride, judged.bike)
    whole = next((each for each in found if each.what == "energy while driving"), None)
    if whole is None:
        return Against(
            "its prediction", "The ride has no speed, voltage and battery current to lay along its way.", found
        )
    return Against("its prediction", f"While driving it used {whole.in_words}: {whole.this}, {whole.other}.", found)


def _with_tune(name: str, tune: Tune) -> Callable[[Judged], Against]:
    def work(judged: Judged) -> Against:
        conditions = _conditions(judged)
        curve = pull_curve(judged.bike, tune, judged.curve.speed_kmh, conditions)
        found = between_tunes(
            effects_between(judged.bike, tune, judged.tune, conditions.rested_v, judged.curve.speed_kmh)
        )
        changed = len(judged.tune.differing(tune))
        words = f"{counted(changed, 'setting')} apart; what is predicted of the tune that was ridden, against {name}."
        return Against(
            name, words if found else f"{changed} settings apart, and no predicted figure moves.", found, curve=curve
        )

    return work


def _conditions(judged: Judged) -> Conditions:
    return Conditions(judged.curve.rested_v)
