"""A motor at one speed and force, in plain numbers: what a ride asks thousands of times, one after the other.

The same equations as :mod:`~crisp_hornet.core.drive.part_load`: the most torque per ampere where the voltage allows it, else the least
further weakening that brings the voltage down, by Newton's method along the curve of one torque. The voltage that is short is convex in
i_d there, so that from the side where it is short Newton's steps never go beyond the place looked for.
"""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.motor import COPPER_PER_K, MotorModel, wheel_radius_m
from crisp_hornet.documents.bike import Bike

NODES, NEWTON_STEPS, NEAR_V, MARGIN = 257, 14, 1e-4, 1.3


class Machine:
    """Motor, controller, pack and gearing of a bike in one gear."""

    def __init__(self, bike: Bike, ratio: float, most_a: float) -> None:
        motor, drivetrain = bike.motor, bike.drivetrain
        self.ratio = ratio
        self._pairs, self._ohm_25, self._stage_ohm = (
            motor.pole_pairs,
            motor.phase_resistance_ohm,
            bike.controller.resistance_ohm,
        )
        self._ld, self._lq = motor.ld_h, motor.lq_h
        self._friction_nm, self._idle_w = motor.friction_nm, bike.controller.idle_w
        self._hysteresis, self._eddy = motor.hysteresis_loss_w_per_hz, motor.eddy_loss_w_per_hz2
        self._efficiency, self._gain = drivetrain.efficiency, ratio / wheel_radius_m(bike)
        self._pack_ohm, self._modulated = bike.battery.resistance_ohm, bike.controller.modulation_limit / math.sqrt(3)
        model = MotorModel.of(bike)
        i_q = np.linspace(0.0, MARGIN * max(most_a, 1.0), NODES)
        i_d = model.mtpa_id(i_q)
        torque = model.torque_nm(i_d, i_q)
        rows = np.linspace(0.0, float(torque.max()), NODES)
        self._per_nm = (NODES - 1) / float(torque.max())
        self._iq, self._id = np.interp(rows, torque, i_q).tolist(), np.interp(rows, torque, i_d).tolist()
        self._flux = float(model.psi)
        self._drop = float(model.flux_drop / model.drop_at_a**2)

    def drag_nm(self, v: float) -> float:
        """Iron drag and friction (N·m) at a road speed (m/s)."""
        hz = v * self._gain * self._pairs / (2 * math.pi)
        return self._pairs / (2 * math.pi) * (self._hysteresis + self._eddy * hz) + self._friction_nm

    def drag_n(self, v: float) -> float:
        """What the undriven motor takes at the road (N)."""
        return self.drag_nm(v) * self._gain / self._efficiency

    def turns_w(self, v: float) -> float:
        """Iron loss and friction (W) while it turns."""
        return self.drag_nm(v) * v * self._gain

    def driving_w(self, v: float, force_n: float, phase_a: float, winding_c: float) -> float:
        """Power from the pack (W) at a force and a phase current, whatever its direction: what the shaft gives, and the heat."""
        along = self._efficiency if force_n > 0 else 1 / self._efficiency
        shaft_w = v * (force_n / along + self.drag_nm(v) * self._gain)
        return 1.5 * self._ohm(winding_c) * phase_a * phase_a + (shaft_w if phase_a > 0 else 0.0) + self._idle_w

    def _ohm(self, winding_c: float) -> float:
        return self._ohm_25 * (1 + COPPER_PER_K * (winding_c - 25.0)) + self._stage_ohm

    def point(self, v: float, force_n: float, rested_v: float, winding_c: float) -> tuple[float, float]:
        """(power from the pack W, phase current A) for a force at the road, negative where the motor brakes; NaN where no voltage does."""
        along = self._efficiency if force_n > 0 else 1 / self._efficiency
        torque = force_n / (self._gain * along) + self.drag_nm(v)
        i_d, i_q = self._least(abs(torque))
        i_q = self._iq_at(i_d, torque, math.copysign(i_q, torque))  # the table's own is a hair off
        ohm = self._ohm(winding_c)
        omega, shaft_w = v * self._gain * self._pairs, v * self._gain * torque
        short = self._short(i_d, i_q, omega, ohm, shaft_w, rested_v)
        for _ in range(NEWTON_STEPS):
            if short <= NEAR_V:
                break
            step = 1e-4 * (1.0 + abs(i_d))
            below = i_d - step
            falls = (short - self._short(below, self._iq_at(below, torque, i_q), omega, ohm, shaft_w, rested_v)) / step
            if not falls > 1e-9:
                return math.nan, math.nan
            i_d -= short / falls
            i_q = self._iq_at(i_d, torque, i_q)
            short = self._short(i_d, i_q, omega, ohm, shaft_w, rested_v)
        if not short <= 0.05:
            return math.nan, math.nan
        square = i_d * i_d + i_q * i_q
        return 1.5 * ohm * square + shaft_w + self._idle_w, math.sqrt(square)

    def _least(self, torque: float) -> tuple[float, float]:
        """(id, iq) of the most torque per ampere; beyond the last node straight on."""
        place = torque * self._per_nm
        low = min(int(place), NODES - 2)
        part = place - low
        return (
            self._id[low] + part * (self._id[low + 1] - self._id[low]),
            self._iq[low] + part * (self._iq[low + 1] - self._iq[low]),
        )

    def _flux_at(self, i_q: float) -> float:
        return self._flux * max(1 - self._drop * i_q * i_q, 0.2) if self._drop else self._flux

    def _iq_at(self, i_d: float, torque: float, i_q: float) -> float:
        """The i_q that makes a torque at an i_d; where the iron saturates, by fixed-point iteration from the one before."""
        linkage = (self._ld - self._lq) * i_d
        for _ in range(12 if self._drop else 1):
            i_q = torque / (1.5 * self._pairs * (self._flux_at(i_q) + linkage))
        return i_q

    def _short(self, i_d: float, i_q: float, omega: float, ohm: float, shaft_w: float, rested_v: float) -> float:
        """By how many volts the phase voltage exceeds what the sagging pack leaves."""
        v_d = ohm * i_d - omega * self._lq * i_q
        v_q = ohm * i_q + omega * (self._ld * i_d + self._flux_at(i_q))
        watts = 1.5 * ohm * (i_d * i_d + i_q * i_q) + shaft_w + self._idle_w
        inside = rested_v * rested_v - 4 * self._pack_ohm * watts
        if inside < 0:
            return math.inf
        return math.hypot(v_d, v_q) - self._modulated * (rested_v + math.sqrt(inside)) / 2
