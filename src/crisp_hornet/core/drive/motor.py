"""Permanent-magnet motor in the rotor frame, amplitude-invariant d/q quantities.

Symbols, used everywhere in ``core``:

=========  ==================================================  ======
omega      electrical angular speed                            rad/s
psi        flux linkage of the magnets, peak, per phase        Wb
r_ohm      resistance of a phase path, winding and controller  Ω
ld, lq     inductances; equal for surface magnets              H
i_d, i_q   currents, amplitudes; i_q makes torque              A
=========  ==================================================  ======

Source: P. C. Krause, O. Wasynczuk, S. D. Sudhoff, *Analysis of Electric Machinery*, permanent-magnet
machines in the rotor reference frame, steady state, amplitude-invariant transformation; torque per ampere:
T. M. Jahns, G. B. Kliman, T. W. Neumann, *Interior Permanent-Magnet Synchronous Motors for Adjustable-Speed
Drives*, IEEE Trans. Industry Applications 22 (1986).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from crisp_hornet.core.arrays import Array, Figure
from crisp_hornet.documents.bike import Bike

MAGNET_PER_K = -0.0011  # remanence of neodymium magnets, 1/K
LEAST_FLUX = 0.2  # however hard it saturates, this share of the flux is left
COPPER_PER_K = 0.00385  # temperature coefficient of resistance of copper, referred to 25 °C, 1/K


@dataclass(frozen=True, eq=False)
class MotorModel:
    """The figures the equations need, at one winding temperature. Arguments of its methods broadcast.

    Usually each figure is one number. For many motors at once (see :meth:`stacked`) each is an array (n,), a row a motor; all
    must then be surface-magnet motors, or none.
    """

    pole_pairs: Figure
    winding_ohm: Figure
    controller_ohm: Figure
    ld: Figure
    lq: Figure
    psi: Figure
    hysteresis_w_per_hz: Figure
    eddy_w_per_hz2: Figure
    friction_nm: Figure
    flux_drop: Figure = 0.0
    drop_at_a: Figure = 1.0

    @classmethod
    def of(cls, bike: Bike, winding_c: float = 25.0, magnet_c: float = 25.0) -> MotorModel:
        """The motor of ``bike`` with its winding and its magnets at a temperature (°C)."""
        motor = bike.motor
        return cls(
            pole_pairs=motor.pole_pairs,
            winding_ohm=motor.phase_resistance_ohm * (1 + COPPER_PER_K * (winding_c - 25.0)),
            controller_ohm=bike.controller.resistance_ohm,
            ld=motor.ld_h,
            lq=motor.lq_h,
            psi=motor.flux_linkage_wb * (1 + MAGNET_PER_K * (magnet_c - 25.0)),
            hysteresis_w_per_hz=motor.hysteresis_loss_w_per_hz,
            eddy_w_per_hz2=motor.eddy_loss_w_per_hz2,
            friction_nm=motor.friction_nm,
            flux_drop=motor.saturation.flux_drop if motor.saturation else 0.0,
            drop_at_a=motor.saturation.at_a if motor.saturation else 1.0,
        )

    @classmethod
    def stacked(cls, motors: list[MotorModel], each: int) -> MotorModel:
        """Many motors as one, each for ``each`` rows in turn."""
        return cls(*(np.repeat([getattr(motor, field.name) for motor in motors], each) for field in fields(cls)))

    def reshaped(self, change: Callable[[Array], Array]) -> MotorModel:
        """The same motors with another shape of their figures; nothing to do for one motor."""
        if not isinstance(self.psi, np.ndarray):
            return self
        return MotorModel(*(change(getattr(self, field.name)) for field in fields(self)))

    @cached_property
    def surface(self) -> bool:
        """Whether reluctance makes no torque: surface magnets."""
        return bool(np.all(self.saliency_h == 0))

    @cached_property
    def r_ohm(self) -> Figure:
        """Resistance of a whole phase path, Ω."""
        return self.winding_ohm + self.controller_ohm

    @cached_property
    def saliency_h(self) -> Figure:
        """``ld − lq``, negative for interior magnets (H)."""
        return self.ld - self.lq

    @cached_property
    def saturates(self) -> bool:
        """Whether the flux falls with current."""
        return bool(np.any(np.asarray(self.flux_drop) > 0))

    def flux(self, i_q: Array) -> Figure:
        """Flux linkage of the magnets (Wb) at a torque-making current: less where the iron saturates."""
        if not self.saturates:
            return self.psi
        return self.psi * np.maximum(1 - self.flux_drop * (i_q / self.drop_at_a) ** 2, LEAST_FLUX)

    def torque_nm(self, i_d: Array, i_q: Array) -> Array:
        """Electromagnetic torque, ``1.5·p·(psi + (ld − lq)·id)·iq`` (N·m)."""
        return 1.5 * self.pole_pairs * (self.flux(i_q) + self.saliency_h * i_d) * i_q

    def terminal_power_w(self, omega: Array, i_d: Array, i_q: Array) -> Array:
        """Power into the phase terminals, ``1.5·(vd·id + vq·iq)`` (W)."""
        heat = self.r_ohm * (i_d**2 + i_q**2)
        return 1.5 * (heat + omega * (self.flux(i_q) + self.saliency_h * i_d) * i_q)

    def voltage_squared(self, omega: Array, i_d: Array, i_q: Array) -> Array:
        """Square of the phase voltage amplitude (V²)."""
        v_d = self.r_ohm * i_d - omega * self.lq * i_q
        v_q = self.r_ohm * i_q + omega * (self.ld * i_d + self.flux(i_q))
        return v_d**2 + v_q**2

    def mtpa_id(self, i_q: Array) -> Array:
        """The d-current that gives the most torque per ampere for an i_q (A); 0 for surface magnets.

        ``(psi − √(psi² + 4·(lq − ld)²·iq²))/(2·(lq − ld))``, written without cancellation.
        """
        if self.surface:
            return np.zeros_like(i_q)
        gap, psi = -self.saliency_h, self.flux(i_q)
        return -2 * gap * i_q**2 / (psi + np.sqrt(psi**2 + 4 * gap**2 * i_q**2))

    def mtpa_at_amplitude(self, current_a: float | Array) -> tuple[Array, Array]:
        """(id, iq) of the most torque for a current amplitude (A)."""
        current = np.asarray(current_a, float)
        if self.surface:
            return np.zeros_like(current), current
        gap = -self.saliency_h
        i_d = -2 * gap * current**2 / (self.psi + np.sqrt(self.psi**2 + 8 * gap**2 * current**2))
        return i_d, np.sqrt(np.maximum(current**2 - i_d**2, 0.0))

    def iron_drag_nm(self, omega: Array) -> Array:
        """Torque lost to iron, ``p/2π·(hysteresis + eddy·f)`` (N·m), shape of ``omega``."""
        hz = omega / (2 * math.pi)
        return self.pole_pairs / (2 * math.pi) * (self.hysteresis_w_per_hz + self.eddy_w_per_hz2 * hz)

    def drag_nm(self, omega: Array) -> Array:
        """Iron drag and friction together (N·m)."""
        return self.iron_drag_nm(omega) + self.friction_nm


def electrical_speed(bike: Bike, speed_kmh: ArrayLike) -> Array:
    """Electrical angular speed (rad/s) at a road speed (km/h), same shape."""
    return bike.motor.pole_pairs * mechanical_speed(bike, speed_kmh)


def mechanical_speed(bike: Bike, speed_kmh: ArrayLike) -> Array:
    """Motor shaft speed (rad/s) at a road speed (km/h), same shape."""
    return np.asarray(speed_kmh, float) / 3.6 / wheel_radius_m(bike) * bike.drivetrain.ratio


def wheel_radius_m(bike: Bike) -> float:
    """Rolling radius (m) from the circumference."""
    return bike.drivetrain.wheel_circumference_m / (2 * math.pi)
