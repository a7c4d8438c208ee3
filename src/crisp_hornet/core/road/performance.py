"""What a pull curve means on the road: steady speeds, launch times, front-wheel margin, energy."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.drive.part_load import least_loss_currents
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.pack.battery import loaded_voltage
from crisp_hornet.core.road.vehicle import effective_mass_kg, grip_force_n, lift_force_n, road_load_n
from crisp_hornet.documents.bike import Bike


def steady_speed_kmh(curve: PullCurve, grade: float, headwind_kmh: float = 0.0) -> float:
    """The speed (km/h) reached from rest at full throttle on ``grade`` and held; 0 if it cannot start.

    The first crossing of pull and road load, linear between the curve's speeds. The curve's end if the
    pull exceeds the load up to there.
    """
    spare = curve.wheel_force_n - road_load_n(curve.bike, curve.speed_kmh, grade, headwind_kmh)
    return float(settles_kmh(curve.speed_kmh, spare[None, :])[0])


def settles_kmh(speed_kmh: Array, spare_n: Array) -> Array:
    """For many bikes or tunes at once, rows of ``spare_n`` (k, n), the speed (km/h, (k,)) of :func:`steady_speed_kmh`."""
    short = spare_n < 0
    end = np.argmax(short, axis=1)
    rows, first = np.arange(len(spare_n)), np.maximum(end - 1, 0)
    before, after = spare_n[rows, first], spare_n[rows, end]
    share = before / np.where(before == after, 1.0, before - after)
    crossing = speed_kmh[first] + share * (speed_kmh[end] - speed_kmh[first])
    return np.where(short.any(axis=1), np.where(end == 0, 0.0, crossing), speed_kmh[-1])


def rolling_speed_kmh(bike: Bike, grade: float) -> float:
    """The speed (km/h) at which a bike that nobody brakes or drives rolls down ``grade`` (< 0): ``√((−sin θ − crr·cos θ)·m·g/(ρ·CdA/2))``.
    0 where it does not roll, infinite without air."""
    pushes = -float(road_load_n(bike, 0.0, grade))
    if pushes <= 0:
        return 0.0
    air = float(road_load_n(bike, 1.0, grade)) + pushes  # N at 1 km/h
    return math.sqrt(pushes / air) if air > 0 else math.inf


def mass_along_kg(curve: PullCurve, speed_kmh: Array) -> Array:
    """Mass (kg, shape of ``speed_kmh``) that resists acceleration in the gear that ``curve`` uses at each speed."""
    mass = np.broadcast_to(effective_mass_kg(curve.bike, curve.motor_turns), curve.speed_kmh.shape)
    along: Array = np.interp(speed_kmh, curve.speed_kmh, mass)
    return along


@dataclass(frozen=True)
class Launch:
    """Time (s) and distance (m) from rest to a speed; both infinite if it is never reached."""

    time_s: float
    distance_m: float


def launch(curve: PullCurve, to_kmh: float, grade: float = 0.0, headwind_kmh: float = 0.0) -> Launch:
    """A launch from rest to ``to_kmh`` with the least of pull, front-wheel lift and grip.

    ``t = ∫ m_eff/(F − F_road) dv`` and ``s = ∫ v·m_eff/(F − F_road) dv``. Between two speeds of the curve the spare force
    is taken as linear, for which the first integral is ``Δv·ln(b/a)/(b − a)``; this stays exact near the top speed, where
    1/F bends hard. The distance takes each step's time at its mean speed.
    """
    never = Launch(math.inf, math.inf)
    speed = curve.speed_kmh
    if speed[0] > 0 or speed[-1] < to_kmh:
        return never
    usable = np.minimum(curve.wheel_force_n, holding_n(curve.bike, grade))
    spare = usable - road_load_n(curve.bike, speed, grade, headwind_kmh)
    turns = np.broadcast_to(curve.motor_turns, speed.shape)
    seconds, middle_mps = _launch_steps(curve.bike, speed, spare[None, :], turns[None, :], to_kmh)
    if not np.all(np.isfinite(seconds)):
        return never
    return Launch(float(seconds.sum()), float(np.sum(seconds * middle_mps)))


def holding_n(bike: Bike, grade: float = 0.0) -> float:
    """The most a launch may pull with (N): until the front wheel lifts or the tyre slips."""
    return min(lift_force_n(bike, grade), grip_force_n(bike, grade))


def launch_times_s(bike: Bike, speed_kmh: Array, force_n: Array, turns: Array, to_kmh: float) -> Array:
    """For many tunes at once, rows of ``force_n`` and ``turns`` (k, n), the time (s, (k,)) of :func:`launch` on the flat."""
    if speed_kmh[0] > 0 or speed_kmh[-1] < to_kmh:
        return np.full(len(force_n), math.inf)
    spare = np.minimum(force_n, holding_n(bike)) - road_load_n(bike, speed_kmh)
    found: Array = _launch_steps(bike, speed_kmh, spare, turns, to_kmh)[0].sum(axis=1)
    return found


def _launch_steps(bike: Bike, speed: Array, spare: Array, turns: Array, to_kmh: float) -> tuple[Array, Array]:
    """(seconds (k, steps), mean speed m/s (steps,)) of each step up to a speed; infinite where pull does not suffice."""
    inside = speed < to_kmh
    at = min(int(np.searchsorted(speed, to_kmh)), len(speed) - 1)
    share = (to_kmh - speed[at - 1]) / (speed[at] - speed[at - 1])
    last = spare[:, at - 1] + share * (spare[:, at] - spare[:, at - 1])
    forces = np.concatenate((spare[:, inside], last[:, None]), axis=1)
    speeds = np.append(speed[inside], to_kmh) / 3.6
    mass = np.broadcast_to(effective_mass_kg(bike, turns), spare.shape)[:, inside]  # of each step the gear it begins in
    pulls = np.all(forces > 0, axis=1, keepdims=True)
    safe = np.where(pulls, forces, 1.0)
    seconds = np.where(pulls, mass * np.diff(speeds) * _mean_inverse(safe[:, :-1], safe[:, 1:]), math.inf)
    return seconds, (speeds[:-1] + speeds[1:]) / 2


def launch_time_s(curve: PullCurve, to_kmh: float, grade: float = 0.0) -> float:
    """Time (s) from rest to ``to_kmh``; inf if never."""
    return launch(curve, to_kmh, grade).time_s


def front_wheel_keeps(curve: PullCurve, grade: float = 0.0) -> float:
    """Share of the front wheel's standing load that is left at the greatest pull (1 none taken, 0 lifts)."""
    lift = lift_force_n(curve.bike, grade)
    if math.isinf(lift):
        return 1.0
    if lift <= 0:  # all of it stands on the rear wheel
        return 0.0
    return max(0.0, 1.0 - float(np.max(curve.wheel_force_n, initial=0.0)) / lift)


@dataclass(frozen=True)
class OperatingPoint:
    """Currents and energy at one speed and wheel force, whatever the tune allows. NaN if the pack cannot."""

    speed_kmh: float
    id_a: float
    iq_a: float
    battery_w: float
    battery_current_a: float
    from_cells_w: float

    @property
    def phase_current_a(self) -> float:
        """Phase current amplitude (A)."""
        return math.hypot(self.id_a, self.iq_a)

    @property
    def wh_per_km(self) -> float:
        """Energy taken from the cells per km; the pack's own heat included."""
        return self.from_cells_w / self.speed_kmh


def operating_point(
    bike: Bike, speed_kmh: float, wheel_force_n: float, rested_v: float, winding_c: float = 25.0
) -> OperatingPoint:
    """What a wheel force (N, ≥ 0) takes at ``speed_kmh`` (> 0 for the energy per km), with the least loss.

    At no force the motor is taken to rest: idle draw only. With gears the thriftiest is taken.
    """
    if bike.drivetrain.gears:
        each = [
            operating_point(geared, speed_kmh, wheel_force_n, rested_v, winding_c) for geared in bike.in_each_gear()
        ]
        return min(each, key=lambda point: point.battery_w if math.isfinite(point.battery_w) else math.inf)
    motor = MotorModel.of(bike, winding_c)
    omega = np.atleast_1d(electrical_speed(bike, speed_kmh))
    drivetrain = bike.drivetrain
    torque = wheel_force_n * wheel_radius_m(bike) / (drivetrain.ratio * drivetrain.efficiency)
    wanted = np.where(wheel_force_n > 0, torque + motor.drag_nm(omega), 0.0)
    voltage_gain = bike.controller.modulation_limit / math.sqrt(3)
    i_d, i_q = least_loss_currents(
        motor, omega, wanted, rested_v, bike.battery.resistance_ohm, bike.controller.idle_w, voltage_gain
    )
    battery_w = float(motor.terminal_power_w(omega, i_d, i_q)[0]) + bike.controller.idle_w
    current = battery_w / float(loaded_voltage(rested_v, bike.battery.resistance_ohm, battery_w))
    return OperatingPoint(speed_kmh, float(i_d[0]), float(i_q[0]), battery_w, current, current * rested_v)


def steady_ride(
    bike: Bike, speed_kmh: float, rested_v: float, grade: float = 0.0, winding_c: float = 25.0
) -> OperatingPoint:
    """What holding ``speed_kmh`` (> 0) on ``grade`` takes without pedalling; downhill the motor rests."""
    force = max(float(road_load_n(bike, speed_kmh, grade)), 0.0)
    return operating_point(bike, speed_kmh, force, rested_v, winding_c)


def _mean_inverse(a: Array, b: Array) -> Array:
    """Mean of 1/x for x from a to b, both > 0: ``ln(b/a)/(b − a)``."""
    relative = (b - a) / a
    near = np.abs(relative) < 1e-6
    return np.where(near, 2 / (a + b), np.log1p(relative) / np.where(near, 1.0, b - a))
