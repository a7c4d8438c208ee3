"""A pedal stroke in slow motion: the rider's torque over the crank angle, what the sensor makes of it, what the motor does.

Two legs push ``T·(1 − 0.85·cos 2θ)``, θ from the top dead centre of one pedal: least where the cranks stand upright. (The usual
approximation of measured pedal forces by their mean and second harmonic.) The controller averages over
``smoothing_deg`` of crank angle, waits for ``start_nm`` and ``start_deg`` and then
for ``start_delay_s``, follows no faster than ``ramp_s`` allows, holds for
``hold_s`` when the torque goes and falls within ``stop_s``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.assist import Assist

UNEVEN = 0.85
STEP_S = 0.004
TURNS, HARDER_AFTER, AFTER_S = 5, 3, 1.6


@dataclass(frozen=True, eq=False)
class Stroke:
    """Arrays (n,) over time: crank angle (degrees from the start), the rider's torque, what the sensor makes of it, and the motor's
    torque at the crank as if multiplied by one; then the delays."""

    time_s: Array
    angle_deg: Array
    human_nm: Array
    sensed_nm: Array
    motor_nm: Array
    starts_s: float
    starts_deg: float
    lags_s: float
    lags_deg: float
    stops_s: float
    ripple: float


def pedal_stroke(assist: Assist, mean_nm: float, cadence_rpm: float) -> Stroke:
    """Five turns from standstill at an even cadence (rpm) and mean torque (N·m), then the feet rest."""
    turn_s = 60 / cadence_rpm
    count = round((TURNS * turn_s + AFTER_S) / STEP_S) + 1
    time = np.arange(count, dtype=np.float64) * STEP_S
    pedalling = time < TURNS * turn_s
    angle = np.minimum(time, TURNS * turn_s) / turn_s * 360
    human = np.where(pedalling, mean_nm * (1 - UNEVEN * np.cos(2 * np.radians(angle))), 0.0)
    sensed, motor = _motor(assist, human, angle, pedalling, mean_nm, turn_s)
    harder = np.where(time >= HARDER_AFTER * turn_s, 1.5 * human, human)
    change = _motor(assist, harder, angle, pedalling, mean_nm, turn_s)[1] - motor
    return Stroke(time, angle, human, sensed, motor, *_delays(time, motor, change, mean_nm, turn_s))


def _motor(
    assist: Assist, human: Array, angle: Array, pedalling: NDArray[np.bool_], mean_nm: float, turn_s: float
) -> tuple[Array, Array]:
    """(sensed, motor), both (n,)."""
    window = max(1, round(assist.smoothing_deg / 360 * turn_s / STEP_S))
    sums = np.concatenate((np.zeros(window), np.cumsum(human)))
    sensed: Array = (sums[window:] - sums[:-window]) / window
    if assist.style == "cadence":  # the pedals turn or they do not
        sensed = np.where(pedalling, mean_nm, 0.0)
    asked = np.where((sensed >= _gate(assist)) & (angle >= assist.start_deg) & (sensed > 0), sensed, 0.0)
    waits = round(assist.start_delay_s / STEP_S)
    if waits and asked.any():
        first = int(np.flatnonzero(asked)[0])
        asked[first : first + waits] = 0.0
    return sensed, _follow(assist, asked, mean_nm)


def _gate(assist: Assist) -> float:
    return 0.0 if assist.style == "cadence" else assist.start_nm


def _follow(assist: Assist, asked: Array, mean_nm: float) -> Array:
    """The motor after ramp, hold and stop; full scale is twice the mean torque."""
    full = 2 * mean_nm
    up = full / assist.ramp_s * STEP_S if assist.ramp_s > 0 else math.inf
    down = full / assist.stop_s * STEP_S if assist.stop_s > 0 else math.inf
    held, now, motor = 0.0, 0.0, []
    for wanted in asked.tolist():
        if wanted >= now:
            now, held = min(wanted, now + up), 0.0
        elif wanted > 0:
            now, held = max(wanted, now - down), 0.0
        else:
            held += STEP_S
            if held > assist.hold_s:
                now = max(0.0, now - down)
        motor.append(now)
    return np.array(motor)


def _delays(
    time: Array, motor: Array, change: Array, mean_nm: float, turn_s: float
) -> tuple[float, float, float, float, float, float]:
    """(starts s, starts °, lags s, lags °, stops s, ripple): to half the mean from the first push; to half of what half as much effort
    again brings; from the rest of the feet to a twentieth; the motor's swing in the third turn against its mean."""
    end, harder = TURNS * turn_s, HARDER_AFTER * turn_s
    starts = _first(time, motor, mean_nm / 2, 0.0)
    lag = _first(time, change, mean_nm / 4, harder) - harder
    stops = _first(time, -motor, -mean_nm / 20, end) - end
    turn = motor[(time >= 2 * turn_s) & (time < 3 * turn_s)]
    ripple = float(np.ptp(turn) / turn.mean()) if turn.mean() > 0 else 0.0
    return starts, starts / turn_s * 360, lag, lag / turn_s * 360, stops, ripple


def _first(time: Array, values: Array, level: float, after_s: float) -> float:
    """When ``values`` first reach ``level`` after a time, between two steps in proportion; inf if never."""
    found = np.flatnonzero((time >= after_s) & (values >= level))
    if found.size == 0:
        return math.inf
    at = int(found[0])
    if at == 0 or values[at - 1] >= level:
        return float(time[at])
    return float(np.interp(level, values[at - 1 : at + 1], time[at - 1 : at + 1]))
