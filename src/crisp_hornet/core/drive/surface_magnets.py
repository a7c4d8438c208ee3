"""The most torque of a motor with surface magnets, where the voltage sets it.

Without reluctance torque the most torque is the largest i_q that any i_d allows. Pack power is a convex function of
(i_d, i_q), the squared voltage needed is convex and the squared voltage left by the sagging pack is concave, so all currents
that fit form one convex set. The least excess of voltage over the i_d that band, circle and power leave, as a function
of i_q, is convex too, and its upper root is the answer: one safeguarded Newton search for all speeds at once.

The unknown of that search is ``t`` with ``i_q = top·(1 − t²)``: near ``top`` the room for i_d opens like a square root, which
``t`` makes straight.
"""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.bounds import FITS, Bounds, Point

MOST_STEPS = 60
CLOSE = 1e-10


def iq_at_power(bounds: Bounds, omega: Array, top: Array) -> Array:
    """The largest i_q (n,) up to ``top`` that the pack's power allows at i_d = 0."""
    motor = bounds.motor
    emf = omega * motor.psi
    spare = np.maximum((bounds.most_w - bounds.idle_w) / 1.5, 0.0)
    at_power = 2 * spare / np.maximum(emf + np.sqrt(emf**2 + 4 * motor.r_ohm * spare), 1e-300)
    return np.minimum(top, at_power)


def most_of_surface(bounds: Bounds, omega: Array) -> Point:
    """The largest i_q (n,) inside all limits, its i_d, and whether anything fits."""
    top = iq_at_power(bounds, omega, bounds.share * bounds.current_a)
    # i_q = top·(1 − t²): t = 0 does not fit, or the voltage would not matter; at t = 1 there is no torque
    low, high = np.zeros_like(omega), np.ones_like(omega)
    t = np.full_like(omega, 0.5)
    for _ in range(MOST_STEPS):
        i_q = top * (1 - t**2)
        i_d, excess, by_iq = _least_excess(bounds, omega, i_q)
        slope = by_iq * -2 * top * t
        fits = excess <= 0
        low, high = np.where(fits, low, t), np.where(fits, t, high)
        moved = t - excess / np.where(slope < 0, slope, -1e-12)
        closed = (np.abs(moved - t) <= CLOSE) | (high - low <= CLOSE) | (top <= 0)
        if np.all(closed):
            break
        last = (t <= low) & (moved >= 1)  # even without torque it may not fit: look there at once
        safe = (moved > low) & (moved < high)
        t = np.where(closed, t, np.where(safe, moved, np.where(last, high, (low + high) / 2)))
    i_q = top * (1 - np.clip(moved, low, high) ** 2)
    i_d, excess, _ = _least_excess(bounds, omega, i_q)
    feasible = (excess <= FITS) & (bounds.idle_w <= bounds.most_w)
    return Point(np.where(feasible, i_d, 0.0), np.where(feasible, i_q, 0.0), feasible)


def _least_excess(bounds: Bounds, omega: Array, i_q: Array) -> tuple[Array, Array, Array]:
    """The i_d with the least excess of voltage at each i_q, that excess, and its derivative by i_q (1/A)."""
    motor = bounds.motor
    r = motor.r_ohm
    faded = bounds.share > 0
    share = np.where(faded, bounds.share, 1.0)
    circle = bounds.current_a**2 - np.where(faded, i_q / share, 0.0) ** 2
    power = (bounds.most_w - bounds.idle_w) / (1.5 * r) - i_q**2 - omega * motor.psi / r * i_q
    room = np.minimum(circle, power)
    reach = np.sqrt(np.maximum(room, 0.0))
    banded = bounds.weakening_a <= reach
    low = -np.minimum(bounds.weakening_a, reach)
    excess, by_id = bounds.excess_and_slope(omega, low, i_q)
    i_d = low
    inner = by_id < 0  # more weakening would only cost: maximum torque per volt, inside
    if inner.any():
        i_d = low.copy()
        i_d[inner] = _flattest(bounds.rows(inner), omega[inner], i_q[inner], low[inner])
        excess, by_id = bounds.excess_and_slope(omega, i_d, i_q)
    # the end of the room moves with i_q too
    room_slope = np.where(circle <= power, -2 * i_q / share**2, -2 * i_q - omega * motor.psi / r)
    moves = np.where(banded | inner, 0.0, -room_slope / np.maximum(2 * reach, 1e-12))
    return i_d, excess, bounds.excess_by_iq(omega, i_d, i_q) + by_id * moves


def _flattest(bounds: Bounds, omega: Array, i_q: Array, low: Array) -> Array:
    """The i_d between ``low`` and 0 at which the excess of voltage stops falling; by safeguarded secant steps."""
    left, right = low, np.zeros_like(low)
    left_slope = bounds.excess_and_slope(omega, left, i_q)[1]
    right_slope = bounds.excess_and_slope(omega, right, i_q)[1]
    i_d = np.where(right_slope <= 0, right, left)
    open_ = right_slope > 0
    for step in range(MOST_STEPS):
        gap = np.where(open_, right_slope - left_slope, 1.0)
        secant = left - left_slope * (right - left) / gap
        trial = np.where(open_, secant if step % 3 != 2 else (left + right) / 2, i_d)
        slope = bounds.excess_and_slope(omega, trial, i_q)[1]
        done = np.all(np.abs(trial - i_d) <= CLOSE * (1 + np.abs(low)))
        i_d = trial
        if done:
            break
        falling = slope < 0
        left, left_slope = np.where(falling & open_, trial, left), np.where(falling & open_, slope, left_slope)
        right, right_slope = np.where(~falling & open_, trial, right), np.where(~falling & open_, slope, right_slope)
    return i_d
