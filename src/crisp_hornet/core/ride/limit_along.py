"""Which limit held the motor back at each moment of a ride, by the model: at full throttle, at that speed, charge and heat."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.measured_pull import FULL_THROTTLE
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

LIMITS = ("none", "rider", "phase", "voltage", "weakening", "battery", "power", "rpm", "speed", "heat", "low_voltage")
"""What a code of the channel means. ``rider``: the throttle asked for less than any limit would give; ``none``: not driven."""
SPEED_STEP_KMH, VOLT_STEPS, HEAT_STEP_C = 0.5, 60, 2.0
DRIVEN = 0.02
FASTEST_KMH = 300.0  # what a log shows beyond is nonsense


def limit_along(ride: Ride, bike: Bike, tune: Tune, rested_v: Array) -> Array:
    """Codes into :data:`LIMITS` (n,), NaN where speed, throttle or ``rested_v`` (n,) is not known.

    Speeds, rested voltages and temperatures are rounded to steps, so that one curve serves many rows.
    """
    speed, throttle = ride.get("wheel_speed_kmh"), ride.get("throttle")
    known = np.isfinite(speed) & np.isfinite(throttle) & np.isfinite(rested_v)
    codes = np.where(known, float(LIMITS.index("none")), np.nan)
    codes[known & (throttle > DRIVEN)] = LIMITS.index("rider")
    full = np.flatnonzero(known & (throttle >= FULL_THROTTLE) & ~(ride.get("brake") > 0))
    if not full.size:
        return codes
    grid = np.arange(0.0, min(float(speed[full].max()), FASTEST_KMH) + 2 * SPEED_STEP_KMH, SPEED_STEP_KMH)
    place = np.clip(np.round(speed[full] / SPEED_STEP_KMH), 0, len(grid) - 1).astype(int)
    volt_step = max(float(np.ptp(rested_v[full])) / VOLT_STEPS, 0.2)
    states = np.column_stack([
        np.round(rested_v[full] / volt_step),
        _steps_c(ride.get("motor_c")[full], tune.heat_guard.motor_fade_start_c),
        _steps_c(ride.get("controller_c")[full], tune.heat_guard.controller_fade_start_c),
    ])  # fmt: skip
    kinds, which = np.unique(states, axis=0, return_inverse=True)
    which = which.reshape(-1)
    for at, (volts, motor, controller) in enumerate(kinds.tolist()):
        rows = which == at
        curve = pull_curve(
            bike, tune, grid, Conditions(volts * volt_step, motor * HEAT_STEP_C, controller * HEAT_STEP_C)
        )
        codes[full[rows]] = _codes(curve.limit)[place[rows]]
    return codes


def _steps_c(temperature: Array, fade_start_c: float) -> Array:
    """Temperature in steps; all that is well below the fade, or not known, is one."""
    cool = min(fade_start_c - 20.0, 60.0)
    warm = np.maximum(np.nan_to_num(temperature, nan=cool), cool)
    steps: Array = np.round(warm / HEAT_STEP_C)
    return steps


def _codes(names: NDArray[np.str_]) -> Array:
    order = np.argsort(LIMITS)
    found: Array = order[np.searchsorted(np.array(LIMITS)[order], names)].astype(float)
    return found
