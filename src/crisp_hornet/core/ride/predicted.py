"""What the bike document says the pack should have given at each moment of a ride, for the speed, the slope and the rider's own watts."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.drive.part_load import least_loss_currents
from crisp_hornet.core.ride.even import moving_mean
from crisp_hornet.core.road.vehicle import G_MPS2, effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike

HUMAN_SHARE = 0.95  # of the rider's watts that reach the road
SMOOTH_ROWS = 5


def predicted_w(
    bike: Bike,
    speed_kmh: Array,
    gained_mps2: Array,
    grade: Array,
    human_w: Array,
    rested_v: float,
    ratio: Array | None = None,
) -> Array:
    """Electric power (W, (n,)); idle draw where nothing has to be driven, NaN where no voltage would do. All inputs (n,): speed,
    acceleration, grade (rise over run), the rider's watts, the gear in use (NaN, or left out, where nobody knows: then the thriftiest
    counts); ``rested_v`` of the pack. Braking with the motor is not in it."""
    if not bike.drivetrain.gears:
        return _in_gear_w(bike, speed_kmh, gained_mps2, grade, human_w, rested_v)
    each = np.array([
        _in_gear_w(geared, speed_kmh, gained_mps2, grade, human_w, rested_v) for geared in bike.in_each_gear()
    ])  # fmt: skip
    ratio = np.full(each.shape[1], np.nan) if ratio is None else ratio
    used = np.argmin(np.abs(np.array(bike.drivetrain.gears)[:, None] - np.nan_to_num(ratio)), axis=0)
    thriftiest = np.where(np.isfinite(each), each, np.inf).min(axis=0)
    watts = np.where(np.isfinite(ratio), each[used, np.arange(len(used))], thriftiest)
    return np.where(np.isfinite(watts), watts, np.nan)


def _in_gear_w(
    bike: Bike, speed_kmh: Array, gained_mps2: Array, grade: Array, human_w: Array, rested_v: float
) -> Array:
    resists = road_load_n(bike, speed_kmh) + bike.mass_kg * G_MPS2 * np.sin(np.arctan(np.nan_to_num(grade)))
    helped = HUMAN_SHARE * np.nan_to_num(human_w) / np.maximum(speed_kmh / 3.6, 1.0)
    force = moving_mean(resists + effective_mass_kg(bike) * gained_mps2 - helped, SMOOTH_ROWS)
    motor, drivetrain = MotorModel.of(bike, 40.0), bike.drivetrain
    omega = electrical_speed(bike, np.maximum(speed_kmh, 0.1))
    drives = (force > 0) & (speed_kmh > 1)
    torque = np.where(drives, force, 0.0) * wheel_radius_m(bike) / (drivetrain.ratio * drivetrain.efficiency)
    wanted = np.where(drives, torque + motor.drag_nm(omega), 0.0)
    gain = bike.controller.modulation_limit / math.sqrt(3)
    i_d, i_q = least_loss_currents(
        motor, omega, np.nan_to_num(wanted), rested_v, bike.battery.resistance_ohm, bike.controller.idle_w, gain
    )
    watts = np.where(drives, motor.terminal_power_w(omega, i_d, i_q), 0.0) + bike.controller.idle_w
    return np.where(np.isfinite(speed_kmh) & np.isfinite(gained_mps2), watts, np.nan)
