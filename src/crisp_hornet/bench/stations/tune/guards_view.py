"""Guards: the fades of pack, heat and regen, each with what it gives up and what it saves."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QSizePolicy

from crisp_hornet.bench.charts.handle_chart import Handle, HandleChart
from crisp_hornet.bench.charts.plain_chart import Level, Line, Picture, PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.tune.ruler_column import RulerColumn
from crisp_hornet.bench.stations.tune.view import TuneView
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.core.heat.guarding import climb, low_voltage, regen_by_charge, share_by_charge
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.core.rider.braking import lever_feel
from crisp_hornet.documents.battery import Battery
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

HILL, MINUTES, COLD_C = 0.08, 20.0, 0.0
PACK, REGEN = "battery_guard.fade", "regen.fade"
MOTOR, STAGE = "heat_guard.motor_fade", "heat_guard.controller_fade"
RULERS = [
    ("LOW VOLTAGE", [f"{PACK}_start_v", f"{PACK}_end_v"]),
    ("HEAT", [f"{one}_{end}_c" for one in (MOTOR, STAGE) for end in ("start", "end")]),
    ("REGEN", ["regen.phase_current_a", "regen.battery_current_a", f"{REGEN}_start_v", f"{REGEN}_end_v"]),
    ("WHAT CALLS FOR REGEN", ["braking.command", "braking.lift_off_share", "braking.ramp_s"]),
]


class GuardsView(TuneView):
    """Three rows: the fade to drag, and beside it what it does."""

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self.column = self.rulers = RulerColumn(desk, link, theme, RULERS)
        names = ("Low-voltage cutoff", "Derating", "Regen cutoff")
        self.fades = [HandleChart(theme, desk.draft.token, name) for name in names]
        for chart, unit in zip(self.fades, ("V", "°C", "V"), strict=True):
            back = partial(self._in_document, unit)
            self.listen(chart, {"_v": (0.5, 0.1), "_c": (5.0, 1.0)}, sideways=True, back=back)
        self.effects = [PlainChart(theme) for _ in names]
        self.words = [_two_lines() for _ in names]
        self.regen_by = PageChoice(("over the charge", "by lever travel"), "regen drawn")
        self.regen_by.chosen.connect(lambda _at: self._regen_drawn_by())
        shown = column_of(spacing=0)
        shown.addWidget(self.regen_by)
        shown.addWidget(self.effects[2], 1)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        for row in range(3):
            grid.addWidget(self.fades[row], 2 * row, 0)
            if row < 2:
                grid.addWidget(self.effects[row], 2 * row, 1)
            grid.addWidget(self.words[row], 2 * row + 1, 0, 1, 2)
            grid.setRowStretch(2 * row, 1)
        grid.addLayout(shown, 4, 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        self._made: dict[str, object] = {}

    def _in_document(self, unit: str, shown: float) -> float:
        return self.desk.units.back(shown, unit)

    # --- showing it -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        self.rulers.refresh()
        bike, draft = self.desk.bike, self.desk.draft.tune
        if bike is None or draft is None:
            return
        for name, depends, show in (
            ("pack", (draft.battery_guard, draft.drive), self._show_pack),
            ("heat", (draft.heat_guard,), self._show_heat_fades),
            ("regen", (draft.regen, draft.braking), self._show_regen),
        ):
            key = (bike, self.desk.held.tune, self.desk.units, *depends)
            if self._made.get(name) != key:  # a drag of one fade leaves the others as they are
                self._made[name] = key
                show(bike, draft)

    def refresh_slow(self) -> None:
        """The climb: some hundred steps, once the hands rest."""
        bike, draft = self.desk.bike, self.desk.draft.tune
        if bike is not None and draft is not None:
            self._show_climb(bike, draft)

    def _show_pack(self, bike: Bike, draft: Tune) -> None:
        guard, battery = draft.battery_guard, bike.battery
        low, high = battery.bms_trip_v - 0.12 * battery.series, full_v(battery)
        now = self.desk.held.tune
        self.fades[0].show_picture(
            Picture(
                "volts under load",
                "battery current, %",
                [_falling(low, guard.fade_end_v, guard.fade_start_v, high, "drafted")]
                + (
                    [_falling(low, now.battery_guard.fade_end_v, now.battery_guard.fade_start_v, high, "controller")]
                    if now
                    else []
                ),
                y_from=0.0,
                y_to=118.0,
            )
        )
        self.fades[0].show_handles(
            [
                _handle(f"{PACK}_end_v", draft, now, 0.0, "V"),
                _handle(f"{PACK}_start_v", draft, now, 100.0, "V"),
            ]
        )
        try:
            charge, warm = share_by_charge(bike, draft)
            cold = share_by_charge(bike, draft, COLD_C)[1]
            found = low_voltage(bike, draft)
        except ValueError as error:
            self.words[0].setText(f"{error}.")
            self.effects[0].show_picture(None)
            return
        lines = [
            Line("at full pull", 100 * charge, 100 * warm, truth="drafted"),
            Line(say("pack at {at}", at=quantity(0, "°C")), 100 * charge, 100 * cold, Qt.PenStyle.DashLine),
        ]
        self.effects[0].show_picture(
            _in_units(Picture("charge, %", "share left, %", lines, y_from=0.0, y_to=118.0), self.desk.units)
        )
        side = "above" if found.over_trip_v >= 0 else "below"
        km = (
            say("{km_given_up}", km_given_up=quantity(found.km_given_up, "km", ".1f"))
            if math.isfinite(found.km_given_up)
            else "no distance"
        )
        lost = (
            say(
                "{wh_given_up}, {km} at {at}",
                wh_given_up=quantity(found.wh_given_up, "Wh", ".0f"),
                km=km,
                at=quantity(25, "km/h", ".0f"),
            )
            if found.wh_given_up >= 1
            else "almost no energy"
        )
        self.words[0].setText(
            self.desk.units.text(
                say(
                    "Sag at the set current {sag}: full throttle is reduced from {felt} at rest ({charge} charge). The cutoff ends {room} "
                    "{side} the BMS cutoff and leaves {lost} unused.",
                    sag=quantity(found.sag_v, "V", ".1f"),
                    felt=quantity(found.felt_v, "V", ".1f"),
                    charge=quantity(100 * found.felt_charge, "%", ".0f"),
                    room=quantity(abs(found.over_trip_v), "V", ".1f"),
                    side=side,
                    lost=lost,
                )
            )
        )

    def _show_heat_fades(self, bike: Bike, draft: Tune) -> None:
        guard, now = draft.heat_guard, self.desk.held.tune
        high = max(bike.motor.max_winding_c + 15, guard.motor_fade_end_c, guard.controller_fade_end_c)
        lines = [
            replace(_rising(40.0, guard.motor_fade_start_c, guard.motor_fade_end_c, high, "drafted"), name="motor"),
            Line(
                "controller",
                *_xy_rising(40.0, guard.controller_fade_start_c, guard.controller_fade_end_c, high),
                Qt.PenStyle.DashLine,
            ),
        ]
        if now is not None:
            held = now.heat_guard
            lines.append(
                replace(_rising(40.0, held.motor_fade_start_c, held.motor_fade_end_c, high, "controller"), name="")
            )
        units = self.desk.units
        lines = [replace(line, x=_turn(line.x, "°C", units)) for line in lines]
        self.fades[1].show_picture(Picture(units.unit("°C"), "torque, %", lines, y_from=0.0, y_to=118.0))
        places = [
            (f"{MOTOR}_start_c", 100.0),
            (f"{MOTOR}_end_c", 0.0),
            (f"{STAGE}_start_c", 100.0),
            (f"{STAGE}_end_c", 0.0),
        ]
        self.fades[1].show_handles([_in_other_units(_handle(path, draft, now, y, "°C"), units) for path, y in places])

    def _show_climb(self, bike: Bike, draft: Tune) -> None:
        key = (bike, draft.heat_guard, draft.drive, self.desk.conditions, self.desk.units)
        if self._made.get("climb") == key:
            return
        self._made["climb"] = key
        units, guard = self.desk.units, draft.heat_guard
        ridden = climb(bike, draft, HILL, self.desk.conditions.rested_v, minutes=MINUTES)
        minutes = ridden.time_s / 60
        lines = [
            Line("winding", minutes, _turn(ridden.winding_c, "°C", units), truth="drafted"),
            Line("controller", minutes, _turn(ridden.controller_c, "°C", units), Qt.PenStyle.DashLine),
            Line(f"speed, {units.unit('km/h')}", minutes, _turn(ridden.speed_kmh, "km/h", units), Qt.PenStyle.DotLine),
        ]
        level = Level("max winding", units.value(bike.motor.max_winding_c, "°C"), danger=True)
        self.effects[1].show_picture(
            Picture("minutes up", units.unit("°C"), lines, [level], y_from=0.0, y_to=1.3 * level.y)
        )
        begins = (
            f"derating begins after {ridden.fade_starts_s / 60:.1f} min"
            if math.isfinite(ridden.fade_starts_s)
            else f"no derating within {MINUTES:.0f} min"
        )
        ends = (
            say(
                "{end} are left after {minutes}",
                end=quantity(ridden.end_kmh, "km/h", ".0f"),
                minutes=quantity(MINUTES, "min", ".0f"),
            )
            if ridden.end_kmh > 0
            else "then it stalls"
        )
        hottest = float(np.max(ridden.winding_c))
        self.words[1].setText(
            units.text(
                say(
                    "Full throttle up {hill}, cold at the start: {begins}; {ends}. Hottest {hottest}, the "
                    "winding maximum is {max_winding} (derating {motor_fade_start} to {motor_fade_end}).",
                    hill=quantity(100 * HILL, "%", ".0f"),
                    begins=begins,
                    ends=ends,
                    hottest=quantity(hottest, "°C", ".0f"),
                    max_winding=quantity(bike.motor.max_winding_c, "°C", ".0f"),
                    motor_fade_start=quantity(guard.motor_fade_start_c, "°C", bare=True),
                    motor_fade_end=quantity(guard.motor_fade_end_c, "°C"),
                )
            )
        )

    def _show_regen(self, bike: Bike, draft: Tune) -> None:
        regen, battery, now = draft.regen, bike.battery, self.desk.held.tune
        low = min(regen.fade_start_v, full_v(battery) * 0.9) - 1
        high = max(regen.fade_end_v, battery.bms_over_v or full_v(battery)) + 0.06 * battery.series
        lines = [_rising(low, regen.fade_start_v, regen.fade_end_v, high, "drafted")]
        if now is not None:
            lines.append(_rising(low, now.regen.fade_start_v, now.regen.fade_end_v, high, "controller"))
        self.fades[2].show_picture(Picture("volts while charging", "regen current, %", lines, y_from=0.0, y_to=118.0))
        self.fades[2].show_handles(
            [
                _handle(f"{REGEN}_start_v", draft, now, 100.0, "V"),
                _handle(f"{REGEN}_end_v", draft, now, 0.0, "V"),
            ]
        )
        if self.regen_by.at == 1:
            self._show_lever(bike, draft)
            return
        try:
            found = regen_by_charge(bike, draft)
        except ValueError as error:
            self.words[2].setText(f"{error}.")
            self.effects[2].show_picture(None)
            return
        levels = [
            Level(f"BMS charge limit {found.allowed_a:g} A", found.allowed_a, danger=True),
            Level("below freezing", found.allowed_cold_a),
        ]
        lines = [
            Line(
                say("regen battery current at {at}, A", at=quantity(30, "km/h", ".0f")),
                100 * found.charge,
                found.current_a,
                truth="drafted",
            )
        ]
        self.effects[2].show_picture(
            _in_units(
                Picture(
                    "charge, %",
                    "A",
                    lines,
                    levels,
                    y_from=0.0,
                    y_to=max(1.15 * found.allowed_a, 1.2 * float(found.current_a.max())),
                ),
                self.desk.units,
            )
        )
        most, full = float(found.braking_mps2.max()), float(found.braking_mps2[-1])
        self.words[2].setText(
            self.desk.units.text(
                say(
                    "Regen brakes with up to {most} from {at}, {full} with a full pack: do not rely on it. "
                    "Below freezing, charge at most about {allowed_cold}.",
                    most=quantity(most, "m/s²", ".1f"),
                    at=quantity(30, "km/h", ".0f"),
                    full=quantity(full, "m/s²", ".1f"),
                    allowed_cold=quantity(found.allowed_cold_a, "A", ".1f"),
                )
            )
        )

    def _regen_drawn_by(self) -> None:
        self._made.pop("regen", None)
        self.refresh()

    def _show_lever(self, bike: Bike, draft: Tune) -> None:
        """How hard the motor brakes by how far the lever is pulled, drafted and now."""
        now, conditions = self.desk.held.tune, self.desk.conditions
        drafted = lever_feel(bike, draft, conditions)
        lines = [Line("drafted", 100 * drafted.travel, drafted.braking_mps2, truth="drafted")]
        if now is not None and now.holds("braking.command"):
            held = lever_feel(bike, now, conditions)
            lines.append(Line("now", 100 * held.travel, held.braking_mps2, truth="controller"))
        most = max(float(line.y.max()) for line in lines)
        name = self.desk.units.text(say("braking at {at}, m/s²", at=quantity(30, "km/h", ".0f")))
        what = "throttle the other way, %" if draft.braking.command == "two-way throttle" else "lever travel, %"
        picture = Picture(what, name, lines, y_from=0.0, y_to=max(1.2 * most, 0.5), x_to=102.0)
        self.effects[2].show_picture(picture)
        told = (
            "Nothing calls for regen"
            if draft.braking.command == "none" and not draft.braking.lift_off_share
            else say(
                "By {command}: half brakes with {half}, all with {most}; closing the throttle alone with {lift}. Rolling adds {rolls}",
                command=draft.braking.command,
                half=quantity(float(drafted.braking_mps2[len(drafted.travel) // 2]), "m/s²", ".1f"),
                most=quantity(float(drafted.braking_mps2[-1]), "m/s²", ".1f"),
                lift=quantity(drafted.lift_off_mps2, "m/s²", ".1f"),
                rolls=quantity(drafted.rolls_mps2, "m/s²", ".1f"),
            )
        )
        self.words[2].setText(self.desk.units.text(say("{told}. Keep both brakes: regen may fail.", told=told)))

    def meaning(self) -> tuple[str, str] | None:
        bike, draft = self.desk.bike, self.desk.draft.tune
        if bike is None or draft is None:
            return None
        return "WHO PROTECTS WHAT", say(
            "{by}. Motor and controller are protected by derating, the rider by the low-voltage cutoff.",
            by=_pack_protected(bike.battery, draft),
        )


def _pack_protected(battery: Battery, draft: Tune) -> str:
    """What keeps the pack's current down: a limit in watts does not, the current rises as the voltage falls."""
    limit_a, power_w = draft.drive.battery_current_a, draft.drive.power_w
    by = say("The pack is protected by the <b>battery current limit</b> of {limit}", limit=quantity(limit_a, "A"))
    if power_w is None:
        return say("{by}: the power falls as it empties", by=by)
    full_a, empty_a = (power_w / volts for volts in (full_v(battery), max(draft.battery_guard.fade_end_v, 1.0)))
    if full_a >= limit_a:
        return say("{by}, always reached before {power}", by=by, power=quantity(power_w, "W"))
    rises = say(
        "{power} take {full} of a full pack and more as it empties",
        power=quantity(power_w, "W"),
        full=quantity(full_a, "A", ".0f"),
    )
    if empty_a >= limit_a:
        return say(
            "{rises}, up to the <b>battery current limit</b> of {limit}: that protects it",
            rises=rises,
            limit=quantity(limit_a, "A"),
        )
    return say(
        "{rises}, up to {empty} at the cutoff: <b>watts protect no pack</b>, and its battery current limit of {limit} is never reached",
        rises=rises,
        empty=quantity(empty_a, "A", ".0f"),
        limit=quantity(limit_a, "A"),
    )


def _xy_rising(low: float, start: float, end: float, high: float) -> tuple[np.ndarray, np.ndarray]:
    return np.array([min(low, start), start, end, max(high, end)]), np.array([100.0, 100.0, 0.0, 0.0])


def _rising(low: float, start: float, end: float, high: float, truth: str) -> Line:
    """A fade that closes as its quantity rises."""
    return Line("drafted" if truth == "drafted" else "now", *_xy_rising(low, start, end, high), truth=truth)


def _falling(low: float, end: float, start: float, high: float, truth: str) -> Line:
    """A fade that closes as the voltage falls."""
    x = np.array([min(low, end), end, start, max(high, start)])
    return Line("drafted" if truth == "drafted" else "now", x, np.array([0.0, 0.0, 100.0, 100.0]), truth=truth)


def _handle(path: str, draft: Tune, now: Tune | None, y: float, unit: str) -> Handle:
    value, held = draft.setting(path) or 0.0, now.setting(path) if now is not None else None
    return Handle(
        path,
        value,
        y,
        say("{value}", value=quantity(value, unit)),
        (held, y) if held is not None else None,
        sideways=True,
    )


def _turn(values: np.ndarray, unit: str, units: Units) -> np.ndarray:
    offset = units.value(0.0, unit)
    turned: np.ndarray = offset + values * (units.value(1.0, unit) - offset)
    return turned


def _in_other_units(handle: Handle, units: Units) -> Handle:
    """A handle on an axis of temperature."""
    now = (units.value(handle.now[0], "°C"), handle.now[1]) if handle.now is not None else None
    return replace(handle, x=units.value(handle.x, "°C"), text=units.text(handle.text), now=now)


def _in_units(picture: Picture, units: Units) -> Picture:
    return replace(picture, lines=[replace(line, name=units.text(line.name)) for line in picture.lines])


def _two_lines() -> QLabel:
    """Words that may take two lines; their height stays, so that nothing is laid out anew through a drag."""
    made = label("", "quiet", wrap=True)
    made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    fix(made, high=34)
    made.setAlignment(Qt.AlignmentFlag.AlignTop)
    return made
