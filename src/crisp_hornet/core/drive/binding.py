"""Which limit sets the force: the one whose release by 1 % of its scale would gain the most torque.

At the maximum the torque's gradient is a combination of the active limits' gradients with weights that are not
negative (Karush-Kuhn-Tucker conditions; J. Nocedal, S. J. Wright, *Numerical Optimization*, ch. 12). A limit's weight
times how far 1 % moves it is what its release gains. In two unknowns at most two limits carry weight.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.bounds import Bounds

RELEASE = 0.01
NEAR = 2e-4  # relative distance within which a limit counts as met


class _Constraint:
    """One limit near a point: the direction of its gradient (x, y, each (n,)), how far a release by 1 % moves it along that
    direction (A), and where it is met."""

    def __init__(self, by_id: Array, by_iq: Array, release: Array | float, met: NDArray[np.bool_]) -> None:
        length = np.maximum(np.hypot(by_id, by_iq), 1e-60)
        self.x, self.y = by_id / length, by_iq / length
        self.release, self.met = release / length, met


def binding_limit(
    bounds: Bounds, omega: Array, i_d: Array, i_q: Array, phase_name: NDArray[np.str_], power_name: NDArray[np.str_]
) -> NDArray[np.str_]:
    """The name of the limit that sets the torque at each point (n,).

    ``phase_name`` names the current limit or the fade that scales it; ``power_name`` what caps the pack's power. The
    other names are "voltage", "weakening" and "none".
    """
    motor = bounds.motor
    named = [phase_name, np.full(omega.shape, "voltage"), np.full(omega.shape, "weakening"), power_name,
             np.full(omega.shape, "none")]  # fmt: skip
    constraints = _constraints(bounds, omega, i_d, i_q)
    x, y = motor.saliency_h * i_q, motor.flux(i_q) + motor.saliency_h * i_d  # the torque's gradient
    length = np.maximum(np.hypot(x, y), 1e-300)
    x, y = x / length, y / length
    best_fit = np.full(omega.shape, np.inf)
    name = np.full(omega.shape, "none", dtype="<U12")
    for one, other in [*combinations(range(5), 2), *((k, k) for k in range(5))]:
        a, b = constraints[one], constraints[other]
        met = a.met & b.met
        if not met.any():
            continue
        if one == other:
            first, second = x * a.x + y * a.y, np.zeros_like(x)
            fit = np.hypot(x - first * a.x, y - first * a.y)
        else:
            determinant = a.x * b.y - a.y * b.x
            flat = np.abs(determinant) <= 1e-9
            safe = np.where(flat, 1.0, determinant)
            first, second = (x * b.y - y * b.x) / safe, (a.x * y - a.y * x) / safe
            fit = np.where(flat, np.inf, 1e-7)  # a lone limit that explains it as well is preferred
        fit = np.where(met & (first >= -1e-6) & (second >= -1e-6), fit, np.inf)
        better = fit < best_fit
        if better.any():
            name = np.where(better, np.where(first * a.release >= second * b.release, named[one], named[other]), name)
            best_fit = np.where(better, fit, best_fit)
    return np.where(bounds.share <= 0, phase_name, name)


def _constraints(bounds: Bounds, omega: Array, i_d: Array, i_q: Array) -> list[_Constraint]:
    motor = bounds.motor
    share = np.maximum(bounds.share, 1e-12)
    current = bounds.current_a
    circle = (i_q / share) ** 2 + i_d**2 - current**2
    phase = _Constraint(2 * i_d, 2 * i_q / share**2, 2 * RELEASE * current**2, np.abs(circle) <= NEAR * current**2)

    step = 1e-5 * np.maximum(current, 1e-3)
    excess = bounds.voltage_excess(omega, i_d, i_q)
    by_id = (bounds.voltage_excess(omega, i_d + step, i_q) - bounds.voltage_excess(omega, i_d - step, i_q)) / (2 * step)
    by_iq = (bounds.voltage_excess(omega, i_d, i_q + step) - bounds.voltage_excess(omega, i_d, i_q - step)) / (2 * step)
    voltage = _Constraint(by_id, by_iq, 2 * RELEASE, np.abs(excess) <= NEAR)

    middle = motor.mtpa_id(i_q)
    slope = (motor.mtpa_id(i_q + step) - middle) / step
    tight = NEAR * np.maximum(current, 1e-3)
    weakening = _Constraint(
        np.full(omega.shape, -1.0), slope, RELEASE * bounds.weakening_a, i_d - (middle - bounds.weakening_a) <= tight
    )
    unhindered = _Constraint(np.ones_like(omega), -slope, 0.0, middle - i_d <= tight)

    power_id = 3 * motor.r_ohm * i_d + 1.5 * omega * motor.saliency_h * i_q
    power_iq = 3 * motor.r_ohm * i_q + 1.5 * omega * (motor.flux(i_q) + motor.saliency_h * i_d)
    most = np.maximum(bounds.most_w, 1e-6)
    met = bounds.power_w(omega, i_d, i_q) >= (1 - NEAR) * most
    power = _Constraint(power_id, power_iq, RELEASE * most, met)
    return [phase, voltage, weakening, power, unhindered]
