"""What the pack's and the motor's charts on Build show, and the sentence below each."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import Qt

from crisp_hornet.bench.charts.plain_chart import Level, Line, Picture
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.pack.cells import charge_at, rested_v, usable
from crisp_hornet.core.road.range import range_km
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Symbol, quantity, rounded, say
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

CRUISE_W = 500.0
CRUISE_KMH = 25.0


def pack_picture(bike: Bike, tune: Tune | None, now_v: float) -> tuple[Picture | None, str]:
    """Rested voltage against charge, with trip and guards drawn in, and what they leave."""
    battery = bike.battery
    charge = np.linspace(0, 1, 101)
    try:
        volts = rested_v(battery, charge)
    except ValueError as error:
        return None, f"{error}."
    levels = [Level(f"BMS cutoff, {battery.bms_trip_v:g} V", battery.bms_trip_v, danger=True)]
    now = charge_at(battery, now_v)
    words = f"{now_v:.1f} V at rest is {100 * now.value:.0f} ± {100 * now.spread:.0f} % charge."
    if tune is not None:
        guard = tune.battery_guard
        levels.append(
            Level(
                f"low-voltage cutoff, {guard.fade_start_v:g} to {guard.fade_end_v:g} V under load",
                guard.fade_end_v,
                guard.fade_start_v,
            )
        )
        left = usable(battery, now.value, guard.fade_end_v, CRUISE_W)
        whole = usable(battery, now.value, battery.bms_trip_v, CRUISE_W)
        given_up = whole.wh - left.wh
        cost = f"this leaves {given_up:.0f} Wh above the BMS cutoff" if given_up >= 1 else "the pack is empty before it"
        words += f" At {CRUISE_W:.0f} W {left.wh:.0f} Wh remain until the cutoff; {cost}."
        far = range_km(bike, CRUISE_KMH, 0.0, now_v, guard.fade_end_v)
        words += say(
            " At {cruise} on the flat, without pedalling, that is {low} to {high}.",
            cruise=quantity(CRUISE_KMH, "km/h", ".0f"),
            low=quantity(far.low_km, "km", ".0f", bare=True),
            high=quantity(far.high_km, "km", ".0f"),
        )
    picture = Picture(
        "charge, %",
        "volts at rest",
        [Line(battery.chemistry.upper(), 100 * charge, volts)],
        levels,
        mark=(100 * now.value, now_v, 100 * now.spread),
        y_from=float(min(volts[0], battery.bms_trip_v)) - 1,
    )
    return picture, words


def motor_pictures(curve: PullCurve, units: Units) -> tuple[Picture, Picture, str]:
    """Shaft torque, and losses by place, against motor speed at full throttle."""
    rpm = curve.shaft_speed * 30 / math.pi
    pulls = curve.shaft_torque_nm > 0
    rpm, torque = rpm[pulls], curve.shaft_torque_nm[pulls]
    torque_picture = Picture(
        "motor speed, rpm",
        units.text(say("shaft torque at full throttle, {unit}", unit=Symbol("N·m"))),
        [Line("", rpm, torque * units.value(1.0, "N·m"))],
        y_from=0.0,
    )
    places = [
        ("winding", curve.copper_loss_w, Qt.PenStyle.SolidLine),
        ("iron and friction", curve.iron_loss_w + curve.friction_loss_w, Qt.PenStyle.DashLine),
        ("controller", curve.inverter_loss_w, Qt.PenStyle.DotLine),
        ("pack", curve.pack_loss_w, Qt.PenStyle.DashDotLine),
    ]
    losses = Picture(
        "motor speed, rpm",
        "lost at full throttle, W",
        [Line(name, rpm, values[pulls], style) for name, values, style in places],
        y_from=0.0,
    )
    if rpm.size == 0:
        return torque_picture, losses, "No pull: a limit is 0."
    best = int(np.argmax(curve.efficiency))
    worst = int(np.argmax(curve.copper_loss_w))
    words = say(
        "Best at {best}: {best_2} of the pack's power reach the road. The winding loses most at {worst}: {worst_2}.",
        best=quantity(float(curve.speed_kmh[best]), "km/h", ".0f"),
        best_2=quantity(100 * float(curve.efficiency[best]), "%", ".0f"),
        worst=quantity(float(curve.speed_kmh[worst]), "km/h", ".0f"),
        worst_2=quantity(rounded(float(curve.copper_loss_w[worst])), "W", ".0f"),
    )
    return torque_picture, losses, words
