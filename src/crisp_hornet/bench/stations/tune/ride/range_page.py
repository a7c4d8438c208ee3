"""What speed and amperes cost on the road: time and range against the speed held, or against a limit, with bands; cold and old packs."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.charts.plain_chart import Band, Line, Picture, PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.tune.ride.work import Ticket, Turn
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.virtual_ride.ranging import Costs, costs, trips
from crisp_hornet.core.virtual_ride.ride import Setting, Stopped
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import FREE
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import Symbol, quantity, say
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

POINTS, LEAST_SHARE, FASTEST_KMH = 7, 0.35, 300.0
AGAINST = ("speed held", "battery current", "phase current")
Found = tuple[Costs, dict[str, float]]


class RangePage(QWidget):
    """Two curves with bands and a line on charge per trip."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.against = PageChoice(AGAINST, "cost against", 8)
        self.against.chosen.connect(lambda _at: self.refresh_slow())
        self.range, self.time = PlainChart(theme), PlainChart(theme)
        self.words = label("", wrap=True)
        self._work, self._turn = Background(Stopped, ValueError), Turn()
        self._work.done.connect(self._take)
        self._shown: object = None
        column = column_of(self, margins=(0, 4, 0, 0), spacing=6)
        head = row_of(spacing=8)
        head.addWidget(label("against", "quiet"))
        head.addWidget(self.against)
        column.addLayout(head)
        column.addWidget(self.range, 1)
        column.addWidget(self.time, 1)
        column.addWidget(self.words)

    def refresh_slow(self) -> None:
        """Work it out for what the desk holds now, once the hands rest; nothing while hidden."""
        desk = self._desk
        bike, tune, road = desk.bike, desk.draft.tune, desk.ask.road
        if not self.isVisible() or bike is None or tune is None:
            return
        if road is None:
            self.words.setText("Choose a road: range and time are worked out on it.")
            return
        setting = Setting(desk.conditions.rested_v, desk.ask.ambient_c, desk.ask.headwind_kmh)
        asked = (bike, tune, road, desk.ask.hold_kmh, setting, self.against.at, desk.units)
        if asked == self._shown:
            return
        self._shown = asked
        self.words.setText(
            "Riding it at several speeds …" if self.against.at == 0 else "Riding it with several limits …"
        )
        hold, at = desk.ask.hold_kmh, self.against.at
        ticket = self._turn.begin()
        self._work.start(lambda: _worked_out(bike, tune, road, hold, setting, at, ticket))

    def stop(self) -> None:
        """Nobody waits for it any more."""
        self._turn.begin()

    def _take(self, found: Found | None) -> None:
        if found is None or self._desk.ask.road is None:
            return
        made, per_trip = found
        units, at = self._desk.units, self.against.at
        unit = units.unit("km/h") if at == 0 else "A"
        values = np.array([units.value(one, "km/h") for one in made.values]) if at == 0 else made.values
        name = f"{AGAINST[at]}, {unit}"
        far = made.range_km * units.value(1.0, "km")
        self.range.show_picture(_picture(name, units.text(say("range, {unit}", unit=Symbol("km"))), values, far))
        self.time.show_picture(_picture(name, "time for the road, min", values, made.time_s / 60))
        self.words.setText(_told(per_trip, units))


def _worked_out(
    bike: Bike, tune: Tune, road: Route, hold: float, setting: Setting, at: int, ticket: Ticket
) -> Found | None:
    shares = np.linspace(LEAST_SHARE, 1.35, POINTS)
    if at == 0:
        values = [float(one) for one in np.clip(np.round(hold * shares, 1), 1.0, FASTEST_KMH)]
        tunes, holds = [tune] * POINTS, values
    else:
        path = FREE[1] if at == 1 else FREE[0]
        most = bike.controller.max_battery_current_a if path == FREE[1] else bike.controller.max_phase_current_a
        now = tune.setting(path) or 0.0
        values = [
            float(one) for one in np.round(np.linspace(LEAST_SHARE * now, min(most, 1.6 * max(now, 1.0)), POINTS), 1)
        ]
        tunes, holds = [tune.with_setting(path, one) for one in values], [hold] * POINTS
    made = costs(bike, tunes, road, holds, values, setting, ticket)
    return None if made is None else (made, trips(bike, tune, road, hold, setting))


def _picture(x_name: str, y_name: str, values: Array, figures: Array) -> Picture:
    known = np.isfinite(figures[:, 0])
    line = Line("", values[known], figures[known, 0], truth="drafted")
    band = Band(values[known], figures[known, 1], figures[known, 2], "drafted")
    return Picture(x_name, y_name, [line] if known.any() else [], bands=[band] if known.any() else [], y_from=0.0)


def _told(per_trip: dict[str, float], units: Units) -> str:
    def share(name: str) -> object:
        used = per_trip[name]
        return (
            "more than there is"
            if not np.isfinite(used) or used > 1
            else say("{used}", used=quantity(100 * used, "%", ".0f"))
        )

    return units.text(say(
        "Charge for the road: {now}. On a cold morning {cold}, with an old pack {old}, with both {both}.",
        now=str(share("now")), cold=str(share("cold")), old=str(share("old")), both=str(share("cold and old")),
    ))  # fmt: skip
