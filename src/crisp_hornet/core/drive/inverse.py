"""The setting at which an edge of the pull curve passes through a given point: dragging, in numbers."""

from __future__ import annotations

import dataclasses

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.bounds import Bounds
from crisp_hornet.core.drive.envelope import most_torque
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.drive.part_load import least_loss_currents
from crisp_hornet.core.drive.pull import Conditions, drive_bounds, drive_power_cap, torque_share
from crisp_hornet.core.pack.battery import loaded_voltage
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

PHASE, BATTERY, WEAKENING = "drive.phase_current_a", "drive.battery_current_a", "drive.field_weakening_a"
REGEN_PHASE, REGEN_BATTERY = "regen.phase_current_a", "regen.battery_current_a"
RPM, SPEED = "drive.motor_rpm", "drive.speed_kmh"
TRIES = 49


def setting_for_force(
    bike: Bike, tune: Tune, setting: str, highest: float, speed_kmh: float, force_n: float, conditions: Conditions
) -> float:
    """The value (A, from 0 to ``highest``) of one limit at which full throttle gives ``force_n`` at ``speed_kmh``.

    The limit in question is released from everything but the others of the tune; force never falls as a limit rises, so
    the value is found between two of a row of trial values, all solved at once. Where the force cannot be had the value
    that comes closest is given, the smallest of several.
    """
    values = np.linspace(0.0, highest, TRIES)
    force = _forces(bike, tune, setting, values, speed_kmh, conditions)
    enough = np.flatnonzero(force >= force_n)
    if enough.size == 0:
        return float(values[int(np.argmax(force >= force.max() * (1 - 1e-9)))])
    index = int(enough[0])
    if index == 0:
        return 0.0
    fine = np.linspace(values[index - 1], values[index], TRIES)
    return float(np.interp(force_n, _forces(bike, tune, setting, fine, speed_kmh, conditions), fine))


def regen_setting_for_force(
    bike: Bike, setting: str, speed_kmh: float, force_n: float, conditions: Conditions
) -> float:
    """The regen phase or battery current (A, ≥ 0) that brakes with ``force_n`` (N, ≤ 0) at ``speed_kmh``, with the least loss.

    From the shaft: ``Te = F·efficiency·r/ratio + drag``; what drag alone brakes needs no current. Raises :class:`KeyError`
    for another setting.
    """
    if setting not in (REGEN_PHASE, REGEN_BATTERY):
        raise KeyError(setting)
    motor, drivetrain = MotorModel.of(bike, conditions.winding_c, conditions.magnet_c), bike.drivetrain
    omega = electrical_speed(bike, np.array([speed_kmh]))
    torque = force_n * drivetrain.efficiency * wheel_radius_m(bike) / drivetrain.ratio + motor.drag_nm(omega)
    if torque[0] >= 0:
        return 0.0
    battery = bike.battery
    i_d, i_q = least_loss_currents(
        motor, omega, torque, conditions.rested_v, battery.resistance_ohm, bike.controller.idle_w,
        bike.controller.modulation_limit / 3**0.5,
    )  # fmt: skip
    if setting == REGEN_PHASE:
        return float(np.nan_to_num(np.hypot(i_d, i_q))[0])
    watts = float(motor.terminal_power_w(omega, i_d, i_q)[0]) + bike.controller.idle_w
    return max(0.0, float(np.nan_to_num(-watts / loaded_voltage(conditions.rested_v, battery.resistance_ohm, watts))))


def _forces(bike: Bike, tune: Tune, setting: str, values: Array, speed_kmh: float, conditions: Conditions) -> Array:
    """Wheel force (N) at one speed for each trial value of a setting."""
    speed = np.full(values.shape, speed_kmh)
    limits = effective_limits(bike, tune)
    share, _ = torque_share(tune, limits, conditions, speed)
    bounds: Bounds = drive_bounds(
        bike, tune, limits, conditions, share, drive_power_cap(bike, tune, limits, conditions)
    )
    if setting == PHASE:
        bounds = dataclasses.replace(bounds, current_a=values)
    elif setting == WEAKENING:
        bounds = dataclasses.replace(bounds, weakening_a=values)
    elif setting == BATTERY:
        tried = [dataclasses.replace(limits, battery_current_a=dataclasses.replace(limits.battery_current_a, value=float(value)))
                 for value in values]  # fmt: skip
        caps = [drive_power_cap(bike, tune, one, conditions).power_w for one in tried]
        bounds = dataclasses.replace(bounds, most_w=np.array(caps))
    else:
        raise KeyError(setting)
    omega = electrical_speed(bike, speed)
    point = most_torque(bounds, omega)
    torque = bounds.motor.torque_nm(point.i_d, point.i_q) - bounds.motor.drag_nm(omega)
    gain = bike.drivetrain.ratio * bike.drivetrain.efficiency / wheel_radius_m(bike)
    return np.where(point.feasible, np.maximum(torque, 0.0) * gain, 0.0)
