"""Surface-magnet motor in the rotor frame, amplitude-invariant d/q quantities.

Symbols, used everywhere in ``core``:

=========  ==================================================  ======
omega      electrical angular speed                            rad/s
psi        flux linkage of the magnets, peak, per phase        Wb
r_ohm      resistance of a phase path, winding and controller  Ω
l_h        inductance, ld = lq                                 H
iq         torque-making current, an amplitude                 A
=========  ==================================================  ======

Source: P. C. Krause, O. Wasynczuk, S. D. Sudhoff, *Analysis of Electric Machinery*, permanent-magnet
machines in the rotor reference frame, steady state, amplitude-invariant transformation.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from crisp_hornet.documents.bike import Bike

Array = NDArray[np.float64]
COPPER_PER_K = 0.00385  # temperature coefficient of resistance of copper, referred to 25 °C, 1/K


@dataclass(frozen=True)
class MotorModel:
    """The figures the equations need, at one winding temperature."""

    pole_pairs: int
    winding_ohm: float
    controller_ohm: float
    l_h: float
    psi: float
    hysteresis_w_per_hz: float
    eddy_w_per_hz2: float
    friction_nm: float

    @classmethod
    def of(cls, bike: Bike, winding_c: float = 25.0) -> MotorModel:
        """The motor of ``bike`` with its winding at ``winding_c`` (°C)."""
        motor = bike.motor
        return cls(
            pole_pairs=motor.pole_pairs,
            winding_ohm=motor.phase_resistance_ohm * (1 + COPPER_PER_K * (winding_c - 25.0)),
            controller_ohm=bike.controller.resistance_ohm,
            l_h=motor.lq_h,
            psi=motor.flux_linkage_wb,
            hysteresis_w_per_hz=motor.hysteresis_loss_w_per_hz,
            eddy_w_per_hz2=motor.eddy_loss_w_per_hz2,
            friction_nm=motor.friction_nm,
        )

    @property
    def r_ohm(self) -> float:
        """Resistance of a whole phase path, Ω."""
        return self.winding_ohm + self.controller_ohm

    @property
    def torque_per_a(self) -> float:
        """Electromagnetic torque per ampere of iq, ``1.5·p·psi`` (N·m/A)."""
        return 1.5 * self.pole_pairs * self.psi

    def electrical_power_w(self, omega: Array, iq: Array) -> Array:
        """Power into the phase terminals with id = 0, ``1.5·vq·iq`` (W); shapes broadcast."""
        return 1.5 * (self.r_ohm * iq**2 + omega * self.psi * iq)

    def voltage_squared(self, omega: Array, iq: Array) -> Array:
        """Square of the phase voltage amplitude with id = 0 (V²); shapes broadcast."""
        return (omega * self.l_h * iq) ** 2 + (self.r_ohm * iq + omega * self.psi) ** 2

    def iron_drag_nm(self, omega: Array) -> Array:
        """Torque lost to iron, ``p/2π·(hysteresis + eddy·f)`` (N·m), shape of ``omega``."""
        hz = omega / (2 * math.pi)
        return self.pole_pairs / (2 * math.pi) * (self.hysteresis_w_per_hz + self.eddy_w_per_hz2 * hz)

    def shaft_torque_nm(self, omega: Array, iq: Array) -> Array:
        """Torque at the shaft: electromagnetic less iron drag and friction (N·m)."""
        return self.torque_per_a * iq - self.iron_drag_nm(omega) - self.friction_nm

    def current_for_shaft_torque(self, omega: Array, torque_nm: Array) -> Array:
        """The iq (A) that gives ``torque_nm`` at the shaft; negative where the motor would brake."""
        return (torque_nm + self.iron_drag_nm(omega) + self.friction_nm) / self.torque_per_a


def electrical_speed(bike: Bike, speed_kmh: ArrayLike) -> Array:
    """Electrical angular speed (rad/s) at a road speed (km/h), same shape."""
    return bike.motor.pole_pairs * mechanical_speed(bike, speed_kmh)


def mechanical_speed(bike: Bike, speed_kmh: ArrayLike) -> Array:
    """Motor shaft speed (rad/s) at a road speed (km/h), same shape."""
    return np.asarray(speed_kmh, float) / 3.6 / wheel_radius_m(bike) * bike.drivetrain.ratio


def wheel_radius_m(bike: Bike) -> float:
    """Rolling radius (m) from the circumference."""
    return bike.drivetrain.wheel_circumference_m / (2 * math.pi)
