"""The three heat nodes of :mod:`~crisp_hornet.core.heat.nodes`, one bike at a time and in plain numbers: exact while losses are held."""

from __future__ import annotations

import math

from crisp_hornet.core.drive.motor import COPPER_PER_K
from crisp_hornet.documents.bike import Bike


class Warmth:
    """Winding, housing and controller (°C) of a bike under way."""

    def __init__(self, bike: Bike, ambient_c: float) -> None:
        self._motor, self._sink = bike.motor.thermal, bike.controller.thermal
        self._winding_ohm, self._stage_ohm = bike.motor.phase_resistance_ohm, bike.controller.resistance_ohm
        self._idle_w, self._ambient_c = bike.controller.idle_w, ambient_c
        self.winding_c = self.housing_c = self.controller_c = ambient_c

    def start(self, winding_c: float | None, controller_c: float | None) -> None:
        """Start warmer: winding with housing, and controller, where they are given (°C)."""
        if winding_c is not None:
            self.winding_c = self.housing_c = float(winding_c)
        if controller_c is not None:
            self.controller_c = float(controller_c)

    def hold(self, seconds: float, phase_a: float, turning_w: float, v: float) -> None:
        """So many seconds at a phase current (A), an iron loss with friction (W) and a road speed (m/s)."""
        thermal, square = self._motor, 1.5 * phase_a * phase_a
        copper_w = square * self._winding_ohm
        between = thermal.winding_to_housing_w_per_k
        to_air = thermal.housing_to_air_w_per_k + thermal.airflow_w_per_k_per_mps * v
        self.winding_c, self.housing_c = _two_nodes(
            (copper_w * COPPER_PER_K - between) / thermal.winding_j_per_k,
            between / thermal.winding_j_per_k,
            between / thermal.housing_j_per_k,
            -(between + to_air) / thermal.housing_j_per_k,
            copper_w * (1 - 25 * COPPER_PER_K) / thermal.winding_j_per_k,
            (turning_w + to_air * self._ambient_c) / thermal.housing_j_per_k,
            (self.winding_c, self.housing_c),
            seconds,
        )
        sinks = self._sink.to_air_w_per_k + self._sink.airflow_w_per_k_per_mps * v
        settles = self._ambient_c + (square * self._stage_ohm + self._idle_w) / sinks
        self.controller_c = settles + (self.controller_c - settles) * math.exp(
            -sinks * seconds / self._sink.heatsink_j_per_k
        )


def _two_nodes(
    a11: float, a12: float, a21: float, a22: float, b1: float, b2: float, start: tuple[float, float], seconds: float
) -> tuple[float, float]:
    """``x' = A·x + b`` after a time: the two time constants of any 2x2 matrix with real roots (here a12·a21 > 0)."""
    trace, determinant = a11 + a22, a11 * a22 - a12 * a21
    root = math.sqrt(max(trace * trace - 4 * determinant, 0.0))
    fast, slow = (trace - root) / 2, (trace + root) / 2
    if abs(determinant) < 1e-15:
        determinant = 1e-15
    rest1, rest2 = (a12 * b2 - a22 * b1) / determinant, (a21 * b1 - a11 * b2) / determinant
    off1, off2 = start[0] - rest1, start[1] - rest2
    gap = slow - fast if slow - fast > 1e-12 else 1e-12
    slow_part = (a11 * off1 + a12 * off2 - fast * off1) / gap
    fast_part = off1 - slow_part
    by_fast, by_slow = math.exp(fast * seconds), math.exp(min(slow * seconds, 50.0))
    return (
        rest1 + fast_part * by_fast + slow_part * by_slow,
        rest2 + (fast_part * (fast - a11) * by_fast + slow_part * (slow - a11) * by_slow) / a12,
    )
