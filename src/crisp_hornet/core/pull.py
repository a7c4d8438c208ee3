"""The pull curve: the greatest wheel force at full throttle for each road speed, and what limits it.

For a surface-magnet motor without field weakening id is 0, and the problem has one unknown, iq. Phase
limit, pack power and phase voltage each bound it from above; all three bounds are increasing convex
functions of iq, so the least of them is the true maximum. Phase limit and pack power have closed forms; the
voltage bound, where the pack sags with the power drawn, is found by Newton's method from the right, which
converges monotonically on a convex function.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from crisp_hornet.core.battery import PowerCap, loaded_voltage, power_cap
from crisp_hornet.core.limits import Limits, effective_limits, fade
from crisp_hornet.core.motor import Array, MotorModel, electrical_speed, mechanical_speed, wheel_radius_m
from crisp_hornet.core.refusals import refuse_uncomputed
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

_NEWTON_STEPS = 60  # a bound, not a count: it usually ends after 5


@dataclass(frozen=True)
class Conditions:
    """The state the curve is drawn for."""

    rested_v: float
    winding_c: float = 25.0
    controller_c: float | None = None


@dataclass(frozen=True, eq=False)
class PullCurve:
    """Every column of the pull contract; all arrays have the shape of ``speed_kmh``.

    ``limit`` names, per speed, which limit sets the force: phase, voltage, battery, power, rpm, speed, heat,
    low_voltage.
    """

    bike: Bike
    motor: MotorModel
    rested_v: float
    speed_kmh: Array
    iq_a: Array
    running: NDArray[np.bool_]
    battery_w: Array
    pack_v: Array
    limit: NDArray[np.str_]

    @cached_property
    def _omega(self) -> Array:
        return electrical_speed(self.bike, self.speed_kmh)

    @property
    def id_a(self) -> Array:
        """Flux-making current (A): none without field weakening on a surface-magnet motor."""
        return np.zeros_like(self.iq_a)

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
        return np.where(self.running, self.motor.shaft_torque_nm(self._omega, self.iq_a), 0.0)

    @cached_property
    def wheel_force_n(self) -> Array:
        """Driving force at the road (N), never below 0."""
        drivetrain = self.bike.drivetrain
        gain = drivetrain.ratio * drivetrain.efficiency / wheel_radius_m(self.bike)
        return np.maximum(self.shaft_torque_nm, 0.0) * gain

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
        shaft_speed = mechanical_speed(self.bike, self.speed_kmh)
        return np.where(self.running, self.motor.iron_drag_nm(self._omega) * shaft_speed, 0.0)

    @property
    def inverter_loss_w(self) -> Array:
        """Loss in the power stage, idle draw included (W)."""
        return 1.5 * self.motor.controller_ohm * self.phase_current_a**2 + self.bike.controller.idle_w

    @property
    def friction_loss_w(self) -> Array:
        """Loss to friction in the motor while driving (W)."""
        shaft_speed = mechanical_speed(self.bike, self.speed_kmh)
        return np.where(self.running, self.motor.friction_nm * shaft_speed, 0.0)

    @property
    def drivetrain_loss_w(self) -> Array:
        """Loss between shaft and road (W)."""
        shaft_w = np.maximum(self.shaft_torque_nm, 0.0) * mechanical_speed(self.bike, self.speed_kmh)
        return shaft_w * (1 - self.bike.drivetrain.efficiency)

    @property
    def pack_loss_w(self) -> Array:
        """Heat in the pack (W)."""
        return self.battery_current_a**2 * self.bike.battery.resistance_ohm

    @property
    def efficiency(self) -> Array:
        """Road power over pack power, 0 where the pack gives none."""
        given = self.battery_w > 0
        return np.where(given, self.wheel_w / np.where(given, self.battery_w, 1.0), 0.0)


def pull_curve(bike: Bike, tune: Tune, speed_kmh: ArrayLike, conditions: Conditions) -> PullCurve:
    """The pull curve of ``tune`` on ``bike`` at the speeds ``speed_kmh`` (km/h, shape (n,)).

    Raises :class:`~crisp_hornet.core.refusals.NotComputed` for physics this version does not have.
    """
    refuse_uncomputed(bike, tune)
    speed = np.atleast_1d(np.asarray(speed_kmh, float))
    limits = effective_limits(bike, tune)
    guard = tune.battery_guard
    assert limits.battery_current_a.value is not None  # a tune always sets it
    cap = power_cap(
        conditions.rested_v,
        bike.battery.resistance_ohm,
        limits.battery_current_a.value,
        guard.fade_start_v,
        guard.fade_end_v,
        limits.power_w.value,
    )
    solver = _Solver(bike, MotorModel.of(bike, conditions.winding_c), conditions.rested_v, cap)
    share, fading = _torque_share(tune, limits, conditions, speed)
    return solver.solve(speed, share, fading, limits)


def _torque_share(tune: Tune, limits: Limits, conditions: Conditions, speed: Array) -> tuple[Array, NDArray[np.str_]]:
    """The share of the phase limit that heat fade and speed taper leave, and the name of the one at work."""
    guard = tune.heat_guard
    heat = fade(conditions.winding_c, guard.motor_fade_start_c, guard.motor_fade_end_c)
    if conditions.controller_c is not None:
        heat = heat * fade(conditions.controller_c, guard.controller_fade_start_c, guard.controller_fade_end_c)
    taper = np.ones_like(speed)
    if (cap := limits.speed_kmh.value) is not None:
        taper = fade(speed, cap - tune.drive.speed_taper_kmh, cap)
    fading = np.where(taper < np.minimum(heat, 1.0), "speed", np.where(heat < 1.0, "heat", "phase"))
    return heat * taper, fading


@dataclass(frozen=True)
class _Solver:
    bike: Bike
    motor: MotorModel
    rested_v: float
    cap: PowerCap

    def solve(self, speed: Array, share: Array, fading: NDArray[np.str_], limits: Limits) -> PullCurve:
        omega = electrical_speed(self.bike, speed)
        assert limits.phase_current_a.value is not None and limits.motor_rpm.value is not None
        by_phase = share * limits.phase_current_a.value
        by_power = self._iq_at_power(omega, self.cap.power_w)
        iq = np.minimum(by_phase, np.maximum(by_power, 0.0))
        name = np.where(by_phase <= by_power, fading, self.cap.limit)

        idle_v = loaded_voltage(self.rested_v, self.bike.battery.resistance_ohm, self.bike.controller.idle_w)
        reachable = self._voltage_excess(omega, np.zeros_like(omega)) <= 0
        feasible = (self.bike.controller.idle_w <= self.cap.power_w) & ~np.isnan(idle_v) & reachable
        short_of_voltage = feasible & (self._voltage_excess(omega, iq) > 0)
        if short_of_voltage.any():
            iq[short_of_voltage] = self._iq_at_voltage(omega[short_of_voltage], iq[short_of_voltage])
        name = np.where(short_of_voltage | ~reachable, "voltage", name)

        rpm = mechanical_speed(self.bike, speed) * 60 / (2 * math.pi)
        too_fast = rpm > limits.motor_rpm.value * (1 + 1e-12)
        name = np.where(too_fast, "rpm", name)
        running = feasible & ~too_fast
        iq = np.where(running, iq, 0.0)
        idle_w = self.bike.controller.idle_w
        battery_w = np.where(running, self.motor.electrical_power_w(omega, iq), 0.0) + idle_w
        return PullCurve(
            self.bike, self.motor, self.rested_v, speed, iq, running, battery_w, self._pack_v(battery_w), name
        )

    def _pack_v(self, power_w: Array) -> Array:
        return loaded_voltage(self.rested_v, self.bike.battery.resistance_ohm, power_w)

    def _iq_at_power(self, omega: Array, power_w: float) -> Array:
        """The iq at which the pack gives ``power_w``: ``1.5·(R·iq² + omega·psi·iq) + idle = P``."""
        emf = omega * self.motor.psi
        spare = (power_w - self.bike.controller.idle_w) / 1.5
        root = np.sqrt(np.maximum(emf**2 + 4 * self.motor.r_ohm * spare, 0.0))
        # the form without cancellation at high speed, where R·iq is small against the back-EMF
        return 2 * spare / np.maximum(emf + root, 1e-300)

    def _voltage_excess(self, omega: Array, iq: Array) -> Array:
        """Phase voltage needed less available, both squared (V²); positive where it does not fit."""
        available = self._available_v(omega, iq)
        return self.motor.voltage_squared(omega, iq) - available**2

    def _available_v(self, omega: Array, iq: Array) -> Array:
        power = self.motor.electrical_power_w(omega, iq) + self.bike.controller.idle_w
        ceiling = (
            self.rested_v**2 / (4 * self.bike.battery.resistance_ohm) if self.bike.battery.resistance_ohm else math.inf
        )
        pack_v = self._pack_v(np.minimum(power, ceiling))
        return self.bike.controller.modulation_limit * pack_v / math.sqrt(3)

    def _iq_at_voltage(self, omega: Array, iq_above: Array) -> Array:
        """The iq at which the voltage just fits, by Newton from ``iq_above`` where it does not."""
        motor, rb = self.motor, self.bike.battery.resistance_ohm
        gain = self.bike.controller.modulation_limit / math.sqrt(3)
        iq = iq_above * (1 - 1e-9)  # off the point of greatest pack power, where the slope is infinite
        for _ in range(_NEWTON_STEPS):
            available = self._available_v(omega, iq)
            excess = motor.voltage_squared(omega, iq) - available**2
            power_slope = 1.5 * (2 * motor.r_ohm * iq + omega * motor.psi)
            sag_slope = -rb / np.maximum(2 * available / gain - self.rested_v, 1e-12) * power_slope
            slope = (
                2 * (omega * motor.l_h) ** 2 * iq
                + 2 * motor.r_ohm * (motor.r_ohm * iq + omega * motor.psi)
                - 2 * available * gain * sag_slope
            )
            step = excess / np.maximum(slope, 1e-300)
            iq = np.clip(iq - step, 0.0, iq_above)
            if np.all(np.abs(step) <= 1e-9 * (1 + iq)):
                break
        return iq
