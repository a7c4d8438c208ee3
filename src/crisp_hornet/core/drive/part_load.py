"""The currents that make a given torque with the least loss: less than full throttle.

At most torque per ampere where the voltage allows it, else with just as much more field weakening as it needs.
"""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel
from crisp_hornet.core.pack.battery import loaded_voltage

BISECTIONS = 50


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

    def short(d: Array) -> Array:
        q = _iq_at_id(motor, torque_nm, d)
        pack_v = loaded_voltage(rested_v, pack_ohm, motor.terminal_power_w(omega, d, q) + idle_w)
        return motor.voltage_squared(omega, d, q) - (voltage_gain * pack_v) ** 2

    with np.errstate(invalid="ignore"):
        needs = ~(short(i_d) <= 0) & (torque_nm != 0)
        if needs.any():
            # The voltage needed falls with weakening until the magnet's flux is cancelled in the d axis
            deepest = np.full_like(i_d, -motor.psi / motor.ld)
            if motor.saliency_h > 0:  # torque would change its sign there
                deepest = np.maximum(deepest, -0.95 * motor.psi / motor.saliency_h)
            low, high = deepest, i_d.copy()
            hopeless = ~(short(low) <= 0)
            for _ in range(BISECTIONS):
                middle = (low + high) / 2
                fits = short(middle) <= 0
                low, high = np.where(fits, middle, low), np.where(fits, high, middle)
            i_d = np.where(needs, np.where(hopeless, np.nan, low), i_d)
            i_q = np.where(needs, _iq_at_id(motor, torque_nm, i_d), i_q)
    return i_d, i_q


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
