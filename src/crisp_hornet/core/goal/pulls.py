"""Full pull of many tunes at once that differ in their currents only."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.envelope import most_torque
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.motor import electrical_speed, mechanical_speed, wheel_radius_m
from crisp_hornet.core.drive.pull import Conditions, drive_bounds, drive_power_cap, torque_share
from crisp_hornet.core.pack.battery import loaded_voltage
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True, eq=False)
class Pulls:
    """Over ``speed_kmh`` (n,) the wheel force (N), loaded pack voltage (V) and motor turns per wheel turn of each tune, (k, n) each."""

    speed_kmh: Array
    force_n: Array
    pack_v: Array
    turns: Array


def pulls(bike: Bike, tunes: Sequence[Tune], speed_kmh: Array, rested_v: float, winding_c: float = 25.0) -> Pulls:
    """:func:`~crisp_hornet.core.drive.pull.pull_curve` of many tunes that differ in phase current, battery current and weakening; of
    several gears the best at each speed."""
    if not bike.drivetrain.gears:
        return _pulls(bike, tunes, speed_kmh, Conditions(rested_v, winding_c=winding_c))
    state = Conditions(rested_v, winding_c=winding_c)
    each = [_pulls(geared, tunes, speed_kmh, state) for geared in bike.in_each_gear()]
    best = np.argmax([one.force_n for one in each], axis=0)[None]
    force, volts, turns = (
        np.take_along_axis(np.array([getattr(one, name) for one in each]), best, axis=0)[0]
        for name in ("force_n", "pack_v", "turns")
    )
    return Pulls(speed_kmh, force, volts, turns)


def _pulls(bike: Bike, tunes: Sequence[Tune], speed_kmh: Array, state: Conditions) -> Pulls:
    rested_v, count = state.rested_v, len(speed_kmh)
    bike = bike.rated_at(rested_v)
    limits = [effective_limits(bike, tune) for tune in tunes]
    share, _ = torque_share(tunes[0], limits[0], state, speed_kmh)
    caps = [drive_power_cap(bike, tune, one, state) for tune, one in zip(tunes, limits, strict=True)]
    bounds = drive_bounds(bike, tunes[0], limits[0], state, np.tile(share, len(tunes)), caps[0])
    bounds = replace(
        bounds,
        current_a=np.repeat([float(one.phase_current_a.value or 0.0) for one in limits], count),
        weakening_a=np.repeat([tune.drive.field_weakening_a for tune in tunes], count),
        most_w=np.repeat([cap.power_w for cap in caps], count),
    )
    omega = np.tile(electrical_speed(bike, speed_kmh), len(tunes))
    rpm = mechanical_speed(bike, speed_kmh) * 60 / (2 * math.pi)
    slow = np.tile(rpm <= (limits[0].motor_rpm.value or 0.0) * (1 + 1e-12), len(tunes))
    i_d, i_q, fits = np.zeros_like(omega), np.zeros_like(omega), np.zeros(omega.shape, bool)
    point = most_torque(bounds.rows(slow), omega[slow])
    i_d[slow], i_q[slow], fits[slow] = point.i_d, point.i_q, point.feasible
    torque = bounds.motor.torque_nm(i_d, i_q) - bounds.motor.drag_nm(omega)
    gain = bike.drivetrain.ratio * bike.drivetrain.efficiency / wheel_radius_m(bike)
    watts = np.where(fits, bounds.motor.terminal_power_w(omega, i_d, i_q), 0.0) + bike.controller.idle_w
    shape = (len(tunes), count)
    return Pulls(
        speed_kmh,
        np.where(fits, np.maximum(torque, 0.0) * gain, 0.0).reshape(shape),
        loaded_voltage(rested_v, bike.battery.resistance_ohm, watts).reshape(shape),
        np.full(shape, bike.drivetrain.ratio),
    )
