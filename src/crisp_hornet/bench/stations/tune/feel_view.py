"""Feel: the throttle curve drawn by hand, and the launch that follows from it."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.handle_chart import HandleChart
from crisp_hornet.bench.charts.plain_chart import Level, Line, Picture, PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.stations.tune.feel_column import FeelColumn
from crisp_hornet.bench.stations.tune.throttle_curve import CurveActs, curve_handles, curve_picture, take_point
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.pull import PullCurve, pull_curve
from crisp_hornet.core.rider.throttle import (
    TwistLaunch,
    hill_start_back_m,
    twist_launch,
)
from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.core.road.vehicle import lift_force_n
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.throttle import Throttle
from crisp_hornet.documents.tune import Tune

HALF, SECONDS, HILL = 0.5, 6.0, 0.10
DRAWN = 10  # every tenth step of a launch tells it
BESIDE_CONTROLLER = "on the controller"
Pair = tuple[TwistLaunch, TwistLaunch]


class FeelView(TuneView):
    """The twist, what it asks for, and what the bike does."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.column = self.rulers = FeelColumn(desk, link, theme)
        self.curve = HandleChart(theme, desk.draft.token, "Throttle curve")
        self.listen(self.curve, {"": (0.05, 0.01)}, back=lambda percent: percent / 100)
        self.curve.dragged.disconnect()
        self.curve.dragged.connect(self._dragged)
        self.acts = CurveActs(desk)
        self.launch = PlainChart(theme)
        self.speed = PlainChart(theme)
        self.figures = Consequences(theme)
        self._made: tuple[PullCurve, Tune, Pair, float] | None = None
        self._other_curve: tuple[object, PullCurve] | None = None
        self.beside = Chooser("what the draft is laid beside")
        self.beside.be_narrow()
        self.beside.currentIndexChanged.connect(lambda _at: self.refresh())
        beside = row_of()
        beside.addWidget(Captioned("compare with", self.beside))
        beside.addStretch(1)
        charts = row_of(spacing=10)
        charts.addWidget(self.launch, 1)
        charts.addWidget(self.speed, 1)
        column = column_of(self, margins=0, spacing=6)
        column.addWidget(self.acts)
        column.addLayout(beside)
        column.addWidget(self.curve, 5)
        column.addLayout(charts, 4)
        column.addWidget(self.figures)

    # --- showing it -----------------------------------------------------------------------------------------

    def _other(self) -> tuple[str, Tune | None, PullCurve | None]:
        """What the draft is laid beside: what is on the controller, or a kept draft."""
        desk, name = self.desk, self.beside.currentText()
        if name in ("", BESIDE_CONTROLLER):
            prediction = desk.held.prediction
            return BESIDE_CONTROLLER, desk.held.tune, prediction.curve if prediction else None
        tune = desk.draft.named().get(name)
        if tune is None or desk.bike is None or desk.speeds is None:
            return name, None, None
        key = (tune, desk.bike, desk.conditions)
        if self._other_curve is None or self._other_curve[0] != key:
            self._other_curve = (key, pull_curve(desk.bike, tune, desk.speeds, desk.conditions))
        return name, tune, self._other_curve[1]

    def _show_beside(self) -> None:
        self.beside.offer([BESIDE_CONTROLLER, *self.desk.draft.named()])

    def refresh(self) -> None:
        self.rulers.refresh()
        self._show_beside()
        draft, prediction = self.desk.draft.tune, self.desk.draft.prediction
        if draft is None or prediction is None:
            return
        name, other, other_curve = self._other()
        truth = "controller" if name == BESIDE_CONTROLLER else ""
        throttle = draft.throttle
        sensors = prediction.curve.bike.sensors
        self.acts.refresh(draft)
        self.curve.show_picture(curve_picture(draft, sensors, None if other is None else (name, other, truth)))
        self.curve.show_handles(curve_handles(draft, other if truth else None))
        drafted = _launches(prediction.curve, draft)
        beside, back_now = self._launch_beside(other, other_curve)
        lift = lift_force_n(prediction.curve.bike)
        self.launch.show_picture(_picture("wheel force, N", "force_n", drafted, beside, truth, lift, names=("", "")))
        units = self.desk.units
        self.speed.show_picture(
            _picture(units.unit("km/h"), "speed_kmh", drafted, beside, truth, math.inf, units.value(1.0, "km/h"))
        )
        back = hill_start_back_m(prediction.curve, throttle, HILL)
        self.figures.show_figures(_figures(drafted, back), _figures(beside, back_now) if beside else [], units)

    def _dragged(self, setting: str, x: float, y: float, token: int) -> None:
        """A point of the response map moves both ways, one of the curve up and down."""
        if setting.startswith("throttle.response."):
            take_point(self.desk, setting, x, y / 100, token)
        else:
            self.desk.draft.try_change(setting, round(y / 100, 2), token)

    def _launch_beside(self, other: Tune | None, curve: PullCurve | None) -> tuple[Pair | None, float]:
        """The launches of what the draft is laid beside: they stay while the draft is dragged."""
        if other is None or curve is None:
            return None, math.nan
        if self._made is None or self._made[0] is not curve or self._made[1] != other:
            launches = _launches(curve, other)
            self._made = (curve, other, launches, hill_start_back_m(curve, other.throttle, HILL))
        return self._made[2], self._made[3]

    def meaning(self) -> tuple[str, str] | None:
        draft = self.desk.draft.tune
        if draft is None:
            return None
        throttle = draft.throttle
        start = {
            "standstill": "The throttle works <b>from standstill</b>",
            "pedalling": "The throttle works <b>only while pedalling</b>",
            "rolling": say(
                "The throttle works <b>only above {rolling}</b>", rolling=quantity(throttle.rolling_kmh, "km/h")
            ),
        }[throttle.start]
        zero = "also at level zero" if throttle.at_level_zero else "but not at level zero"
        level = "its strength follows the level" if throttle.follows_level else "the level does not change it"
        back = {
            "drives": "When rolling back it drives at once, full force against the motion.",
            "gently": "When rolling back it drives with half the current until standstill.",
            "waits": "When rolling back it waits for standstill: hold the brake.",
        }[throttle.rolling_back]
        walk = (
            say(" Walk assist runs at {walk}: keep clear of the pedals.", walk=quantity(throttle.walk_kmh, "km/h"))
            if throttle.walk_kmh
            else ""
        )
        ends = (
            say(" It ends at {ends}; pedalling goes on beyond.", ends=quantity(throttle.speed_kmh, "km/h"))
            if throttle.speed_kmh is not None
            else ""
        )
        return "IN THE HAND", say(
            "{start}, {zero}; {level}.{ends} {back}{walk}{cruise}",
            start=start, zero=zero, level=level, ends=ends, back=back, walk=walk, cruise=_cruise_words(throttle),
        )  # fmt: skip

    def shows(self, setting: str) -> QWidget | None:
        if setting.startswith("throttle.response.") and setting.endswith(".share"):
            self.curve.chosen = setting
            return self.curve
        return super().shows(setting)


def _cruise_words(throttle: Throttle) -> str:
    if throttle.cruise_s is None:
        return ""
    return say(
        " Held still for {after} above {least} it drives on by itself, until {ends}.",
        after=quantity(throttle.cruise_s, "s"),
        least=quantity(throttle.cruise_least_kmh, "km/h"),
        ends="the brake is pulled" if throttle.cruise_ends == "brake" else "brake or throttle ends it",
    )


def _launches(curve: PullCurve, tune: Tune) -> Pair:
    throttle, taper = tune.throttle, tune.drive.speed_taper_kmh
    ends = effective_limits(curve.bike, tune).speed_kmh.value
    full, half = (
        twist_launch(curve, throttle, twist, SECONDS, taper_kmh=taper, ends_kmh=ends) for twist in (1.0, HALF)
    )
    return full, half


def _picture(
    y_name: str,
    key: str,
    drafted: Pair,
    beside: Pair | None,
    truth: str,
    lift_n: float,
    factor: float = 1.0,
    names: tuple[str, str] = ("full throttle", "half"),
) -> Picture:
    lines = []
    for pair, kind in ((beside, truth), (drafted, "drafted")):
        for one, name in zip(pair or (), names, strict=False):
            line = factor * getattr(one, key)[::DRAWN]
            named = name if kind == "drafted" else ""
            style = Qt.PenStyle.SolidLine if kind else Qt.PenStyle.DashLine
            lines.append(Line(named, one.time_s[::DRAWN], line, style, truth=kind, at_end=True))
    most = max(float(np.max(line.y)) for line in lines)
    levels = [Level("front wheel lifts", lift_n, danger=True)] if lift_n < 1.6 * most else []
    return Picture("seconds from opening the throttle", y_name, lines, levels, y_from=0.0)


def _figures(pair: Pair, back_m: float) -> list[Consequence]:
    full, half = pair
    return [
        Consequence(
            say("{low} to {high}, full", low=quantity(0, "km/h", bare=True), high=quantity(25, "km/h", ".0f")),
            full.seconds_to(25.0),
            "s",
            1,
            "not in 6 s",
        ),
        Consequence(
            say("{low} to {high}, half", low=quantity(0, "km/h", bare=True), high=quantity(10, "km/h", ".0f")),
            half.seconds_to(10.0),
            "s",
            1,
            "not in 6 s",
        ),
        Consequence("steepest rise", full.steepest_n_per_s, "N/s", 0),
        Consequence("front load, full", 100 * full.front_keeps, "%", 0),
        Consequence("front load, half", 100 * half.front_keeps, "%", 0),
        Consequence("rollback, 10 % hill", back_m, "m", 2, "with brake"),
    ]
