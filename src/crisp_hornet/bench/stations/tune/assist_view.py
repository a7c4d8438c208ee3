"""Assist: the levels drawn, and what a rider gets from each."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from crisp_hornet.bench.charts.handle_chart import Handle, HandleChart
from crisp_hornet.bench.charts.plain_chart import Line, Picture, PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import px
from crisp_hornet.bench.stations.tune.assist_column import AssistColumn
from crisp_hornet.bench.stations.tune.beside import STYLES, Beside
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.painted_table import PaintedTable
from crisp_hornet.bench.widgets.text import column_scroll, label, shortened
from crisp_hornet.core.drive.pull import PullCurve, pull_curve
from crisp_hornet.core.rider.assist import STRONG_RIDER_W, LevelRide, Motive, level_rides, nearest_family, watts_to_full
from crisp_hornet.core.rider.legs import runs_empty_kmh, starts_at_w
from crisp_hornet.core.rider.stroke import Stroke, pedal_stroke
from crisp_hornet.core.road.performance import operating_point
from crisp_hornet.documents.assist import Level
from crisp_hornet.documents.saying import Symbol, quantity, rounded, say
from crisp_hornet.documents.tune import Tune

WATTS = np.linspace(0.0, 300.0, 31)
AT_KMH = 20.0
START_S = np.linspace(0.0, 20.0, 26)
DRAWN = 8
TABLE_PX, LEAST_TABLE_PX = 152, 92  # five levels; more scroll
HILL = 5  # the column whose head says how steep
QUANTITIES = ("multiplier", "power_share", "speed_share")
HEADS = (
    "level",
    "assist to",
    "flat",
    "90 % in",
    "peak",
    "hill",
    "motor, hill",
    say("{unit}", unit=Symbol("Wh/km")),
    "full power at",
)


class AssistView(TuneView):
    """Levels to drag, motor against human watts, the start, a stroke, and a table of the road."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.column = self.rulers = AssistColumn(desk, link, theme)
        self.rulers.rider_changed.connect(self._rider_changed)
        self.rulers.whose_changed.connect(self._rider_changed)
        self.beside = Beside(desk)
        self.beside.changed.connect(self.refresh)
        self._others: list[tuple[object, list[LevelRide]]] = []
        self.quantity = PageChoice(("multiplier", "power share", "speed share"), "levels drawn by", 6)
        self.quantity.chosen.connect(lambda _at: self.refresh())
        self.levels = HandleChart(theme, desk.draft.token, "Assist levels")
        self.listen(self.levels, {"multiplier": (0.1, 0.01)})
        self._shares = HandleChart(theme, desk.draft.token, "Assist levels")
        self.listen(self._shares, {"_share": (0.05, 0.01)}, back=lambda percent: percent / 100)
        self.watts, self.start, self.stroke = PlainChart(theme), PlainChart(theme), PlainChart(theme)
        self.table = PaintedTable(theme, "A RIDER ON THE ROAD", HEADS)
        self.words = label("", "quiet", wrap=True)
        head = QHBoxLayout()
        head.addWidget(label("levels by", "quiet"))
        head.addWidget(self.quantity)
        head.addStretch(1)
        drawn = column_of(spacing=0)
        drawn.addLayout(head)
        drawn.addWidget(self.levels, 1)
        drawn.addWidget(self._shares, 1)
        grid = QGridLayout()
        grid.setSpacing(6)
        grid.addLayout(drawn, 0, 0)
        grid.addWidget(self.watts, 0, 1)
        grid.addWidget(self.start, 1, 0)
        grid.addWidget(self.stroke, 1, 1)
        for at in (0, 1):
            grid.setColumnStretch(at, 1)
            grid.setRowStretch(at, 1)
        column = column_of(self, margins=0, spacing=6)
        column.addWidget(self.beside)
        column.addLayout(grid, 3)
        column.addWidget(self.words)
        scroll = column_scroll(self.table)
        scroll.setMinimumHeight(px(LEAST_TABLE_PX))
        scroll.setMaximumHeight(px(TABLE_PX))
        column.addWidget(scroll, 1)
        self._rides: tuple[list[LevelRide], list[LevelRide]] | None = None

    def _rider_changed(self) -> None:
        self.refresh()
        self.refresh_slow()

    # --- showing it -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        self.rulers.refresh()
        self.beside.refresh()
        draft, prediction = self.desk.draft.tune, self.desk.draft.prediction
        if draft is None or prediction is None:
            return
        rider = self.rulers.rider
        motive = self._motive(prediction.curve, draft)
        self._show_levels(draft)
        self._show_watts(motive, rider.cadence_rpm)
        flat, hill = level_rides(motive, rider), level_rides(motive, rider, self.rulers.grade)
        self._rides = flat, hill
        self._show_start(flat)
        torque = rider.watts / (rider.cadence_rpm * 2 * math.pi / 60)
        self._show_stroke(pedal_stroke(draft.assist, torque, rider.cadence_rpm), torque)
        self._show_table(motive, flat, hill, [])

    def refresh_slow(self) -> None:
        """Energy takes a search per level: shown once the hands rest."""
        draft, prediction, rides = self.desk.draft.tune, self.desk.draft.prediction, self._rides
        if draft is None or prediction is None or rides is None:
            return
        rested_v = self.desk.conditions.rested_v
        used = []
        for one in rides[1]:
            if one.speed_kmh <= 0:
                used.append(math.nan)
                continue
            force = one.motor_w / (one.speed_kmh / 3.6)
            used.append(operating_point(prediction.curve.bike, one.speed_kmh, force, rested_v).wh_per_km)
        self._show_table(self._motive(prediction.curve, draft), *rides, used)

    def _motive(self, curve: PullCurve, draft: Tune) -> Motive:
        """The draft with the levels in hand."""
        levels = self.rulers.levels(draft)
        return Motive.of(curve, draft.model_copy(update={"assist": draft.assist.model_copy(update={"levels": levels})}))

    def _show_levels(self, draft: Tune) -> None:
        key = QUANTITIES[self.quantity.at]
        by_share = key != "multiplier"
        self.levels.setVisible(not by_share)
        self._shares.setVisible(by_share)
        chart, factor = (self._shares, 100.0) if by_share else (self.levels, 1.0)
        now = self.desk.held.tune
        known = self.beside.controller and now is not None and now.holds("assist.levels.count")
        held = self.rulers.levels(now) if now is not None and known else []
        levels = self.rulers.levels(draft)
        places = np.arange(1, len(levels) + 1, dtype=np.float64)
        values = np.array([factor * getattr(level, key) for level in levels])
        lines = [Line("drafted", places, values, truth="drafted")]
        if held:
            at = np.arange(1, len(held) + 1, dtype=np.float64)
            lines.append(Line("now", at, np.array([factor * getattr(one, key) for one in held]), truth="controller"))
        for style, (name, tune) in zip(STYLES, self.beside.kept(), strict=False):
            at = np.arange(1, len(tune.assist.levels) + 1, dtype=np.float64)
            lines.append(
                Line(
                    shortened(name, 14),
                    at,
                    np.array([factor * getattr(level, key) for level in tune.assist.levels]),
                    style,
                )
            )
        most = 105.0 if by_share else max(2.0, 1.2 * max(float(line.y.max()) for line in lines))
        if chart.dragging is not None and (frame := chart.frame()) is not None:
            most = frame.y[1]  # the axis stays put while a level is dragged
        name = (
            "of the drive, %" if key == "power_share" else "of the assisted speed, %" if by_share else "times the rider"
        )
        chart.show_picture(
            Picture("level", name, lines, x_from=0.6, y_from=0.0, y_to=most, x_to=max(len(places), len(held)) + 0.3)
        )
        chart.show_handles(
            [
                Handle(
                    self.rulers.level_path(at + 1, key),
                    at + 1.0,
                    float(values[at]),
                    f"{values[at]:.3g}",
                    (at + 1.0, factor * getattr(held[at], key)) if at < len(held) else None,
                )
                for at in range(len(values))
            ]
        )

    def _show_watts(self, motive: Motive, cadence_rpm: float) -> None:
        torque = WATTS / (cadence_rpm * 2 * math.pi / 60)
        lines = [
            Line(str(at + 1), WATTS, motive.force_n(level, torque, cadence_rpm, AT_KMH) * AT_KMH / 3.6, at_end=True)
            for at, level in enumerate(motive.assist.levels)
        ]
        units = self.desk.units
        self.watts.show_picture(
            Picture(
                "rider, W", units.text(say("motor, W, at {at}", at=quantity(AT_KMH, "km/h", ".0f"))), lines, y_from=0.0
            )
        )

    def _show_start(self, flat: list[LevelRide]) -> None:
        units = self.desk.units
        turn = units.value(1.0, "km/h")
        lines = [
            Line(str(one.level), START_S, turn * np.interp(START_S, one.time_s, one.speeds_kmh), at_end=True)
            for one in flat
        ]
        for style, (_, tune) in zip(STYLES, self.beside.kept(), strict=False):
            lines += [
                Line("", START_S, turn * np.interp(START_S, one.time_s, one.speeds_kmh), style)
                for one in self._rides_of(tune)
            ]
        name = units.text(say("{unit} on the flat, from rest", unit=Symbol("km/h")))
        self.start.show_picture(Picture("seconds", name, lines, y_from=0.0, x_to=20.0))

    def _rides_of(self, tune: Tune) -> list[LevelRide]:
        """A kept draft with the same rider on the flat; it stays while the draft is dragged."""
        bike, speeds = self.desk.bike, self.desk.speeds
        if bike is None or speeds is None:
            return []
        key = (tune, bike, self.desk.conditions, self.rulers.rider)
        if (kept := next((rides for one, rides in self._others if one == key), None)) is not None:
            return kept
        curve = pull_curve(bike, tune, speeds, self.desk.conditions)
        rides = level_rides(Motive.of(curve, tune), self.rulers.rider)
        self._others = [*self._others[-1:], (key, rides)]
        return rides

    def _show_stroke(self, stroke: Stroke, torque: float) -> None:
        upto = stroke.angle_deg <= 3 * 360
        angle = stroke.angle_deg[upto][::DRAWN]
        turn = self.desk.units.value(1.0, "N·m")
        lines = [
            Line("rider", angle, turn * stroke.human_nm[upto][::DRAWN], Qt.PenStyle.DashLine),
            Line("sensed", angle, turn * stroke.sensed_nm[upto][::DRAWN], Qt.PenStyle.DotLine),
            Line("motor", angle, turn * stroke.motor_nm[upto][::DRAWN], truth="drafted"),
        ]
        self.stroke.show_picture(
            Picture("crank, degrees", self.desk.units.unit("N·m"), lines, y_from=0.0, y_to=2.1 * turn * torque)
        )
        rider, draft = self.rulers.rider, self.desk.draft.tune
        assert draft is not None
        told = (
            f"Starts from {starts_at_w(draft.assist.start_nm, rider):.0f} W at {rider.cadence_rpm:.0f} rpm, after "
            f"{stroke.starts_deg:.0f}° ({1000 * stroke.starts_s:.0f} ms), follows within {stroke.lags_deg:.0f}° "
            f"({1000 * stroke.lags_s:.0f} ms), stops within {1000 * stroke.stops_s:.0f} ms."
            if math.isfinite(stroke.starts_s) and math.isfinite(stroke.lags_s)
            else "At this effort the assist never starts: the rider's torque stays below what starts it."
        )
        empty = self.desk.units.text(
            say("Above {empty} the pedals run empty.", empty=quantity(runs_empty_kmh(rider), "km/h", ".0f"))
        )
        self.words.setText(f"{told} {empty} {self._by_hand()}".strip())

    def _by_hand(self) -> str:
        draft = self.desk.draft.tune
        assert draft is not None
        off = nearest_family([level.multiplier for level in self.rulers.levels(draft)]).by_hand
        return f"Drawn by hand: level {', '.join(str(at + 1) for at in off)}." if off else ""

    def _show_table(self, motive: Motive, flat: list[LevelRide], hill: list[LevelRide], used: list[float]) -> None:
        cadence, units = self.rulers.rider.cadence_rpm, self.desk.units

        def row(at: int, level: Level) -> list[str]:
            one, up = flat[at], hill[at]
            full = watts_to_full(motive, level, cadence, AT_KMH)
            climbs = up.speed_kmh > 0
            return [
                str(at + 1),
                say("{level}", level=quantity(motive.speed_of(level), "km/h", ".0f")),
                say("{speed}", speed=quantity(one.speed_kmh, "km/h", ".0f")),
                f"{one.to_speed_s:.0f} s" if math.isfinite(one.to_speed_s) else "never",
                f"{one.most_mps2:.1f} m/s²",
                say("{speed}", speed=quantity(up.speed_kmh, "km/h", ".0f")) if climbs else "stalls",
                f"{rounded(up.motor_w):.0f} W" if climbs else "",
                ("" if math.isnan(used[at]) else f"{units.value(used[at], 'Wh/km'):.0f}") if used else "…",
                f"{rounded(full):.0f} W" if math.isfinite(full) else "never",
            ]

        hill_words = say("{grade} hill", grade=quantity(100 * self.rulers.grade, "%"))
        self.table.name_column(HILL, hill_words)
        self.table.show_rows([row(at, level) for at, level in enumerate(motive.assist.levels)], units)

    def meaning(self) -> tuple[str, str] | None:
        draft, prediction, rides = self.desk.draft.tune, self.desk.draft.prediction, self._rides
        if draft is None or prediction is None or rides is None:
            return None
        motive, rider = self._motive(prediction.curve, draft), self.rulers.rider
        top = motive.assist.levels[-1]
        needs = watts_to_full(motive, top, rider.cadence_rpm, AT_KMH)
        reach = (
            say(
                "Full power on the top level at {at} needs <b>{needs}</b> from the rider",
                at=quantity(AT_KMH, "km/h", ".0f"),
                needs=quantity(rounded(needs), "W", ".0f"),
            )
            if math.isfinite(needs)
            else say("At {at} no rider reaches all of the top level", at=quantity(AT_KMH, "km/h", ".0f"))
        )
        verdict = "" if needs <= STRONG_RIDER_W else ": more than a strong rider gives"
        first = rides[0][0]
        gentle = f"Level 1 pulls away with up to <b>{first.most_mps2:.1f} m/s²</b> under {rider.watts:.0f} W."
        return f"A RIDER OF {rider.watts:.0f} W AT {rider.cadence_rpm:.0f} rpm", say(
            "{gentle} {reach}{verdict}.", gentle=gentle, reach=reach, verdict=verdict
        )

    def shows(self, setting: str) -> QWidget | None:
        if ".levels." in setting and setting.rpartition(".")[2] in QUANTITIES:
            self.rulers.whose.choose(setting)
            self.quantity.choose(QUANTITIES.index(setting.rpartition(".")[2]))
            chart = self.levels if setting.endswith("multiplier") else self._shares
            chart.chosen = setting
            return chart
        return super().shows(setting)
