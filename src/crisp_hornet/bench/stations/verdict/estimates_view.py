"""What the ride says of the bike: each figure with its interval beside the bike document and earlier rides, what it moves, learned or taken
back."""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.stations.verdict.estimate_figures import BIKE, FIGURES, Figure
from crisp_hornet.bench.stations.verdict.interval_strip import IntervalStrip, StripLegend
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.row_grid import RowGrid, stacked
from crisp_hornet.bench.widgets.text import button, column_scroll, label
from crisp_hornet.core.evidence.estimate import REACH, Estimate
from crisp_hornet.core.evidence.hill_seen import hill_words
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.channels import TABLE
from crisp_hornet.documents.saying import counted, joined, quantity, say
from crisp_hornet.documents.units import Units

NOTHING = (
    "Here stands what a ride says of the bike: pack, wheel, motor, heat, consumption, each with its 95 % interval beside the figure "
    "on Build, and a button to learn it. Import a log on Rides first."
)
MOSTLY = 0.7


class EstimatesView(QWidget):
    """``learn`` carries a figure's path and its estimate; ``forget`` the path alone."""

    learn = pyqtSignal(str, object)
    forget = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName(tr("estimates of the ride; up and down scroll"))
        inside = QWidget()
        self._grid = RowGrid(5)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setColumnStretch(2, 2)
        self._grid.setColumnStretch(3, 1)
        inside.setLayout(self._grid)
        column_of(self, margins=0).addWidget(column_scroll(inside))

    def show_verdict(
        self,
        verdict: Verdict | None,
        bike: Bike | None,
        ride: str,
        units: Units,
        moves: Mapping[str, str] | None = None,
    ) -> None:
        """Show a ride's estimates: those of the bike first, then what was used and reached, then what it cannot say and why; ``moves``:
        what each path's figure is good for."""
        if verdict is None or bike is None:
            self._grid.begin()
            self._grid.add([label(NOTHING, wrap=True)])
            self._grid.end()
            return
        self._grid.begin(("", "this ride, 95 %", "beside Build and earlier rides", "moves", ""))
        told = [(figure, figure.take(verdict)) for figure in FIGURES]
        for figure, one in told:
            if one.known:
                self._add(figure, one, bike, ride, units, (moves or {}).get(figure.path, ""))
            if figure is BIKE[-1]:
                self._grid.add([None, None, StripLegend(self.theme)])
        self._add_more(verdict, units)
        if verdict.road.leans:
            self._add_words(
                "rolling and air", "this ride tells little of them: what is usual for such bikes counts as much"
            )
        for figure, one in told:
            if not one.known:
                self._add_words(units.text(figure.words), f"not determined: {units.text(one.reason)}")
        self._grid.end()

    def _add_more(self, verdict: Verdict, units: Units) -> None:
        """What is told in words: times by hand, the hill, what was held, shares of the energy, levels."""
        for timed in verdict.timed:
            self._add_words("by stopwatch", units.text(timed.in_words))
        if verdict.hill is not None:
            self._add_words("how long the hill could last", units.text(hill_words(verdict.hill)))
        for name, held in verdict.sustained.items():
            if held:
                self._add_words(f"{TABLE[name].words}, held", units.text(_held(held, TABLE[name].unit)))
        for kind, parts in verdict.shares.items():
            shares = (
                say("{what} {wh_per}", what=part.what, wh_per=quantity(part.wh_per_km, "Wh/km", ".0f"))
                for part in parts
            )
            if parts:
                self._add_words(f"consumption by {kind}", units.text(joined("; ", shares)))
        for level in verdict.levels:
            self._add_words(f"level {level.level}", units.text(level.in_words))

    def _add(self, figure: Figure, estimate: Estimate, bike: Bike, ride: str, units: Units, moves: str) -> None:
        told = bike.figure(figure.path) if figure.path else None
        shown = estimate.times(figure.factor, figure.unit or estimate.unit)
        ends = say("{ends}{sensors}", ends=shown.ends_in_words(figure.digits), sensors=_of_sensors(estimate))
        stands = ""
        if told is not None:
            built = quantity(told * figure.factor, shown.unit, f".{figure.digits + 1}g")
            stands = say("set {built}{learned}", built=built, learned=_learned(bike, figure.path))
        self._grid.add(
            [
                stacked(label(units.text(figure.words)), label(units.text(stands), "quiet")),
                stacked(
                    label(units.text(shown.value_in_words(figure.digits)), "value"), label(units.text(ends), "quiet")
                ),
                IntervalStrip(self.theme, estimate, told, _earlier(bike, figure.path, ride)),
                label(units.text(moves), "quiet", wrap=True),
                self._act(figure, estimate, bike, ride, units) if told is not None else label(),
            ],
            ruled=True,
        )

    def _act(self, figure: Figure, estimate: Estimate, bike: Bike, ride: str, units: Units) -> QPushButton:
        source = bike.sources.get(figure.path)
        if source is not None and any(said.ride == ride for said in source.rides):
            forget = partial(self.forget.emit, figure.path)
            return button("Forget", forget, "small", f"Forget what this ride says of {figure.words}")
        value = quantity(estimate.value * figure.factor, figure.unit or estimate.unit, f".{figure.digits}g")
        words = units.text(say("Learn {value}", value=value))
        made = button(
            "Learn", partial(self.learn.emit, figure.path, estimate), "small", f"Learn {figure.words} from this ride"
        )
        made.setToolTip(tr(words))
        return made

    def _add_words(self, head: str, words: str) -> None:
        self._grid.add([label(head, "quiet"), label(words, "quiet", wrap=True)])


def _held(means: dict[float, float], unit: str) -> str:
    """The greatest mean over each time."""
    each = (
        say("{mean} over {seconds}", mean=quantity(mean, unit, ".3g"), seconds=quantity(seconds, "s"))
        for seconds, mean in means.items()
        if math.isfinite(mean)
    )
    return joined(", ", each)


def _of_sensors(estimate: Estimate) -> str:
    """How much of the interval the sensors cause, where it is most of it."""
    return ", mostly sensors" if estimate.of_sensors > MOSTLY else ""


def _earlier(bike: Bike, path: str, ride: str) -> list[tuple[float, float]]:
    """The intervals that other rides said of a figure, as they were learned."""
    source = bike.sources.get(path)
    others = [one for one in source.rides if one.ride != ride] if source is not None else []
    return [(one.value - REACH * one.spread, one.value + REACH * one.spread) for one in others]


def _learned(bike: Bike, path: str) -> str:
    source = bike.sources.get(path)
    count = len(source.rides) if source is not None else 0
    return f", learned from {counted(count, 'ride')}" if count else ""
