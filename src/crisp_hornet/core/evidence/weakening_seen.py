"""What field weakening gave on a ride, and what it cost, where it was at work at full throttle.

The force by the currents of the ride is laid against what the model gives without weakening in the same moment: at that speed, and for the
rested voltage that the pack's voltage and current then tell (``E = V + I·Rb``). What it cost is the winding's heat of the d-current.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.evidence.estimate import Estimate, around, clustered_fit, refused
from crisp_hornet.core.evidence.pull_seen import BLOCK_S
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even
from crisp_hornet.core.ride.limit_along import FASTEST_KMH
from crisp_hornet.core.ride.measured_pull import FULL_THROTTLE, dq_currents, force_by_currents
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

CHANNELS = ("wheel_speed_kmh", "pack_v", "battery_a", "phase_a", "d_axis_a", "motor_c", "throttle", "brake")
LEAST_A, LEAST_S, VOLT_STEP, SPEED_STEP_KMH, MODEL = 3.0, 4.0, 0.5, 0.5, 0.01
USUAL_WINDING_C = 40.0


@dataclass(frozen=True)
class WeakeningSeen:
    """``gain_n``: mean force more than without, while it was at work at full throttle; ``gain_kmh``: top speed on the flat more than
    without; ``heat_w``: heat in the winding for it; ``seconds`` it was at work, the first of them at ``at_s``."""

    gain_n: Estimate
    gain_kmh: Estimate
    heat_w: Estimate
    seconds: float
    at_s: float


def weakening_seen(ride: Ride, bike: Bike, tune: Tune, top_kmh: Estimate) -> WeakeningSeen | None:
    """None where none was set, or the ride does not tell the d-current or never used it; ``top_kmh`` is the top speed of the ride, both
    ways."""
    smooth = even(ride, CHANNELS)
    needed = ("wheel_speed_kmh", "pack_v", "battery_a", "phase_a", "d_axis_a", "throttle")
    if tune.drive.field_weakening_a <= 0 or bike.drivetrain.gears or not all(smooth.has(name) for name in needed):
        return None
    motor = MotorModel.of(bike, _winding_c(smooth))
    i_d, i_q = dq_currents(motor, smooth)
    below = motor.mtpa_id(i_q) - i_d
    with np.errstate(invalid="ignore"):
        rows = (smooth.get("throttle") >= FULL_THROTTLE) & (below > LEAST_A) & ~(smooth.get("brake") > 0)
    rows &= np.isfinite(smooth.get("pack_v") + smooth.get("battery_a") + smooth.get("wheel_speed_kmh"))
    seconds = float(rows.sum()) * STEP_S
    if seconds < LEAST_S:
        return None
    rested = smooth.get("pack_v") + smooth.get("battery_a") * bike.battery.resistance_ohm
    plain = tune.with_setting("drive.field_weakening_a", 0.0)
    curves = _curves(bike, plain, rested[rows], _winding_c(smooth), float(smooth.get("wheel_speed_kmh")[rows].max()))
    without = _without(curves, rested[rows], smooth.get("wheel_speed_kmh")[rows])
    gain = force_by_currents(smooth, bike, motor)[rows] - without
    block = np.floor(smooth.time_s[rows] / BLOCK_S)
    heat = 1.5 * np.asarray(motor.winding_ohm) * (i_d**2 - motor.mtpa_id(i_q) ** 2)[rows]
    return WeakeningSeen(
        _mean(gain, block, "N"), _faster(curves, rested[rows], top_kmh), _mean(heat, block, "W"), seconds,
        float(smooth.time_s[int(np.argmax(rows))]),
    )  # fmt: skip


def _winding_c(ride: Ride) -> float:
    return float(np.nanmedian(ride.get("motor_c"))) if ride.has("motor_c") else USUAL_WINDING_C


def _curves(bike: Bike, tune: Tune, rested: Array, winding_c: float, fastest_kmh: float) -> dict[int, PullCurve]:
    """The pull without weakening for each step of the rested voltage."""
    speeds = np.arange(0.0, 1.3 * min(fastest_kmh, FASTEST_KMH) + SPEED_STEP_KMH, SPEED_STEP_KMH)
    steps = np.unique(np.round(rested / VOLT_STEP).astype(int)).tolist()
    return {step: pull_curve(bike, tune, speeds, Conditions(step * VOLT_STEP, winding_c)) for step in steps}


def _without(curves: dict[int, PullCurve], rested: Array, speed: Array) -> Array:
    steps: NDArray[np.int_] = np.round(rested / VOLT_STEP).astype(int)
    found = np.empty(len(speed))
    for step, curve in curves.items():
        rows = steps == step
        found[rows] = np.interp(speed[rows], curve.speed_kmh, curve.wheel_force_n)
    return found


def _mean(values: Array, block: Array, unit: str) -> Estimate:
    fit = clustered_fit(np.ones((len(values), 1)), values, block)
    if fit is None:
        return refused("too few moments of it", unit)
    return around(float(fit.values[0]), fit.error(0), fit.freedom, unit)


def _faster(curves: dict[int, PullCurve], rested: Array, top_kmh: Estimate) -> Estimate:
    if not top_kmh.known:
        return refused(top_kmh.reason, "km/h")
    usual = min(curves, key=lambda step: abs(step * VOLT_STEP - float(np.median(rested))))
    plain = steady_speed_kmh(curves[usual], 0.0)
    reach = float(np.hypot(top_kmh.half_width, 1.96 * MODEL * plain))
    value = top_kmh.value - plain
    return Estimate(value, value - reach, value + reach, "km/h")
