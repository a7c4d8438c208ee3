"""The most torque inside all limits, for any motor, at any speed.

For one i_q every limit leaves an interval of i_d: the band and the current circle plainly, pack power because it is
a convex parabola of i_d, and the voltage because the voltage needed is convex in i_d while the voltage left by
the sagging pack is concave. Torque at fixed i_q is monotone in i_d, so the best i_d is one end of that interval.
What remains is one unknown, i_q. It is scanned over its whole range, then the surroundings of the best place are
scanned ever finer: no starting guess, no derivative, so it cannot settle on a lesser maximum wider than a step of
the first scan. Where nothing fits, the scan follows the least violation instead, so that a sliver is still found.

Everything is vectorised over speeds (n,) and, inside, over trial currents (n, k).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.motor import Array, Figure, MotorModel

FIRST_SCAN = 40
FINE_SCAN = 33  # few wide scans are faster than many narrow ones: each costs its calls, hardly its points
FINE_LEVELS = 4
NEWTON_STEPS = 14
FITS = 1e-9  # relative violation of the squared voltage that counts as none


@dataclass(frozen=True, eq=False)
class Bounds:
    """What limits the motor. Arrays are (n,) or broadcast to it.

    ``share`` scales the torque-making current (heat fade and speed taper). Pack power must lie between ``least_w`` and
    ``most_w``, both at most the pack's maximum ``E²/4Rb``.
    """

    motor: MotorModel
    rested_v: float
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
        return replace(self, motor=self.motor.reshaped(change), pack_ohm=pack_ohm)

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


@dataclass(frozen=True, eq=False)
class Point:
    """Currents (n,) of the most torque, and whether anything fits at all."""

    i_d: Array
    i_q: Array
    feasible: NDArray[np.bool_]


def most_torque(bounds: Bounds, omega: Array, sign: float = 1.0) -> Point:
    """The greatest driving torque (``sign`` 1) or braking torque (−1) at each speed ``omega`` (n,)."""
    plain = sign > 0 and not bounds.motor.saturates  # then there is a formula wherever the voltage does not matter
    quick, settled = _unhindered(bounds, omega) if plain else (None, np.zeros(omega.shape, bool))
    i_d, i_q, feasible = np.zeros_like(omega), np.zeros_like(omega), settled.copy()
    if quick is not None:
        i_d[settled], i_q[settled] = quick[0][settled], quick[1][settled]
    rest = ~settled
    if plain and bounds.motor.surface and not np.any(bounds.weakening_a > 0):
        rest_q, feasible[rest] = _without_weakening(bounds.rows(rest), omega[rest])
        i_q[rest] = rest_q
    elif rest.any():
        found = _scan(bounds.rows(rest), omega[rest], sign)
        i_d[rest], i_q[rest], feasible[rest] = found.i_d, found.i_q, found.feasible
    return Point(i_d, i_q, feasible)


def _unhindered(bounds: Bounds, omega: Array) -> tuple[tuple[Array, Array], NDArray[np.bool_]]:
    """The best point where the voltage does not matter: on the curve of most torque per ampere, up to the current limit
    or the pack's power, whichever comes first. Says where that is the answer."""
    motor = bounds.motor
    _, top = motor.mtpa_at_amplitude(bounds.current_a)
    if motor.surface:
        top = bounds.share * bounds.current_a
    i_q = _iq_at_power(bounds, omega, top)
    i_d = motor.mtpa_id(i_q)
    good = (bounds.voltage_excess(omega, i_d, i_q) <= 0) & (bounds.idle_w <= bounds.most_w)
    if not motor.surface:
        good &= bounds.share >= 1.0  # a fade acts on i_q alone: off that curve there may be more torque
    return (i_d, i_q), good


def _iq_at_power(bounds: Bounds, omega: Array, top: Array) -> Array:
    """The largest i_q up to ``top`` on the torque-per-ampere curve that the pack's power allows."""
    motor = bounds.motor
    emf = omega * motor.psi
    spare = np.maximum((bounds.most_w - bounds.idle_w) / 1.5, 0.0)
    # for surface magnets exact, for others a start from above: saliency only adds power
    i_q = np.minimum(top, 2 * spare / np.maximum(emf + np.sqrt(emf**2 + 4 * motor.r_ohm * spare), 1e-300))
    if motor.surface:
        return i_q
    for _ in range(NEWTON_STEPS):
        over = bounds.power_w(omega, motor.mtpa_id(i_q), i_q) - bounds.most_w
        step = 1e-6 * np.maximum(i_q, 1e-3)
        slope = (bounds.power_w(omega, motor.mtpa_id(i_q + step), i_q + step) - bounds.most_w - over) / step
        i_q = np.where(over > 0, np.maximum(i_q - over / np.maximum(slope, 1e-300), 0.0), i_q)
    return i_q * (1 - 1e-12)


def _without_weakening(bounds: Bounds, omega: Array) -> tuple[Array, NDArray[np.bool_]]:
    """Surface magnets, i_d = 0: the i_q up to which the voltage fits, and whether it fits at all.

    The excess of voltage is convex in i_q and rises, so Newton's method from above converges monotonically.
    """
    motor, zero = bounds.motor, np.zeros_like(omega)
    feasible = (bounds.voltage_excess(omega, zero, zero) <= 0) & (bounds.idle_w <= bounds.most_w)
    top = _iq_at_power(bounds, omega, bounds.share * bounds.current_a)
    i_q = top * (1 - 1e-9)  # off the point of greatest pack power, where the slope is infinite
    for _ in range(4 * NEWTON_STEPS):
        v_q = motor.r_ohm * i_q + omega * motor.psi
        power_slope = 1.5 * (2 * motor.r_ohm * i_q + omega * motor.psi)
        inside = bounds.rested_v**2 - 4 * bounds.power_w(omega, zero, i_q) * bounds.pack_ohm
        root = np.sqrt(np.maximum(inside, 1e-12 * bounds.rested_v**2))
        sag = bounds.pack_ohm * (bounds.rested_v / root + 1) * power_slope
        slope = 2 * (omega * motor.lq) ** 2 * i_q + 2 * motor.r_ohm * v_q + bounds.voltage_gain**2 * sag
        excess = bounds.voltage_excess(omega, zero, i_q) * (bounds.voltage_gain * bounds.rested_v) ** 2
        moved = np.clip(i_q - np.maximum(excess, 0.0) / np.maximum(slope, 1e-300), 0.0, top)
        if np.all(np.abs(moved - i_q) <= 1e-9 * (1 + i_q)):
            break
        i_q = moved
    return np.where(feasible, moved, 0.0), feasible


def _scan(bounds: Bounds, omega: Array, sign: float) -> Point:
    """Scan i_q coarsely over its whole range, then ever finer around the best."""
    rows = np.arange(omega.size)
    wide = bounds.columns()
    low, high = np.zeros_like(omega), np.ones_like(omega)
    top = (bounds.share * bounds.current_a)[:, None]
    # with surface magnets more i_q is always more torque and the fitting ones are one interval: no need to look closely
    first = FINE_SCAN if bounds.motor.surface else FIRST_SCAN
    steps = np.concatenate(([1e-7], np.arange(1, first + 1) / first))
    best_score = np.full(omega.shape, -np.inf)
    best_d, best_q = np.zeros_like(omega), np.zeros_like(omega)
    for level in range(FINE_LEVELS + 1):
        shares = low[:, None] + (high - low)[:, None] * (steps if level == 0 else np.linspace(0, 1, FINE_SCAN))
        i_q = shares * top
        i_d, score = _best_id(wide, omega[:, None], i_q, sign)
        pick = np.argmax(score, axis=1)
        better = score[rows, pick] > best_score
        best_score = np.where(better, score[rows, pick], best_score)
        best_d = np.where(better, i_d[rows, pick], best_d)
        best_q = np.where(better, i_q[rows, pick], best_q)
        low = shares[rows, np.maximum(pick - 1, 0)]
        high = shares[rows, np.minimum(pick + 1, shares.shape[1] - 1)]
    feasible = best_score >= 0
    return Point(np.where(feasible, best_d, 0.0), np.where(feasible, sign * best_q, 0.0), feasible)


def _best_id(bounds: Bounds, omega: Array, i_q: Array, sign: float) -> tuple[Array, Array]:
    """For each trial i_q (n, k; a magnitude) the best i_d, and a score: torque where it fits, else minus the violation."""
    motor, q = bounds.motor, sign * i_q
    low, high, violation = _interval(bounds, omega, i_q, q)
    upwards = bool(np.all(motor.saliency_h < 0))  # the lower end gives more torque: search it upwards from there
    i_d = np.minimum(low, high) if upwards else np.maximum(low, high)
    i_d, excess = _to_voltage(bounds, omega, i_d, q, low, high, upwards)
    violation = np.maximum(violation, np.where(excess > FITS, excess, 0.0))
    if sign < 0:
        i_d, short = _past_charge_limit(bounds, omega, i_d, q, low, high, upwards)
        violation = np.maximum(violation, short)
    torque = np.abs(motor.torque_nm(i_d, i_q))
    return i_d, np.where(violation > 0, -1e-300 - violation, torque)


def _interval(bounds: Bounds, omega: Array, i_q: Array, q: Array) -> tuple[Array, Array, Array]:
    """The i_d that band, current circle and pack power leave, and by how much they contradict each other (0: not)."""
    motor = bounds.motor
    middle = motor.mtpa_id(i_q)
    share = bounds.share[:, None]
    unfaded = np.where(share > 0, i_q / np.where(share > 0, share, 1.0), 0.0)
    circle = np.sqrt(np.maximum(bounds.current_a[:, None] ** 2 - unfaded**2, 0.0))
    low, high = np.maximum(middle - bounds.weakening_a[:, None], -circle), np.minimum(middle, circle)
    # 1.5·R·id² + 1.5·omega·(ld − lq)·iq·id + … ≤ most power
    a, b = 1.5 * motor.r_ohm, 1.5 * omega * motor.saliency_h * q
    rest = 1.5 * (motor.r_ohm * q**2 + omega * motor.flux(q) * q) + bounds.idle_w - bounds.most_w[:, None]
    inside = b**2 - 4 * a * rest
    reach = np.sqrt(np.maximum(inside, 0.0))
    low, high = np.maximum(low, (-b - reach) / (2 * a)), np.minimum(high, (-b + reach) / (2 * a))
    scale = np.maximum(bounds.current_a[:, None], 1e-9)
    violation = np.maximum((low - high) / scale, np.where(inside < 0, -inside / (2 * a * scale) ** 2, 0.0))
    return low, high, np.where(violation > 1e-12, violation, 0.0)


def _to_voltage(
    bounds: Bounds, omega: Array, i_d: Array, q: Array, low: Array, high: Array, upwards: bool
) -> tuple[Array, Array]:
    """Move i_d from its end of the interval inwards until the voltage fits, by Newton on a convex function: from outside
    it converges monotonically. Returns i_d and the excess that is left (over 0: it never fits)."""
    excess = bounds.voltage_excess(omega, i_d, q)
    todo = np.flatnonzero(excess > FITS)
    if todo.size == 0:
        return i_d, excess
    i_d, excess = i_d.copy(), excess.copy()
    x, e = i_d.ravel(), excess.ravel()  # views: written through
    flat_omega = np.broadcast_to(omega, i_d.shape).ravel()[todo]
    flat_q, end = q.ravel()[todo], (high if upwards else low).ravel()[todo]
    at, row = x[todo], todo // i_d.shape[1]
    value, slope = _excess_and_slope(bounds.taken(row), flat_omega, at, flat_q)
    for _ in range(NEWTON_STEPS):
        inwards = slope < 0 if upwards else slope > 0  # where it rises inwards no voltage will ever do
        if not inwards.all():
            todo, at, value, slope = todo[inwards], at[inwards], value[inwards], slope[inwards]
            flat_omega, flat_q, end, row = flat_omega[inwards], flat_q[inwards], end[inwards], row[inwards]
        moved = at - value / slope
        at = np.minimum(moved, end) if upwards else np.maximum(moved, end)
        value, slope = _excess_and_slope(bounds.taken(row), flat_omega, at, flat_q)
        x[todo], e[todo] = at, value
        going = (value > FITS) & (at == moved)
        if not going.any():
            break
        todo, at, value, slope = todo[going], at[going], value[going], slope[going]
        flat_omega, flat_q, end, row = flat_omega[going], flat_q[going], end[going], row[going]
    return x.reshape(i_d.shape), e.reshape(excess.shape)


def _excess_and_slope(bounds: Bounds, omega: Array, i_d: Array, q: Array) -> tuple[Array, Array]:
    """:meth:`Bounds.voltage_excess` and its derivative by i_d (1/A), sharing what they have in common."""
    motor = bounds.motor
    r = motor.r_ohm
    v_d = r * i_d - omega * motor.lq * q
    v_q = r * q + omega * (motor.ld * i_d + motor.flux(q))
    power = 1.5 * (v_d * i_d + v_q * q) + bounds.idle_w
    power_slope = 3 * r * i_d + 1.5 * omega * motor.saliency_h * q
    root = np.sqrt(np.maximum(bounds.rested_v**2 - 4 * power * bounds.pack_ohm, 1e-12 * bounds.rested_v**2))
    gain, scale = bounds.voltage_gain**2, (bounds.voltage_gain * bounds.rested_v) ** 2
    excess = v_d**2 + v_q**2 - gain / 4 * (bounds.rested_v + root) ** 2
    sag = bounds.pack_ohm * (bounds.rested_v / root + 1) * power_slope  # of the squared pack voltage, downwards
    slope = 2 * (r * v_d + omega * motor.ld * v_q) + gain * sag
    return excess / scale, slope / scale


def _past_charge_limit(
    bounds: Bounds, omega: Array, i_d: Array, q: Array, low: Array, high: Array, upwards: bool
) -> tuple[Array, Array]:
    """When braking, the pack must not be charged beyond its limit: power ≥ ``least_w``, which leaves out an open interval of
    i_d. If the best i_d lies in it, go on to its far end: d-current burns in the winding what the pack may not take."""
    motor = bounds.motor
    a, b = 1.5 * motor.r_ohm, 1.5 * omega * motor.saliency_h * q
    rest = 1.5 * (motor.r_ohm * q**2 + omega * motor.flux(q) * q) + bounds.idle_w - bounds.least_w[:, None]
    reach = np.sqrt(np.maximum(b**2 - 4 * a * rest, 0.0))
    first, last = (-b - reach) / (2 * a), (-b + reach) / (2 * a)
    forbidden = (i_d > first) & (i_d < last)
    far = last if upwards else first
    moved = np.where(forbidden, far, i_d)
    outside = (moved > high + 1e-12) | (moved < low - 1e-12) | (bounds.voltage_excess(omega, moved, q) > FITS)
    short = np.maximum(bounds.least_w[:, None] - bounds.power_w(omega, i_d, q), 0.0) / np.maximum(
        np.abs(bounds.least_w[:, None]), 1.0
    )
    return moved, np.where(forbidden & outside, np.maximum(short, 1e-9), 0.0)
