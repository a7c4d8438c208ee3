"""What limits a motor, as numbers the search for the most torque works with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array, Figure
from crisp_hornet.core.drive.motor import MotorModel

FITS = 1e-9  # relative violation of the squared voltage that counts as none


@dataclass(frozen=True, eq=False)
class Bounds:
    """What limits the motor. Arrays are (n,) or broadcast to it.

    ``share`` scales the torque-making current (heat fade and speed taper). Pack power must lie between ``least_w`` and
    ``most_w``, both at most the pack's maximum ``E²/4Rb``.
    """

    motor: MotorModel
    rested_v: Figure
    pack_ohm: Figure
    idle_w: float
    voltage_gain: float
    weakening_a: Array
    current_a: Array
    share: Array
    most_w: Array
    least_w: Array

    def rows(self, chosen: NDArray[np.bool_]) -> Bounds:
        """The bounds of some rows only."""
        return replace(
            self._reshaped(lambda figure: figure[chosen]),
            weakening_a=self.weakening_a[chosen],
            current_a=self.current_a[chosen],
            share=self.share[chosen],
            most_w=self.most_w[chosen],
            least_w=self.least_w[chosen],
        )

    def columns(self) -> Bounds:
        """The same with motor and pack standing upright, for arrays of trials (n, k)."""
        return self._reshaped(lambda figure: figure[:, None])

    def taken(self, rows: NDArray[np.intp]) -> Bounds:
        """Motor and pack of :meth:`columns` for single trials, by their rows."""
        return self._reshaped(lambda figure: figure[rows, 0])

    def _reshaped(self, change: Callable[[Array], Array]) -> Bounds:
        pack_ohm = change(self.pack_ohm) if isinstance(self.pack_ohm, np.ndarray) else self.pack_ohm
        rested_v = change(self.rested_v) if isinstance(self.rested_v, np.ndarray) else self.rested_v
        return replace(self, motor=self.motor.reshaped(change), pack_ohm=pack_ohm, rested_v=rested_v)

    def power_w(self, omega: Array, i_d: Array, i_q: Array) -> Array:
        """Power the pack gives (W)."""
        return self.motor.terminal_power_w(omega, i_d, i_q) + self.idle_w

    def voltage_excess(self, omega: Array, i_d: Array, i_q: Array) -> Array:
        """Squared voltage needed less squared voltage there is, relative to the rested pack's (1)."""
        power = self.power_w(omega, i_d, i_q)
        inside = np.maximum(self.rested_v**2 - 4 * power * self.pack_ohm, 0.0)
        pack_v = (self.rested_v + np.sqrt(inside)) / 2
        needed = self.motor.voltage_squared(omega, i_d, i_q)
        return (needed - (self.voltage_gain * pack_v) ** 2) / (self.voltage_gain * self.rested_v) ** 2

    def excess_and_slope(self, omega: Array, i_d: Array, q: Array) -> tuple[Array, Array]:
        """:meth:`voltage_excess` and its derivative by i_d (1/A), sharing what they have in common."""
        motor = self.motor
        r = motor.r_ohm
        v_d = r * i_d - omega * motor.lq * q
        v_q = r * q + omega * (motor.ld * i_d + motor.flux(q))
        power = 1.5 * (v_d * i_d + v_q * q) + self.idle_w
        power_slope = 3 * r * i_d + 1.5 * omega * motor.saliency_h * q
        root = np.sqrt(np.maximum(self.rested_v**2 - 4 * power * self.pack_ohm, 1e-12 * self.rested_v**2))
        gain, scale = self.voltage_gain**2, (self.voltage_gain * self.rested_v) ** 2
        excess = v_d**2 + v_q**2 - gain / 4 * (self.rested_v + root) ** 2
        sag = self.pack_ohm * (self.rested_v / root + 1) * power_slope  # of the squared pack voltage, downwards
        slope = 2 * (r * v_d + omega * motor.ld * v_q) + gain * sag
        return excess / scale, slope / scale

    def excess_by_iq(self, omega: Array, i_d: Array, q: Array) -> Array:
        """Derivative of :meth:`voltage_excess` by i_q (1/A) for a flux that does not saturate."""
        motor = self.motor
        r = motor.r_ohm
        v_d = r * i_d - omega * motor.lq * q
        v_q = r * q + omega * (motor.ld * i_d + motor.psi)
        power = 1.5 * (v_d * i_d + v_q * q) + self.idle_w
        power_slope = 3 * r * q + 1.5 * omega * (motor.psi + motor.saliency_h * i_d)
        root = np.sqrt(np.maximum(self.rested_v**2 - 4 * power * self.pack_ohm, 1e-12 * self.rested_v**2))
        sag = self.pack_ohm * (self.rested_v / root + 1) * power_slope
        slope = 2 * (r * v_q - omega * motor.lq * v_d) + self.voltage_gain**2 * sag
        return slope / (self.voltage_gain * self.rested_v) ** 2


@dataclass(frozen=True, eq=False)
class Point:
    """Currents (n,) of the most torque, and whether anything fits at all."""

    i_d: Array
    i_q: Array
    feasible: NDArray[np.bool_]


def stacked(parts: list[Bounds], each: int) -> Bounds:
    """The bounds of several states of one bike as one, ``each`` rows of each."""
    if len(parts) == 1:
        return parts[0]
    joined = {key: np.concatenate([getattr(part, key) for part in parts]) for key in _BY_ROW}
    first = parts[0]
    return Bounds(
        motor=MotorModel.stacked([part.motor for part in parts], each),
        rested_v=np.repeat([part.rested_v for part in parts], each),
        pack_ohm=first.pack_ohm,
        idle_w=first.idle_w,
        voltage_gain=first.voltage_gain,
        **joined,
    )


_BY_ROW = ("weakening_a", "current_a", "share", "most_w", "least_w")
