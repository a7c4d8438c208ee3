"""The pull curve: the greatest wheel force at full throttle for each road speed, and what limits it.

The limits of tune, controller, pack and chain become :class:`~crisp_hornet.core.drive.envelope.Bounds`; the maximum inside
them is found in :mod:`~crisp_hornet.core.drive.envelope`, the name of the limit in :mod:`~crisp_hornet.core.drive.binding`. Battery
current, its low-voltage fade and the power limit all depend on nothing but the pack's power, so together they are one
cap on it (:func:`~crisp_hornet.core.pack.battery.power_cap`), exact with sag included.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from crisp_hornet.core.arrays import Array, Figure
from crisp_hornet.core.drive.binding import binding_limit
from crisp_hornet.core.drive.bounds import Bounds, Point, stacked
from crisp_hornet.core.drive.envelope import most_torque
from crisp_hornet.core.drive.limits import Limits, effective_limits, fade
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, mechanical_speed, wheel_radius_m
from crisp_hornet.core.pack.battery import PowerCap, charge_floor_w, loaded_voltage, most_power_w, power_cap
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True)
class Conditions:
    """The state the curve is drawn for."""

    rested_v: float
    winding_c: float = 25.0
    controller_c: float | None = None
    magnet_c: float = 25.0


@dataclass(frozen=True, eq=False)
class PullCurve:
    """Every column of the pull contract; all arrays have the shape of ``speed_kmh``.

    ``limit`` names, per speed, which limit sets the force: phase, voltage, weakening, battery, power, rpm, speed,
    heat, low_voltage or none. ``ratio`` is the one in
    use at each speed where the bike has gears. On a regen curve currents, powers and forces are negative where the motor brakes.
    """

    bike: Bike
    motor: MotorModel
    rested_v: float
    speed_kmh: Array
    id_a: Array
    iq_a: Array
    running: NDArray[np.bool_]
    battery_w: Array
    pack_v: Array
    limit: NDArray[np.str_]
    braking: bool = False
    ratio: Array | None = None
    conditions: Conditions | None = None

    @property
    def motor_turns(self) -> Array | float:
        """Motor turns per wheel turn."""
        return self.bike.drivetrain.ratio if self.ratio is None else self.ratio

    @cached_property
    def shaft_speed(self) -> Array:
        """Motor shaft speed (rad/s)."""
        return mechanical_speed(self.bike, self.speed_kmh) / self.bike.drivetrain.ratio * self.motor_turns

    @cached_property
    def _omega(self) -> Array:
        return self.bike.motor.pole_pairs * self.shaft_speed

    def bike_at(self, speed_kmh: float) -> Bike:
        """The bike in the gear that is best at a speed; the bike itself where it has no gears."""
        if self.ratio is None:
            return self.bike
        return self.bike.in_gear(float(self.ratio[int(np.argmin(np.abs(self.speed_kmh - speed_kmh)))]))

    @property
    def phase_current_a(self) -> Array:
        """Phase current amplitude (A)."""
        return np.hypot(self.id_a, self.iq_a)

    @cached_property
    def battery_current_a(self) -> Array:
        """Pack current (A)."""
        return self.battery_w / self.pack_v

    @cached_property
    def shaft_torque_nm(self) -> Array:
        """Shaft torque (N·m); may be negative where drag exceeds what the limits leave."""
        made = self.motor.torque_nm(self.id_a, self.iq_a) - self.motor.drag_nm(self._omega)
        return np.where(self.running, made, 0.0)

    @cached_property
    def wheel_force_n(self) -> Array:
        """Driving force at the road (N), never below 0; on a regen curve the braking force, never above 0."""
        drivetrain = self.bike.drivetrain
        gain = self.motor_turns / wheel_radius_m(self.bike)
        if self.braking:
            return np.minimum(self.shaft_torque_nm, 0.0) * gain / drivetrain.efficiency
        return np.maximum(self.shaft_torque_nm, 0.0) * gain * drivetrain.efficiency

    @property
    def wheel_w(self) -> Array:
        """Power at the road (W)."""
        return self.wheel_force_n * self.speed_kmh / 3.6

    @property
    def copper_loss_w(self) -> Array:
        """Loss in the winding (W)."""
        return 1.5 * self.motor.winding_ohm * self.phase_current_a**2

    @property
    def iron_loss_w(self) -> Array:
        """Loss in the iron while driving (W)."""
        return np.where(self.running, self.motor.iron_drag_nm(self._omega) * self.shaft_speed, 0.0)

    @property
    def inverter_loss_w(self) -> Array:
        """Loss in the power stage, idle draw included (W)."""
        return 1.5 * self.motor.controller_ohm * self.phase_current_a**2 + self.bike.controller.idle_w

    @property
    def friction_loss_w(self) -> Array:
        """Loss to friction in the motor while driving (W)."""
        return np.where(self.running, self.motor.friction_nm * self.shaft_speed, 0.0)

    @property
    def drivetrain_loss_w(self) -> Array:
        """Loss between shaft and road (W)."""
        shaft_w = self.shaft_torque_nm * self.shaft_speed
        lost = 1 - self.bike.drivetrain.efficiency
        return np.maximum(shaft_w, 0.0) * lost + np.maximum(-self.wheel_w, 0.0) * lost * self.braking

    @property
    def pack_loss_w(self) -> Array:
        """Heat in the pack (W)."""
        return self.battery_current_a**2 * self.bike.battery.resistance_ohm

    @property
    def efficiency(self) -> Array:
        """Road power over pack power, 0 where the pack gives none."""
        given = self.battery_w > 0
        return np.where(given, self.wheel_w / np.where(given, self.battery_w, 1.0), 0.0)


def pull_curve(
    bike: Bike, tune: Tune, speed_kmh: ArrayLike, conditions: Conditions, current_a: ArrayLike = math.inf
) -> PullCurve:
    """The pull curve of ``tune`` on ``bike`` at the speeds ``speed_kmh`` (km/h, shape (n,)).

    With gears it is the best of them at each speed: what a rider who shifts well gets.

    ``current_a`` is one more limit on the phase current, per speed if wanted: what heat allows for ever, for instance.
    """
    return pull_curves(bike, tune, speed_kmh, [conditions], current_a)[0]


def pull_curves(
    bike: Bike, tune: Tune, speed_kmh: ArrayLike, states: Sequence[Conditions], current_a: ArrayLike = math.inf
) -> list[PullCurve]:
    """:func:`pull_curve` in each of several states, all solved at once: many cost little more than one."""
    speed = np.atleast_1d(np.asarray(speed_kmh, float))
    if bike.drivetrain.gears:
        each = [pull_curves(geared, tune, speed, states, current_a) for geared in bike.in_each_gear()]
        rated = [bike.rated_at(state.rested_v) for state in states]
        return [best_gear(list(curves), one) for curves, one in zip(zip(*each, strict=True), rated, strict=True)]
    omega = electrical_speed(bike, speed)
    parts = [_state_bounds(bike.rated_at(state.rested_v), tune, state, speed, current_a) for state in states]
    bounds = stacked([part.bounds for part in parts], len(speed))
    all_omega = np.tile(omega, len(parts))
    motor_rpm = effective_limits(bike, tune).motor_rpm.value
    assert motor_rpm is not None  # a tune always sets it
    slow_enough = mechanical_speed(bike, speed) * 60 / (2 * math.pi) <= motor_rpm * (1 + 1e-12)
    turns = np.tile(slow_enough, len(parts))

    i_d, i_q, feasible = np.zeros_like(all_omega), np.zeros_like(all_omega), np.ones(all_omega.shape, bool)
    point = most_torque(bounds.rows(turns), all_omega[turns])
    i_d[turns], i_q[turns], feasible[turns] = point.i_d, point.i_q, point.feasible
    capped = np.repeat([part.cap.limit for part in parts], len(speed))
    phase_name = np.concatenate([part.phase_name for part in parts])
    name = binding_limit(bounds, all_omega, i_d, i_q, phase_name, capped)
    curves = []
    for at, (part, state) in enumerate(zip(parts, states, strict=True)):
        own = slice(at * len(speed), (at + 1) * len(speed))
        found = Point(i_d[own], i_q[own], feasible[own])
        curves.append(_curve_of(part, state, speed, omega, found, slow_enough, name[own]))
    return curves


@dataclass(frozen=True, eq=False)
class _StateBounds:
    """What limits a bike in one state, and what the limits are called."""

    bike: Bike
    bounds: Bounds
    cap: PowerCap
    phase_name: NDArray[np.str_]


def _state_bounds(bike: Bike, tune: Tune, state: Conditions, speed: Array, current_a: ArrayLike) -> _StateBounds:
    limits = effective_limits(bike, tune)
    share, phase_name = torque_share(tune, limits, state, speed)
    cap = drive_power_cap(bike, tune, limits, state)
    return _StateBounds(bike, drive_bounds(bike, tune, limits, state, share, cap, current_a), cap, phase_name)


def _curve_of(
    part: _StateBounds,
    state: Conditions,
    speed: Array,
    omega: Array,
    point: Point,
    slow_enough: NDArray[np.bool_],
    name: NDArray[np.str_],
) -> PullCurve:
    """The curve of one state from its currents."""
    bike, bounds, idle_w = part.bike, part.bounds, part.bike.controller.idle_w
    starved = idle_w > part.cap.power_w
    none_fits = np.where(bounds.share <= 0, part.phase_name, part.cap.limit if starved else "voltage")
    name = np.where(slow_enough, np.where(point.feasible, name, none_fits), "rpm")
    running = point.feasible & slow_enough
    battery_w = np.where(running, bounds.motor.terminal_power_w(omega, point.i_d, point.i_q), 0.0) + idle_w
    pack_v = loaded_voltage(state.rested_v, bike.battery.resistance_ohm, battery_w)
    return PullCurve(
        bike, bounds.motor, state.rested_v, speed, point.i_d, point.i_q, running, battery_w, pack_v, name, conditions=state
    )  # fmt: skip


def best_gear(curves: list[PullCurve], bike: Bike) -> PullCurve:
    """Of the curves of each gear the greatest force at each speed, driving or braking; of equal ones the first."""
    best = np.argmax(np.abs([curve.wheel_force_n for curve in curves]), axis=0)
    rows = np.arange(best.size)
    first = curves[0]
    return PullCurve(
        bike=bike,
        motor=first.motor,
        rested_v=first.rested_v,
        speed_kmh=first.speed_kmh,
        id_a=np.array([curve.id_a for curve in curves])[best, rows],
        iq_a=np.array([curve.iq_a for curve in curves])[best, rows],
        running=np.array([curve.running for curve in curves])[best, rows],
        battery_w=np.array([curve.battery_w for curve in curves])[best, rows],
        pack_v=np.array([curve.pack_v for curve in curves])[best, rows],
        limit=np.array([curve.limit for curve in curves])[best, rows],
        braking=first.braking,
        conditions=first.conditions,
        ratio=np.array([curve.bike.drivetrain.ratio for curve in curves])[best],
    )


def drive_bounds(
    bike: Bike,
    tune: Tune,
    limits: Limits,
    conditions: Conditions,
    share: Array,
    cap: PowerCap,
    current_a: ArrayLike = math.inf,
) -> Bounds:
    """Everything that limits driving, for the rows of ``share`` (n,)."""
    assert limits.phase_current_a.value is not None  # a tune always sets it
    return Bounds(
        motor=MotorModel.of(bike, conditions.winding_c, conditions.magnet_c),
        rested_v=conditions.rested_v,
        pack_ohm=bike.battery.resistance_ohm,
        idle_w=bike.controller.idle_w,
        voltage_gain=bike.controller.modulation_limit / math.sqrt(3),
        weakening_a=np.full(share.shape, tune.drive.field_weakening_a),
        current_a=np.broadcast_to(np.minimum(limits.phase_current_a.value, current_a), share.shape),
        share=share,
        most_w=np.full(share.shape, cap.power_w),
        least_w=np.full(share.shape, -math.inf),
    )


def drive_power_cap(bike: Bike, tune: Tune, limits: Limits, conditions: Conditions) -> PowerCap:
    """The most the pack may give: battery current, low-voltage fade and power limit together."""
    assert limits.battery_current_a.value is not None  # a tune always sets it
    guard = tune.battery_guard
    return power_cap(
        conditions.rested_v,
        bike.battery.resistance_ohm,
        limits.battery_current_a.value,
        guard.fade_start_v,
        guard.fade_end_v,
        limits.power_w.value,
    )


def torque_share(tune: Tune, limits: Limits, conditions: Conditions, speed: Array) -> tuple[Array, NDArray[np.str_]]:
    """The share of the phase limit that heat fade and speed taper leave, and the name of the one at work."""
    heat = heat_share(tune, conditions)
    taper = np.ones_like(speed)
    if (cap := limits.speed_kmh.value) is not None:
        taper = fade(speed, cap - tune.drive.speed_taper_kmh, cap)
    fading = np.where(taper < min(heat, 1.0), "speed", "heat" if heat < 1.0 else "phase")
    return heat * taper, fading


def heat_share(tune: Tune, conditions: Conditions) -> float:
    """The share of torque that the heat fades of motor and controller leave."""
    guard = tune.heat_guard
    heat = float(fade(conditions.winding_c, guard.motor_fade_start_c, guard.motor_fade_end_c))
    if conditions.controller_c is not None:
        heat *= float(fade(conditions.controller_c, guard.controller_fade_start_c, guard.controller_fade_end_c))
    return heat


def _at_rest(omega: Array) -> Point:
    nothing = np.zeros_like(omega)
    return Point(nothing, nothing, np.zeros(omega.shape, bool))


def regen_curve(
    bike: Bike,
    tune: Tune,
    speed_kmh: ArrayLike,
    conditions: Conditions,
    each_rested_v: Array | None = None,
    current_a: ArrayLike = math.inf,
) -> PullCurve:
    """The greatest braking force of ``tune``'s regen settings; forces and currents are negative.

    Limits: the regen phase current and the controller's rating with the heat fade, the voltage, field weakening, and
    what the pack may take, which fades out towards ``regen.fade_end_v``. Drag adds to the braking; with a freewheel there is none of
    both. Of several gears the one that brakes most. ``each_rested_v`` (n,): every speed
    with a pack of its own, instead of the one of ``conditions``. ``current_a`` is one more limit, per speed if wanted.
    """
    speed = np.atleast_1d(np.asarray(speed_kmh, float))
    if bike.drivetrain.gears:
        each = [
            regen_curve(geared, tune, speed, conditions, each_rested_v, current_a) for geared in bike.in_each_gear()
        ]
        return best_gear(each, bike.rated_at(conditions.rested_v))
    volts = np.full(speed.shape, conditions.rested_v) if each_rested_v is None else each_rested_v
    rested_v: Figure = conditions.rested_v if each_rested_v is None else each_rested_v
    rated = np.array([bike.rated_at(float(volt)).controller.max_phase_current_a for volt in volts])
    bike = bike.rated_at(conditions.rested_v)
    omega = electrical_speed(bike, speed)
    share = np.full(speed.shape, heat_share(tune, conditions))
    regen, pack_ohm = tune.regen, bike.battery.resistance_ohm
    floor = np.array(
        [
            charge_floor_w(float(volt), pack_ohm, regen.battery_current_a, regen.fade_start_v, regen.fade_end_v)
            for volt in volts
        ]
    )
    bounds = Bounds(
        motor=MotorModel.of(bike, conditions.winding_c, conditions.magnet_c),
        rested_v=rested_v,
        pack_ohm=pack_ohm,
        idle_w=bike.controller.idle_w,
        voltage_gain=bike.controller.modulation_limit / math.sqrt(3),
        weakening_a=np.full(speed.shape, tune.drive.field_weakening_a),
        current_a=np.broadcast_to(np.minimum(np.minimum(regen.phase_current_a, rated), current_a), speed.shape),
        share=share,
        most_w=np.array([most_power_w(float(volt), pack_ohm) for volt in volts]),
        least_w=floor,
    )
    point = _at_rest(omega) if bike.drivetrain.freewheel else most_torque(bounds, omega, sign=-1.0)
    battery_w = np.where(point.feasible, bounds.motor.terminal_power_w(omega, point.i_d, point.i_q), 0.0)
    battery_w = battery_w + bike.controller.idle_w
    pack_v = loaded_voltage(rested_v, pack_ohm, battery_w)
    charging = np.abs(battery_w - floor) <= 1e-3 * np.maximum(np.abs(floor), 1.0)
    neither = "none" if bike.drivetrain.freewheel else "voltage"
    name = np.where(charging, "battery", np.where(point.feasible, "phase", neither))
    return PullCurve(
        bike,
        bounds.motor,
        conditions.rested_v if each_rested_v is None else math.nan,  # of many packs none is the one
        speed,
        point.i_d,
        point.i_q,
        point.feasible,
        battery_w,
        pack_v,
        name,
        True,
    )
