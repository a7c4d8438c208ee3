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

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.bounds import FITS, Bounds, Point
from crisp_hornet.core.drive.surface_magnets import iq_at_power, most_of_surface

FIRST_SCAN = 40
FINE_SCAN = 17
FINE_LEVELS = 4
NEWTON_STEPS = 14


def most_torque(bounds: Bounds, omega: Array, sign: float = 1.0) -> Point:
    """The greatest driving torque (``sign`` 1) or braking torque (−1) at each speed ``omega`` (n,)."""
    plain = sign > 0 and not bounds.motor.saturates  # then there is a formula wherever the voltage does not matter
    quick, settled = _unhindered(bounds, omega) if plain else (None, np.zeros(omega.shape, bool))
    i_d, i_q, feasible = np.zeros_like(omega), np.zeros_like(omega), settled.copy()
    if quick is not None:
        i_d[settled], i_q[settled] = quick[0][settled], quick[1][settled]
    rest = ~settled
    if rest.any():
        some, at = bounds.rows(rest), omega[rest]
        found = most_of_surface(some, at) if plain and bounds.motor.surface else _scan(some, at, sign)
        i_d[rest], i_q[rest], feasible[rest] = found.i_d, found.i_q, found.feasible
    return Point(i_d, i_q, feasible)


def _unhindered(bounds: Bounds, omega: Array) -> tuple[tuple[Array, Array], NDArray[np.bool_]]:
    """The best point where the voltage does not matter: on the curve of most torque per ampere, up to the current limit
    or the pack's power, whichever comes first. Says where that is the answer."""
    motor = bounds.motor
    _, top = motor.mtpa_at_amplitude(bounds.current_a)
    if motor.surface:
        top = bounds.share * bounds.current_a
    i_q = iq_at_power(bounds, omega, top) if motor.surface else _iq_on_mtpa(bounds, omega, top)
    i_d = motor.mtpa_id(i_q)
    good = (bounds.voltage_excess(omega, i_d, i_q) <= 0) & (bounds.idle_w <= bounds.most_w)
    if not motor.surface:
        good &= bounds.share >= 1.0  # a fade acts on i_q alone: off that curve there may be more torque
    return (i_d, i_q), good


def _iq_on_mtpa(bounds: Bounds, omega: Array, top: Array) -> Array:
    """The largest i_q up to ``top`` on the torque-per-ampere curve that the pack's power allows."""
    motor = bounds.motor
    i_q = iq_at_power(bounds, omega, top)  # from above: saliency only adds power
    for _ in range(NEWTON_STEPS):
        over = bounds.power_w(omega, motor.mtpa_id(i_q), i_q) - bounds.most_w
        if np.all(over <= 1e-12 * np.abs(bounds.most_w)):
            break
        step = 1e-6 * np.maximum(i_q, 1e-3)
        slope = (bounds.power_w(omega, motor.mtpa_id(i_q + step), i_q + step) - bounds.most_w - over) / step
        i_q = np.where(over > 0, np.maximum(i_q - over / np.maximum(slope, 1e-30), 0.0), i_q)
    return i_q * (1 - 1e-12)


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
    value, slope = bounds.taken(row).excess_and_slope(flat_omega, at, flat_q)
    for _ in range(NEWTON_STEPS):
        inwards = slope < 0 if upwards else slope > 0  # where it rises inwards no voltage will ever do
        if not inwards.all():
            todo, at, value, slope = todo[inwards], at[inwards], value[inwards], slope[inwards]
            flat_omega, flat_q, end, row = flat_omega[inwards], flat_q[inwards], end[inwards], row[inwards]
        moved = at - value / slope
        at = np.minimum(moved, end) if upwards else np.maximum(moved, end)
        value, slope = bounds.taken(row).excess_and_slope(flat_omega, at, flat_q)
        x[todo], e[todo] = at, value
        going = (value > FITS) & (at == moved)
        if not going.any():
            break
        todo, at, value, slope = todo[going], at[going], value[going], slope[going]
        flat_omega, flat_q, end, row = flat_omega[going], flat_q[going], end[going], row[going]
    return x.reshape(i_d.shape), e.reshape(excess.shape)


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
