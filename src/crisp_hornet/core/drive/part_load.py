"""The currents that make a given torque with the least loss: less than full throttle.

At most torque per ampere where the voltage allows it, else with just as much more field weakening as it needs. Along the curve of one
torque the loss grows with every ampere of weakening, and the voltage that is short first falls, then rises again: the least that fits is
the crossing between the curve's place of most torque per ampere and the place where the voltage is shortest least.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel
from crisp_hornet.core.pack.battery import loaded_voltage

BISECTIONS = 50
SCAN = 33
NARROWINGS = 40
GOLDEN = (math.sqrt(5) - 1) / 2
BEYOND = 2.0  # with reluctance torque the least voltage may lie beyond the current that cancels the magnets

Short = Callable[[Array], Array]


def least_loss_currents(
    motor: MotorModel,
    omega: Array,
    torque_nm: Array,
    rested_v: float,
    pack_ohm: float,
    idle_w: float,
    voltage_gain: float,
) -> tuple[Array, Array]:
    """(id, iq), each (n,), for an electromagnetic torque (N·m, any sign) at each speed; NaN where no voltage does.

    Whether a controller may weaken the field that much is not judged here.
    """
    i_q = _mtpa_iq(motor, torque_nm)
    i_d = motor.mtpa_id(i_q)

    def short(d: Array, speed: Array, torque: Array) -> Array:
        q = _iq_at_id(motor, torque, d)
        pack_v = loaded_voltage(rested_v, pack_ohm, motor.terminal_power_w(speed, d, q) + idle_w)
        return np.nan_to_num(np.sqrt(motor.voltage_squared(speed, d, q)) - voltage_gain * pack_v, nan=np.inf)

    needs = np.flatnonzero((short(i_d, omega, torque_nm) > 0) & (torque_nm != 0))
    if needs.size:
        speed, torque = omega[needs], torque_nm[needs]
        i_d[needs] = _least_weakening(motor, i_d[needs], lambda d: short(d, speed, torque))
        i_q[needs] = _iq_at_id(motor, torque, i_d[needs])
    return i_d, i_q


def _least_weakening(motor: MotorModel, least: Array, short: Short) -> Array:
    """The i_d (n,) nearest below ``least`` at which the voltage is not short; NaN where there is none."""
    low, high = _shortest_least(motor, least, short), least.copy()
    hopeless = ~(short(low) <= 0)
    for _ in range(BISECTIONS):
        middle = (low + high) / 2
        fits = short(middle) <= 0
        low, high = np.where(fits, middle, low), np.where(fits, high, middle)
    found: Array = np.where(hopeless, np.nan, low)
    return found


def _shortest_least(motor: MotorModel, least: Array, short: Short) -> Array:
    """The i_d (n,) at which the voltage is short by the least: scanned, then narrowed by golden section."""
    cancelled = -motor.psi / motor.ld
    deepest = np.full_like(least, cancelled) if motor.surface else BEYOND * (least + cancelled)
    if np.any(motor.saliency_h > 0):  # torque would change its sign there
        deepest = np.maximum(deepest, -0.95 * motor.psi / motor.saliency_h)
    deepest = np.minimum(deepest, least)
    steps = [deepest + (least - deepest) * share for share in np.linspace(0.0, 1.0, SCAN)]
    best = np.argmin([short(step) for step in steps], axis=0)
    rows, all_steps = np.arange(least.size), np.array(steps)
    low, high = all_steps[np.maximum(best - 1, 0), rows], all_steps[np.minimum(best + 1, SCAN - 1), rows]
    for _ in range(NARROWINGS):
        left, right = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
        lower = short(left) <= short(right)
        low, high = np.where(lower, low, left), np.where(lower, right, high)
    found: Array = (low + high) / 2
    return found


def _iq_at_id(motor: MotorModel, torque_nm: Array, i_d: Array) -> Array:
    """The i_q that makes a torque at a given i_d; where the iron saturates, by fixed-point iteration."""
    reluctance = motor.saliency_h * i_d
    i_q: Array = torque_nm / (1.5 * motor.pole_pairs * (motor.psi + reluctance))
    for _ in range(40 if motor.saturates else 0):
        i_q = torque_nm / (1.5 * motor.pole_pairs * (motor.flux(i_q) + reluctance))
    return i_q


def _mtpa_iq(motor: MotorModel, torque_nm: Array) -> Array:
    """The i_q on the curve of most torque per ampere that gives a torque; odd in it, found by Newton's method."""
    wanted = np.abs(torque_nm)
    i_q = wanted / (1.5 * motor.pole_pairs * motor.psi)
    if not motor.surface or motor.saturates:
        for _ in range(30):
            i_d = motor.mtpa_id(i_q)
            over = motor.torque_nm(i_d, i_q) - wanted
            step = 1e-6 * np.maximum(i_q, 1e-3)
            slope = (motor.torque_nm(motor.mtpa_id(i_q + step), i_q + step) - wanted - over) / step
            moved = np.maximum(i_q - over / slope, 0.0)
            if np.all(np.abs(moved - i_q) <= 1e-10 * (1 + i_q)):
                break
            i_q = moved
    return np.sign(torque_nm) * i_q
