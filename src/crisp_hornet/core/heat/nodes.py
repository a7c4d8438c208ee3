"""Heat: winding, housing and controller as three nodes, cooled by the air and by the speed.

::

    Cw·Tw' = Pcu(Tw) − Gwh·(Tw − Th)
    Ch·Th' = Piron + friction·ωm + Gwh·(Tw − Th) − (Gha + gm·v)·(Th − Ta)
    Cs·Ts' = 1.5·Rc·I² + idle − (Gs + gs·v)·(Ts − Ta)          v in m/s

The winding's loss grows with its temperature, ``Pcu = 1.5·R25·(1 + 0.00385·(Tw − 25))·I²``. While current and speed are
held the equations are linear, so they are solved exactly by their two time constants; nothing is stepped.

Source: lumped-parameter thermal networks, e.g. Y. Bertin, *Refroidissement des machines tournantes*; second-order linear
systems with constant input from any textbook on differential equations.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K, MotorModel, mechanical_speed
from crisp_hornet.documents.bike import Bike

LONGEST_S = 4 * 3600.0  # what takes longer counts as never
TIMES_S = np.concatenate(([0.0], np.geomspace(1.0, LONGEST_S, 48)))
CROSSING_STEPS = 9


@dataclass(frozen=True, eq=False)
class Losses:
    """Heat sources while current and speed are held. All arrays (n,).

    Winding loss is ``copper_25_w·(1 + 0.00385·(Tw − 25))``; ``housing_w`` is iron loss and friction; ``stage_w`` the controller's.
    """

    copper_25_w: Array
    housing_w: Array
    stage_w: Array
    speed_mps: Array


def losses(bike: Bike, phase_current_a: ArrayLike, speed_kmh: ArrayLike, ratio: ArrayLike | None = None) -> Losses:
    """Heat sources at a phase current amplitude (A) and a road speed (km/h), in another gear if ``ratio`` says so."""
    current, speed = np.broadcast_arrays(np.asarray(phase_current_a, float), np.asarray(speed_kmh, float))
    motor = MotorModel.of(bike, 25.0)
    turns = np.asarray(bike.drivetrain.ratio if ratio is None else ratio, float)
    shaft = mechanical_speed(bike, speed) / bike.drivetrain.ratio * turns
    drag = motor.drag_nm(bike.motor.pole_pairs * shaft)
    return Losses(
        copper_25_w=1.5 * motor.winding_ohm * current**2,
        housing_w=np.where(speed > 0, drag * shaft, 0.0),
        stage_w=1.5 * motor.controller_ohm * current**2 + bike.controller.idle_w,
        speed_mps=speed / 3.6,
    )


@dataclass(frozen=True)
class Temperatures:
    """Winding, housing and controller (°C)."""

    winding_c: float = 25.0
    housing_c: float = 25.0
    controller_c: float = 25.0


class HeldHeat:
    """The course of temperature while losses are held, from one start, at one ambient (°C). Vectorised over (n,)."""

    def __init__(self, bike: Bike, held: Losses, start: Temperatures | None = None, ambient_c: float = 25.0) -> None:
        start = start or Temperatures(ambient_c, ambient_c, ambient_c)
        thermal, sink = bike.motor.thermal, bike.controller.thermal
        to_air = thermal.housing_to_air_w_per_k + thermal.airflow_w_per_k_per_mps * held.speed_mps
        between = thermal.winding_to_housing_w_per_k
        # x' = A·x + b for x = (Tw, Th)
        grows = COPPER_PER_K * held.copper_25_w
        self._a11, self._a12 = (grows - between) / thermal.winding_j_per_k, between / thermal.winding_j_per_k
        self._a21, self._a22 = between / thermal.housing_j_per_k, -(between + to_air) / thermal.housing_j_per_k
        self._b1 = held.copper_25_w * (1 - 25 * COPPER_PER_K) / thermal.winding_j_per_k
        self._b2 = (held.housing_w + to_air * ambient_c) / thermal.housing_j_per_k
        self._start = start
        self._solve()
        self._sink_rate = (sink.to_air_w_per_k + sink.airflow_w_per_k_per_mps * held.speed_mps) / sink.heatsink_j_per_k
        self.controller_settles_c = ambient_c + held.stage_w / (self._sink_rate * sink.heatsink_j_per_k)

    def _solve(self) -> None:
        """Steady state and the two exponentials of the winding and the housing."""
        trace, determinant = self._a11 + self._a22, self._a11 * self._a22 - self._a12 * self._a21
        root = np.sqrt(np.maximum(trace**2 - 4 * determinant, 0.0))  # never complex: a12·a21 > 0
        self._fast, self._slow = (trace - root) / 2, (trace + root) / 2
        safe = np.where(np.abs(determinant) < 1e-18, 1e-18, determinant)
        self._winding_rest = (self._a12 * self._b2 - self._a22 * self._b1) / safe
        self._housing_rest = (self._a21 * self._b1 - self._a11 * self._b2) / safe
        winding_off, housing_off = (
            self._start.winding_c - self._winding_rest,
            self._start.housing_c - self._housing_rest,
        )
        slope = self._a11 * winding_off + self._a12 * housing_off
        gap = np.where(np.abs(self._slow - self._fast) < 1e-15, 1e-15, self._slow - self._fast)
        self._slow_part = (slope - self._fast * winding_off) / gap
        self._fast_part = winding_off - self._slow_part

    @property
    def runs_away(self) -> NDArray[np.bool_]:
        """Where the winding never settles: its loss grows faster than the heat can leave. (n,) of bool."""
        return np.asarray(self._slow >= 0)

    @property
    def winding_settles_c(self) -> Array:
        """Winding temperature (°C) after a very long time; infinite where it runs away."""
        return np.where(self.runs_away, np.inf, self._winding_rest)

    def winding_c(self, time_s: ArrayLike) -> Array:
        """Winding temperature (°C) after a time (s); shapes broadcast with (n,)."""
        return self._course(time_s, self._winding_rest, self._fast_part, self._slow_part)

    def housing_c(self, time_s: ArrayLike) -> Array:
        """Housing temperature (°C) after a time (s)."""
        fast = self._fast_part * (self._fast - self._a11) / self._a12
        slow = self._slow_part * (self._slow - self._a11) / self._a12
        return self._course(time_s, self._housing_rest, fast, slow)

    def controller_c(self, time_s: ArrayLike) -> Array:
        """Controller temperature (°C) after a time (s)."""
        off = self._start.controller_c - self.controller_settles_c
        fallen: Array = off * np.exp(-self._sink_rate * np.asarray(time_s, float))
        return self.controller_settles_c + fallen

    def _course(self, time_s: ArrayLike, rest: Array, fast: Array, slow: Array) -> Array:
        time = np.asarray(time_s, float)
        with np.errstate(over="ignore"):
            course: Array = rest + fast * np.exp(self._fast * time) + slow * np.exp(self._slow * time)
        return course

    def seconds_until_winding(self, limit_c: float) -> Array:
        """Time (s, (n,)) until the winding first reaches ``limit_c`` from below (or from above while cooling); inf if never.

        The first crossing is bracketed on a fixed row of times, then narrowed by the regula falsi (Illinois).
        """
        sign = 1.0 if self._start.winding_c < limit_c else -1.0
        columns = [np.atleast_1d(one)[:, None] for one in (self._fast, self._slow, self._fast_part, self._slow_part)]
        fast, slow, fast_part, slow_part = columns
        rest = np.atleast_1d(self._winding_rest)[:, None]

        def beyond(time: Array) -> Array:
            past: Array = sign * (rest + fast_part * np.exp(fast * time) + slow_part * np.exp(slow * time) - limit_c)
            return past

        with np.errstate(over="ignore", invalid="ignore", divide="ignore"):
            there = beyond(TIMES_S[None, :]) >= 0
            reached = there.any(axis=1)
            first = np.where(reached, np.argmax(there, axis=1), 1)
            low, high = TIMES_S[np.maximum(first - 1, 0)][:, None], TIMES_S[first][:, None]
            below, above = beyond(low), beyond(high)
            for _ in range(CROSSING_STEPS):
                middle = np.where(above > below, (low * above - high * below) / (above - below), high)
                value = beyond(middle)
                up = value >= 0
                below, above = np.where(up, below / 2, value), np.where(up, value, above / 2)
                low, high = np.where(up, low, middle), np.where(up, middle, high)
        return np.where(reached, high[:, 0], np.inf).reshape(np.shape(self._fast))

    def seconds_until_controller(self, limit_c: float) -> Array:
        """Time (s, (n,)) until the controller reaches ``limit_c``; inf if never."""
        with np.errstate(divide="ignore", invalid="ignore"):  # nothing heats it: it stays where it is
            share = np.divide(limit_c - self.controller_settles_c, self._start.controller_c - self.controller_settles_c)
        ok = (share > 0) & (share <= 1)
        return np.where(ok, -np.log(np.where(ok, share, 1.0)) / self._sink_rate, np.inf)


def continuous_current_a(
    bike: Bike, speed_kmh: ArrayLike, winding_limit_c: float, controller_limit_c: float, ambient_c: float
) -> Array:
    """The phase current (A, (n,)) that can be held for ever with winding and controller just at their limits.

    From the steady state: ``Tw − Ta = Pcu·(1/Gwh + 1/G) + Phousing/G`` with ``G = Gha + gm·v``.
    """
    none = losses(bike, 0.0, speed_kmh)
    thermal, sink = bike.motor.thermal, bike.controller.thermal
    to_air = thermal.housing_to_air_w_per_k + thermal.airflow_w_per_k_per_mps * none.speed_mps
    room = winding_limit_c - ambient_c - none.housing_w / to_air
    copper_w = room / (1 / thermal.winding_to_housing_w_per_k + 1 / to_air)
    winding_ohm = MotorModel.of(bike, winding_limit_c).winding_ohm
    by_motor = np.sqrt(np.maximum(copper_w, 0.0) / (1.5 * winding_ohm))
    stage_w = (sink.to_air_w_per_k + sink.airflow_w_per_k_per_mps * none.speed_mps) * (controller_limit_c - ambient_c)
    spare = np.maximum(stage_w - bike.controller.idle_w, 0.0)
    stage_ohm = bike.controller.resistance_ohm
    by_stage = np.sqrt(spare / (1.5 * stage_ohm)) if stage_ohm > 0 else np.full_like(spare, np.inf)
    return np.minimum(by_motor, by_stage)
