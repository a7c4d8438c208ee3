"""The throttle's curve drawn by hand: over its travel, or as a response map over its voltage."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.handle_chart import Handle
from crisp_hornet.bench.charts.plain_chart import Line, Picture
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.rider.throttle import FAMILIES, family_shares, signal_v, throttle_share
from crisp_hornet.documents.companions import CURVE, LEAST_STEP_V, companions
from crisp_hornet.documents.sensors import Sensors
from crisp_hornet.documents.throttle import FEWEST_POINTS, MOST_POINTS, TWISTS, ResponsePoint, Throttle
from crisp_hornet.documents.tune import Tune

TWIST = np.linspace(0.0, 1.0, 41)
VOLTS = np.linspace(0.0, 5.0, 101)
ASKED = {
    "phase current": "phase current, % of limit",
    "power": "power, % of the most",
    "speed": "speed, % of the limit",
}
MOST_V = 5.0
COUNT = "throttle.response.count"


class CurveActs(QWidget):
    """Sets the curve to a family; makes a response map of it, with more points or fewer, and a curve again."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        row = row_of(self, margins=0, spacing=6)
        self._told = label("", "quiet")
        row.addWidget(self._told)
        self._families = [
            button(name, partial(self.take_family, name), "small", f"Throttle curve: {name}") for name in FAMILIES
        ]
        self.mapped = button("by voltage", self.make_map, "small", "Make a response map of the curve")
        self.more = button("add a point", partial(self.resize_map, 1), "small", "Add a point to the response map")
        self.fewer = button(
            "remove the last", partial(self.resize_map, -1), "small", "Remove the last point of the response map"
        )
        self.plain = button("by travel", self.drop_map, "small", "Leave the response map for the curve")
        for act in (*self._families, self.mapped, self.more, self.fewer, self.plain):
            row.addWidget(act)
        row.addStretch(1)

    def refresh(self, tune: Tune) -> None:
        """Offer what makes sense for the curve there is."""
        points = tune.throttle.response
        self._told.setText("drag a point, or set" if points is None else "drag a point, or")
        for act in (*self._families, self.mapped):
            act.setVisible(points is None)
        for act in (self.more, self.fewer, self.plain):
            act.setVisible(points is not None)
        self.more.setEnabled(points is not None and len(points) < MOST_POINTS and points[-1].volts < 4.9)
        self.fewer.setEnabled(points is not None and len(points) > FEWEST_POINTS)

    def take_family(self, name: str) -> None:
        """Set all four points to a family, up to the present share at full twist."""
        if self._desk.draft.tune is not None:
            shares = family_shares(name, self._desk.draft.tune.throttle.maximum)
            self._desk.draft.change_many(dict(zip(CURVE, shares, strict=True)), f"throttle curve: {name}")

    def make_map(self) -> None:
        """A response map that asks for what the curve asks for, by the voltages of this bike's throttle."""
        tune, bike = self._desk.draft.tune, self._desk.bike
        if tune is None or bike is None:
            return
        rest, full = signal_v(bike.sensors)
        places = [tune.throttle.dead_band + left * (1 - tune.throttle.dead_band) for left in (0.0, *TWISTS)]
        values: dict[str, float | None] = {COUNT: float(len(places))}
        for at, (place, share) in enumerate(zip(places, (0.0, *tune.throttle.shares), strict=True), start=1):
            values[f"throttle.response.{at}.volts"] = round(rest + place * (full - rest), 2)
            values[f"throttle.response.{at}.share"] = share
        self._desk.draft.change_many(values, "throttle as a response map")

    def resize_map(self, by: int) -> None:
        """One point more at its end, or one fewer."""
        tune = self._desk.draft.tune
        if tune is None or tune.throttle.response is None:
            return
        count = len(tune.throttle.response) + by
        values: dict[str, float | None] = {COUNT: float(count)}
        if by > 0:
            last = tune.throttle.response[-1]
            values |= {f"throttle.response.{count}.volts": min(round(last.volts + 0.3, 2), 5.0)}
            values |= {f"throttle.response.{count}.share": last.share}
        self._desk.draft.change_many(values, "points of the response map")

    def drop_map(self) -> None:
        """The curve over the travel again, as it was before."""
        self._desk.draft.change_many({COUNT: 0.0}, "throttle by its travel")


def take_point(desk: Desk, setting: str, volts: float, share: float, token: int) -> None:
    """A point of the response map was dragged to a place; its neighbours are pushed along."""
    tune = desk.draft.tune
    if tune is None or tune.throttle.response is None:
        return
    at, count = int(setting.split(".")[-2]), len(tune.throttle.response)
    low, high = LEAST_STEP_V * (at - 1), MOST_V - LEAST_STEP_V * (count - at)  # room for its neighbours
    wanted = {
        setting: round(min(max(share, 0.0), 1.0), 2),
        setting.replace(".share", ".volts"): round(min(max(volts, low), high), 2),
    }
    values: dict[str, float | None] = dict(wanted)
    for path, value in wanted.items():
        values |= companions(tune, path, value)
    desk.draft.try_many(values, "throttle response", token)


def curve_picture(tune: Tune, sensors: Sensors, beside: tuple[str, Tune, str] | None) -> Picture:
    """What the throttle asks for; ``beside``: name, tune and truth of what it is laid beside."""
    mapped = tune.throttle.response is not None
    lines = [_line("drafted", tune.throttle, sensors, mapped, "drafted")]
    if beside is not None and (beside[1].holds(CURVE[0]) or beside[1].throttle.response is not None):
        lines.append(_line(beside[0], beside[1].throttle, sensors, mapped, beside[2]))
    x_name, x_to = ("signal, V", 5.0) if mapped else ("throttle, %", 102.0)
    return Picture(x_name, ASKED[tune.throttle.asks], lines, y_from=0.0, y_to=112.0, x_to=x_to)


def _line(name: str, throttle: Throttle, sensors: Sensors, by_volts: bool, truth: str) -> Line:
    style = Qt.PenStyle.SolidLine if truth == "drafted" else Qt.PenStyle.DashLine
    if not by_volts:
        return Line(name, 100 * TWIST, 100 * throttle_share(throttle, TWIST, sensors), style, truth=truth)
    rest, full = signal_v(sensors)
    travel = (VOLTS - rest) / (full - rest)
    share = throttle_share(throttle, np.clip(travel, 0.0, 1.0), sensors)
    if throttle.response is not None:  # it goes on beyond what the throttle can signal
        share = np.interp(
            VOLTS, [point.volts for point in throttle.response], [point.share for point in throttle.response]
        )
    return Line(name, VOLTS, 100 * share, style, truth=truth)


def curve_handles(draft: Tune, now: Tune | None) -> list[Handle]:
    """A handle for each point, and where it is on the controller."""
    if draft.throttle.response is not None:
        held = now.throttle.response or [] if now is not None else []
        return [
            Handle(
                f"throttle.response.{at + 1}.share",
                point.volts,
                100 * point.share,
                f"{100 * point.share:.0f} %",
                _at(held, at),
            )
            for at, point in enumerate(draft.throttle.response)
        ]
    made = []
    for path, twist, share in zip(CURVE, TWISTS, draft.throttle.shares, strict=True):
        there = None
        if now is not None and now.holds(path):
            there = (_travel(now.throttle, twist), 100 * (now.setting(path) or 0.0))
        made.append(Handle(path, _travel(draft.throttle, twist), 100 * share, f"{100 * share:.0f} %", there))
    return made


def _travel(throttle: Throttle, twist: float) -> float:
    return 100 * (throttle.dead_band + twist * (1 - throttle.dead_band))


def _at(held: list[ResponsePoint], at: int) -> tuple[float, float] | None:
    return (held[at].volts, 100 * held[at].share) if at < len(held) else None
