"""What the ride says of the bike, each figure with its interval beside what the bike document says; learned, or taken back."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QPushButton, QWidget

from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.scale import across, fix, painter_of, real
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.hill_seen import hill_words
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.channels import TABLE
from crisp_hornet.documents.saying import counted, joined, quantity, say
from crisp_hornet.documents.units import Units

Take = Callable[[Verdict], Estimate]
NOTHING = (
    "Here stands what a ride says of the bike: pack, wheel, motor, heat, consumption, each with its 95 % interval beside the figure "
    "on Build, and a button to learn it. Import a log on Rides first."
)


@dataclass(frozen=True)
class Figure:
    """A row: its words, its figure in the bike document ("" for none), how many digits, and by what factor it is shown."""

    words: str
    path: str
    take: Take
    digits: int = 3
    factor: float = 1.0
    unit: str = ""


def _weakening(verdict: Verdict, name: str) -> Estimate:
    one: Estimate = getattr(verdict.weakening, name, refused("it was not set, or not seen at work at full throttle"))
    return one


def _pull(verdict: Verdict, name: str) -> Estimate:
    return refused("no prediction to lay it against") if verdict.pull is None else getattr(verdict.pull, name)


FIGURES = (
    Figure("pack resistance", "battery.resistance_ohm", lambda v: v.resistance_ohm, 3, 1000.0, "mΩ"),
    Figure("wheel circumference", "drivetrain.wheel_circumference_m", lambda v: v.circumference_m, 4),
    Figure("consumption", "", lambda v: v.energy.wh_per_km),
    Figure("range at this style", "", lambda v: v.range_km, 2),
    Figure("energy, net", "", lambda v: v.energy.wh_net),
    Figure("charge, net", "", lambda v: v.energy.ah_net),
    Figure("regen share", "", lambda v: v.energy.regen_share, 2, 100.0, "%"),
    Figure("rolling resistance, Crr", "chassis.crr", lambda v: v.road.crr, 2),
    Figure("air drag, CdA", "chassis.cda_m2", lambda v: v.road.cda_m2, 2),
    Figure("flux linkage", "motor.flux_linkage_wb", lambda v: v.motor.flux_linkage_wb, 3, 1000.0, "mWb"),
    Figure(
        say("winding at {at}", at=quantity(25, "°C")),
        "motor.phase_resistance_ohm",
        lambda v: v.motor.winding_ohm,
        3,
        1000.0,
        "mΩ",
    ),
    Figure("battery-to-road efficiency", "", lambda v: v.motor.efficiency, 2, 100.0, "%"),
    Figure("full pull, from motion", "", lambda v: _pull(v, "by_speed"), 3, 100.0, "% of predicted"),
    Figure("from current, battery limit", "", lambda v: _pull(v, "battery"), 3, 100.0, "% of predicted"),
    Figure("from current, phase limit", "", lambda v: _pull(v, "phase"), 3, 100.0, "% of predicted"),
    Figure("top speed, both ways", "", lambda v: _pull(v, "top_kmh"), 3),
    Figure("weakening, more pull", "", lambda v: _weakening(v, "gain_n"), 2),
    Figure("weakening, more speed", "", lambda v: _weakening(v, "gain_kmh"), 2),
    Figure("weakening, more heat", "", lambda v: _weakening(v, "heat_w"), 2),
    Figure("winding to housing", "motor.thermal.winding_to_housing_w_per_k", lambda v: v.heat.winding_to_housing, 2),
    Figure("housing to air", "motor.thermal.housing_to_air_w_per_k", lambda v: v.heat.housing_to_air, 2),
    Figure("controller to air", "controller.thermal.to_air_w_per_k", lambda v: v.heat.controller_to_air, 2),
)


class Interval(QWidget):
    """The interval on a scale of its own, with the document's figure as a ring."""

    def __init__(self, theme: Theme, estimate: Estimate, told: float | None) -> None:
        super().__init__()
        self._theme, self._one, self._told = theme, estimate, told
        fix(self, high=14)
        self.setMinimumWidth(120)

    def sizeHint(self) -> QSize:
        return real(160, 14)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        one, told = self._one, self._told
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = [one.low, one.high] + ([told] if told is not None else [])
        low, high = min(places), max(places)
        room = (high - low) or abs(high) or 1.0
        low, high = low - 0.15 * room, high + 0.15 * room

        def x(value: float) -> float:
            return 6 + (value - low) / (high - low) * (across(self) - 12)

        painter.setPen(QPen(self._theme.color("rule"), 1))
        painter.drawLine(QPointF(0, 7), QPointF(across(self), 7))
        painter.fillRect(
            QRectF(x(one.low), 4, max(x(one.high) - x(one.low), 1.5), 6), self._theme.color("measured", 0.45)
        )
        paint_truth(painter, self._theme, "measured", QPointF(x(one.value), 7), 4)
        if told is not None:
            painter.setPen(QPen(self._theme.color("text"), 1.5))
            painter.drawLine(QPointF(x(told), 1), QPointF(x(told), 13))


class EstimatesView(QWidget):
    """``learn`` carries a figure's path and its estimate; ``forget`` the path alone."""

    learn = pyqtSignal(str, object)
    forget = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setAccessibleName("estimates of the ride; up and down scroll")
        inside = QWidget()
        self._grid = QGridLayout(inside)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(5)
        column_of(self, margins=0).addWidget(column_scroll(inside))

    def show_verdict(self, verdict: Verdict | None, bike: Bike | None, ride: str, units: Units) -> None:
        """Show a ride's estimates: those it can tell first, then what it cannot and why."""
        clear(self._grid)
        if verdict is None or bike is None:
            self._grid.addWidget(label(NOTHING, wrap=True), 0, 0, 1, 5)
            return
        for at, head in enumerate(("", "by this ride, 95 %", "", "set on Build", "")):
            self._grid.addWidget(label(head, "quiet"), 0, at)
        told = [(figure, figure.take(verdict)) for figure in FIGURES]
        for figure, one in told:
            if one.known:
                self._add(figure, one, bike, ride, units)
        self._add_more(verdict, units)
        for figure, one in told:
            if not one.known:
                self._add_words(units.text(figure.words), f"not determined: {units.text(one.reason)}")
        self._grid.setRowStretch(self._grid.rowCount(), 1)
        self._grid.setColumnStretch(2, 1)

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

    def _add(self, figure: Figure, estimate: Estimate, bike: Bike, ride: str, units: Units) -> None:
        told, row = bike.figure(figure.path) if figure.path else None, self._grid.rowCount()
        shown = estimate.times(figure.factor, figure.unit or estimate.unit)
        value = label(units.text(shown.in_words(figure.digits)))
        value.setStyleSheet("font-weight: 600;")
        for at, widget in enumerate(
            (label(units.text(figure.words), "quiet"), value, Interval(self.theme, estimate, told))
        ):
            self._grid.addWidget(widget, row, at)
        if told is not None:
            stands = quantity(told * figure.factor, shown.unit, f".{figure.digits + 1}g")
            words = say("{stands}{learned}", stands=stands, learned=_learned(bike, figure.path))
            self._grid.addWidget(label(units.text(words), "quiet"), row, 3)
            self._grid.addWidget(self._act(figure, estimate, bike, ride, units), row, 4)

    def _act(self, figure: Figure, estimate: Estimate, bike: Bike, ride: str, units: Units) -> QPushButton:
        source = bike.sources.get(figure.path)
        if source is not None and any(said.ride == ride for said in source.rides):
            forget = partial(self.forget.emit, figure.path)
            return button("Forget", forget, "small", f"Forget what this ride says of {figure.words}")
        value = quantity(estimate.value * figure.factor, figure.unit or estimate.unit, f".{figure.digits}g")
        words = units.text(say("Learn {value}", value=value))
        return button(
            words, partial(self.learn.emit, figure.path, estimate), "small", f"Learn {figure.words} from this ride"
        )

    def _add_words(self, head: str, words: str) -> None:
        row = self._grid.rowCount()
        self._grid.addWidget(label(head, "quiet"), row, 0)
        self._grid.addWidget(label(words, "quiet", wrap=True), row, 1, 1, 4)


def _held(means: dict[float, float], unit: str) -> str:
    """The greatest mean over each time."""
    each = (
        say("{mean} over {seconds}", mean=quantity(mean, unit, ".3g"), seconds=quantity(seconds, "s"))
        for seconds, mean in means.items()
        if math.isfinite(mean)
    )
    return joined(", ", each)


def _learned(bike: Bike, path: str) -> str:
    source = bike.sources.get(path)
    count = len(source.rides) if source is not None else 0
    return f", learned from {counted(count, 'ride')}" if count else ""
