"""The Tune station: rulers left, the pull chart, its consequences below."""

from __future__ import annotations

import dataclasses
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.charts.heat_strip import HeatStrip
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.desk.prediction import HEAT_EVERY, band_of
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.stations.tune.also_shown import AlsoShown
from crisp_hornet.bench.stations.tune.assist_view import AssistView
from crisp_hornet.bench.stations.tune.chain_view import ChainView
from crisp_hornet.bench.stations.tune.drafts_view import DraftsView
from crisp_hornet.bench.stations.tune.edges import edges, value_at
from crisp_hornet.bench.stations.tune.feel_view import FeelView
from crisp_hornet.bench.stations.tune.guards_view import GuardsView
from crisp_hornet.bench.stations.tune.modes_view import ModesView
from crisp_hornet.bench.stations.tune.pull_chart import PullChart
from crisp_hornet.bench.stations.tune.ride.ride_view import RideView
from crisp_hornet.bench.stations.tune.scales import pull_scales, scale_of
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.stations.tune.words import reading
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.consequences import Consequences
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.ruler import Ruler, Scale, Stop
from crisp_hornet.bench.widgets.text import column_scroll, label
from crisp_hornet.bench.widgets.truth_legend import TruthLegend
from crisp_hornet.core.drive.inverse import SPEED, WEAKENING
from crisp_hornet.core.drive.uncertainty import Band
from crisp_hornet.core.heat.endurance import continuous_curve
from crisp_hornet.core.heat.weakening import WeakeningGain, weakening_gain
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.core.tunes.starting import starting_tune
from crisp_hornet.documents.saying import Symbol, counted, quantity, say

COLUMN_PX = 252
REST_MS, OWN_REST_MS = 30, 90  # longer than the steps of a drag are apart, or its own work would slow the drag
PAGES = ("Pull", "Feel", "Assist", "Guards", "Modes", "The ride", "Who is in charge", "Drafts")
PULL, ROAD, CHAIN, DRAFTS = 0, 5, 6, 7


class TunePage(Station):
    """Direct handling first, numbers second."""

    key = "tune"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.rulers: dict[str, Ruler] = {}
        self._left = column_of(spacing=0)
        self._charge = Ruler(Scale("Pack voltage at rest", "V", 40, 70, 0.5, 0.1, truth=False), theme, desk.draft.token)
        self._charge.changed.connect(self._take_charge)
        self._charge.refused.connect(lambda why: desk.said.emit("warn", why))
        self._charge_words = label("", "quiet", wrap=True)
        self.switch = PageChoice(PAGES, "page", 8)
        self.switch.chosen.connect(self.show_page)
        self._axes = label("", "quiet")
        self.chart = PullChart(theme, desk.draft.token)
        self.chart.dragged.connect(self._take_drag)
        self.chart.stepped.connect(self._take_step)
        self.chart.returned.connect(self._return)
        self.chart.cancelled.connect(lambda _setting, token: desk.draft.cancel(token))
        self.chart.pointed.connect(lambda _kmh: self.news.emit())
        self.also = AlsoShown(desk)
        self.also_too = AlsoShown(desk, second=True)
        for one in (self.also, self.also_too):
            one.changed.connect(partial(one.show_on, self.chart))
        self.gain: WeakeningGain | None = None
        self._legend = TruthLegend(theme, {"drafted": "drafted", "controller": "on the controller"})
        self.heat_strip = HeatStrip(theme)
        self._views = Pages()
        self.consequences = Consequences(theme)
        self.headlines = label("", "quiet", wrap=True)
        self.road = RideView(desk, link, theme)
        self.road.news.connect(self.news.emit)
        self.chain = ChainView(desk, link, theme)
        self.feel, self.assist = FeelView(desk, link, theme), AssistView(desk, link, theme)
        self.guards, self.modes, self.drafts = (
            GuardsView(desk, link, theme),
            ModesView(desk, link, theme),
            DraftsView(desk, link, theme),
        )
        self.own: dict[int, TuneView] = {
            1: self.feel,
            2: self.assist,
            3: self.guards,
            4: self.modes,
            5: self.road,
            7: self.drafts,
        }
        self._columns = Pages()
        self.page = PULL
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._start_slow)
        self._slow = Background()
        self._slow.done.connect(self._take_band)
        self._slower = Background()
        self._slower.done.connect(self.chart.show_held)
        self._lay_out()
        self.show_pull()
        desk.bike_changed.connect(self._take_bike)
        desk.draft.changed.connect(self._show)
        desk.held.changed.connect(self._show)
        desk.conditions_changed.connect(self._show)
        desk.units_changed.connect(self._show)
        link.contact_made.connect(self._show)
        self._take_bike()

    def _lay_out(self) -> None:
        pull = QWidget()
        column = column_of(pull, margins=0, spacing=6)
        head = QHBoxLayout()
        head.addWidget(self._legend, 1)
        head.addWidget(self._axes)
        column.addLayout(head)
        beside = QHBoxLayout()
        beside.addWidget(Captioned("compare with", self.also))
        beside.addWidget(Captioned("and", self.also_too))
        beside.addStretch(1)
        column.addLayout(beside)
        column.addWidget(self.chart, 1)
        column.addWidget(self.heat_strip)
        column.addWidget(self.headlines)
        column.addWidget(self.consequences)
        for view in (pull, self.feel, self.assist, self.guards, self.modes, self.road, self.chain, self.drafts):
            self._views.addWidget(view)
        left = QWidget()
        self._left.setContentsMargins(0, 0, 0, 0)
        left.setLayout(self._left)
        self._columns.addWidget(column_scroll(left))
        for one in self.own.values():
            if one.column is not None:
                self._columns.addWidget(one.column)
        fix(self._columns, wide=COLUMN_PX)
        self._middle = QWidget()
        middle = column_of(self._middle, margins=0, spacing=6)
        middle.addWidget(self.switch)
        middle.addWidget(self._views, 1)
        row = row_of(self, margins=0, spacing=16)
        row.addWidget(self._columns)
        row.addWidget(self._middle, 1)

    def parts(self) -> list[QWidget]:
        return [self._columns, self._middle]

    def finish(self) -> None:
        self.road.stop()

    def show_pull(self) -> None:
        """The pull chart."""
        self.show_page(PULL)

    def show_road(self) -> None:
        """The ride over a road instead of the pull chart."""
        self.show_page(ROAD)

    def show_chain(self) -> None:
        """The chain of limits, devices, gauge and key-in card instead of the pull chart."""
        self.show_page(CHAIN)

    def show_page(self, at: int) -> None:
        """Bring a page into view; the rulers left are its own, or those of the pull."""
        self.page = at
        if self.switch.at != at:
            self.switch.choose(at)  # comes back here
            return
        self._views.setCurrentIndex(at)
        own = self.own.get(at)
        self._columns.setCurrentWidget(
            own.column if own is not None and own.column is not None else self._columns.widget(0)
        )
        if own is None or at == DRAFTS:
            self._show()
        self._refresh_page()
        if own is not None:
            own.refresh_slow()
        self.news.emit()

    def take(self, thing: object) -> None:
        """A setting to be looked at, by its path."""
        self.focus_setting(str(thing))

    def focus_setting(self, setting: str) -> None:
        """Bring the ruler or the handle of a setting into view and give it the focus."""
        if setting in self.rulers:
            self.show_page(PULL)
            self.rulers[setting].setFocus()
            return
        for at, view in self.own.items():
            found = view.shows(setting)
            if found is not None:
                self.show_page(at)
                found.setFocus()
                return

    def _refresh_page(self) -> None:
        own = self.own.get(self.page)
        if own is not None:
            own.refresh()
        self.chain.refresh()

    # --- what came in ---------------------------------------------------------------------------------------

    def _take_bike(self) -> None:
        bike = self.desk.bike
        self.heat_strip.setVisible(bike is not None)
        if bike is None:
            self.chart.show_curves(None, None, "Open a bike on Build: everything here is drawn for a bike.")
            return
        wanted = pull_scales(bike, self.desk.units)
        if not self.rulers:
            for setting, scale in wanted.items():
                ruler = Ruler(scale, self.theme, self.desk.draft.token)
                ruler.setProperty("help", setting)
                fix(ruler, wide=240)
                ruler.changed.connect(
                    lambda value, token, setting=setting: self.desk.draft.try_change(setting, value, token)
                )
                ruler.refused.connect(lambda why: self.desk.said.emit("warn", why))
                self.rulers[setting] = ruler
                self._left.addWidget(ruler)
            self._left.addSpacing(8)
            self._left.addWidget(label("CONDITIONS", "caps"))
            fix(self._charge, wide=240)
            self._left.addWidget(self._charge)
            self._left.addWidget(self._charge_words)
            self._left.addStretch(1)
        for setting, scale in wanted.items():
            self.rulers[setting].set_scale(scale)
        low, high = bike.battery.bms_trip_v, full_v(bike.battery)
        self._charge.set_scale(
            Scale(
                "Pack voltage at rest",
                "V",
                round(low, 1),
                round(high, 1),
                0.5,
                0.1,
                [Stop(low, "BMS cutoff")],
                truth=False,
            )
        )
        self._show()

    def _show(self, _made: object = None) -> None:
        desk = self.desk
        if desk.bike is None or not self.rulers:
            return
        self.rulers[SPEED].set_scale(scale_of(SPEED, desk.bike, desk.draft.tune, desk.units))
        if self.page in self.own and self.page != DRAFTS:  # the pull is made up when it comes into view again
            self._rest.start(OWN_REST_MS)
            self.own[self.page].refresh()
            self.news.emit()
            return
        for setting, ruler in self.rulers.items():
            value = desk.draft.tune.setting(setting) if desk.draft.tune else None
            now = desk.held.tune.setting(setting) if desk.held.tune else None
            ruler.show_value(value, now, desk.held.tune is not None)
            lack = self.link.contact.map.lack(setting) if self.link.contact is not None else None
            ruler.show_lack(lack.reason if lack is not None else "")
        self._charge.show_value(desk.conditions.rested_v)
        per_cell = desk.conditions.rested_v / desk.bike.battery.series
        words = say(
            "{per_cell} a cell, winding {winding}, ",
            per_cell=quantity(per_cell, "V", ".2f"),
            winding=quantity(desk.conditions.winding_c, "°C"),
        )
        words += say(
            "magnets {magnet}, {mass}, no wind",
            magnet=quantity(desk.conditions.magnet_c, "°C"),
            mass=quantity(desk.bike.mass_kg, "kg"),
        )
        if desk.bike.motor.saturation is None:
            words += ". No saturation data: at high current the real pull is lower"
        self._charge_words.setText(desk.units.text(words))
        self._axes.setText(desk.units.text(say("N over {unit}; drag a ring", unit=Symbol("km/h"))))
        self.chart.show_units(desk.units)
        drafted, now_predicted = desk.draft.prediction, desk.held.prediction
        if self.chart.dragging is None:  # the axis stays put through a drag
            self.chart.show_regen(None, None)
        self.chart.show_regen(drafted.regen if drafted else None, now_predicted.regen if now_predicted else None)
        self.chart.show_curves(
            drafted.curve if drafted else None,
            now_predicted.curve if now_predicted else None,
            hold_scale=self.chart.dragging is not None,
        )
        handles = edges(drafted.curve, desk.draft.tune, drafted.regen) if drafted and desk.draft.tune else []
        self.chart.show_edges([edge for edge in handles if not self._lacks(edge.setting)])
        if drafted and drafted.curve is not None:
            self.heat_strip.show_seconds(drafted.full_pull_s, drafted.curve.wheel_force_n[::HEAT_EVERY] > 0)
        now_figures = now_predicted.consequences if now_predicted else []
        self.consequences.show_figures(drafted.consequences if drafted else [], now_figures, desk.units)
        self.headlines.setText(desk.units.text(drafted.headlines.words) if drafted else "")
        for one in (self.also, self.also_too):
            one.refresh()
            one.show_on(self.chart)
        self.gain = None
        self.chart.show_band(None)  # both belong to the draft before this step
        self.chart.show_held(None)
        self._slow.cancel()
        self._slower.cancel()
        self._rest.start(REST_MS)
        if self.page in self.own:
            self.own[self.page].refresh()
        self.news.emit()

    def _start_slow(self) -> None:
        """The hands rest: work out band and what can be held for ever, beside."""
        bike, draft, speeds, conditions = self.desk.bike, self.desk.draft.tune, self.desk.speeds, self.desk.conditions
        prediction = self.desk.draft.prediction
        if bike is None or draft is None or speeds is None or prediction is None or prediction.curve is None:
            self.chart.show_held(None)
            return

        self.chain.refresh()
        if (own := self.own.get(self.page)) is not None:
            own.refresh_slow()
            self.news.emit()
        self._show_gain()
        self._slow.start(lambda: band_of(bike, draft, conditions, speeds))
        self._slower.start(lambda: continuous_curve(bike, draft, speeds[::4], conditions.rested_v))

    def _show_gain(self) -> None:
        """What weakening brings, and from where on nothing more comes."""
        bike, draft, speeds = self.desk.bike, self.desk.draft.tune, self.desk.speeds
        assert bike is not None and draft is not None and speeds is not None
        ruler = self.rulers[WEAKENING]
        self.gain = weakening_gain(bike, draft, speeds[::4], self.desk.conditions, ruler.scale.high)
        scale = pull_scales(bike, self.desk.units)[WEAKENING]
        if 0 < self.gain.useful_a < 0.98 * scale.high:
            scale = dataclasses.replace(
                scale, stops=[*scale.stops, Stop(round(self.gain.useful_a), f"no gain over {self.gain.useful_a:.0f}")]
            )
        ruler.set_scale(scale)
        self.news.emit()

    def _take_band(self, band: Band | None) -> None:
        self.chart.show_band(band)

    # --- what the hands do ----------------------------------------------------------------------------------

    def _take_drag(self, setting: str, kmh: float, force: float, token: int) -> None:
        prediction, draft = self.desk.draft.prediction, self.desk.draft.tune
        if prediction is None or prediction.curve is None or draft is None:
            return
        highest = self._scale(setting).high
        value = value_at(prediction.curve, draft, self.desk.conditions, setting, highest, kmh, force)
        self._set(setting, value, token)

    def _take_step(self, setting: str, steps: float, fine: bool, token: int) -> None:
        draft = self.desk.draft.tune
        if draft is not None:
            scale = self._scale(setting)
            self._set(setting, (draft.setting(setting) or 0.0) + steps * (scale.fine if fine else scale.step), token)

    def _set(self, setting: str, value: float, token: int) -> None:
        scale = self._scale(setting)
        self.desk.draft.try_change(setting, min(max(value, scale.low), scale.high), token)

    def _scale(self, setting: str) -> Scale:
        """What the ruler of a setting on the pull chart measures; those of regen stand on Guards."""
        if setting in self.rulers:
            return self.rulers[setting].scale
        assert self.desk.bike is not None
        return scale_of(setting, self.desk.bike, self.desk.draft.tune, self.desk.units)

    def _lacks(self, setting: str) -> bool:
        return self.link.contact is not None and self.link.contact.map.lack(setting) is not None

    def _return(self, setting: str) -> None:
        if self.desk.held.tune is not None:
            self.desk.draft.change(setting, self.desk.held.tune.setting(setting))

    def _take_charge(self, value: float | None, _token: int) -> None:
        if value is not None:
            self.desk.active.set_conditions(dataclasses.replace(self.desk.conditions, rested_v=value))

    # --- the job line and the footer ------------------------------------------------------------------------

    def meaning(self) -> tuple[str, str]:
        own = self.own[self.page].meaning() if self.page in self.own else None
        if own is not None:
            return own
        head, words = reading(
            self.desk.draft.prediction, self.desk.held.prediction, self.desk.draft.tune, self.chart.at_kmh
        )
        gain, draft = self.gain, self.desk.draft.tune
        if gain is not None and draft is not None and draft.drive.field_weakening_a > 0:
            words += say(
                " Weakening brings <b>{without}</b> on the flat, for {extra} and {extra_2} more in the winding.",
                without=quantity(gain.with_kmh - gain.without_kmh, "km/h", "+.1f"),
                extra=quantity(gain.extra_w, "W", ".0f"),
                extra_2=quantity(gain.extra_k, "K", ".0f"),
            )
        return head, words

    def act_text(self) -> str:
        if self.desk.draft.tune is None:
            return "Start a gentle draft" if self.desk.bike else ""
        drafted = len(self.desk.draft.differing)
        return f"Review {counted(drafted, 'change')}" if drafted else "Nothing to review"

    def act_enabled(self) -> bool:
        return self.desk.draft.tune is None or bool(self.desk.draft.differing)

    def act(self) -> None:
        if self.desk.draft.tune is None and self.desk.bike is not None:
            self.desk.draft.set(starting_tune(self.desk.bike))
        else:
            self.go.emit("send")
