"""A figure over the bike's life: what each ride said of it, filtered, and whether it changed.

A figure wanders slowly (a random walk), each ride sees it with its own error; the course is its best linear estimate given all rides
(Gaussian process with the Wiener kernel about an unknown trend: the Kalman smoother in closed form; C. E. Rasmussen, C. K. I. Williams,
*Gaussian Processes for Machine Learning*, ch. 2.7). Rides that differ by more than their own errors widen them all. What the sensors are
off by is the same on all rides: it is no part of a change, and no number of rides takes it off the figure.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import REACH, Estimate
from crisp_hornet.core.evidence.figures import CAPACITY, CDA, CRR, FLUX, INWARD, OUTWARD, PACK, WHEEL, WINDING
from crisp_hornet.core.pack.cells import cold_factor

FEWEST, SLOPED, DAY_S = 2, 4, 86_400.0
WANDERS = {
    PACK: 0.02, CAPACITY: 0.01, WHEEL: 0.003, FLUX: 0.003, WINDING: 0.004, CRR: 0.08, CDA: 0.05, INWARD: 0.02, OUTWARD: 0.04,
}  # fmt: skip
"""Share by which a figure usually wanders in a month, one standard deviation."""
COLD_SHARE = 0.03  # of a pack's resistance that was brought to 25 °C: cells are not as cold as the air
ROOM = 1.2  # of 95 %: nine figures are looked at


@dataclass(frozen=True)
class Reading:
    """What one ride said: its name, when it was, and by path; ``air_c`` where it was noted."""

    ride: str
    at: datetime
    told: dict[str, Estimate]
    air_c: float | None = None

    def of(self, path: str) -> Estimate | None:
        """What it said of a figure, a pack's resistance as it would be at 25 °C; None where it said nothing."""
        one = self.told.get(path)
        if one is None or not one.known:
            return None
        if path == PACK and self.air_c is not None:
            one = one.times(1 / cold_factor(self.air_c))
            return one.wider(COLD_SHARE * REACH * one.value)
        return one


@dataclass(frozen=True, eq=False)
class Course:
    """A figure over rides (k,): days since the first, what each said, and the filtered ``value`` with its 95 % ``reach``, both (k,); the
    last with what its sensors are off by too is ``now``; ``change`` from the first ride to the last, and whether it ``surely`` changed."""

    path: str
    rides: tuple[str, ...]
    at: tuple[datetime, ...]
    days: Array
    seen: tuple[Estimate, ...]
    value: Array
    reach: Array
    now: Estimate
    change: Estimate
    surely: bool


def course(path: str, readings: Sequence[Reading]) -> Course | None:
    """The course of a figure; None where fewer than two rides say anything of it."""
    told = [
        (reading, one)
        for reading in sorted(readings, key=lambda each: each.at)
        if (one := reading.of(path)) is not None
    ]
    if len(told) < FEWEST:
        return None
    days = np.array([(reading.at - told[0][0].at).total_seconds() / DAY_S for reading, _ in told])
    seen = np.array([one.value for _, one in told])
    own = np.maximum([one.own_half_width / REACH for _, one in told], 1e-6 * np.abs(seen))
    value, covariance = _filtered(days, seen, _widened(days, seen, own), WANDERS[path] * float(np.median(np.abs(seen))))
    reach = REACH * np.sqrt(np.maximum(np.diag(covariance), 0.0))
    shared = min(math.sqrt(one.of_sensors) * one.half_width for _, one in told)
    unit = told[-1][1].unit
    now = Estimate(float(value[-1]), float(value[-1] - reach[-1]), float(value[-1] + reach[-1]), unit).wider(
        shared, of_sensors=True
    )
    ends = covariance[0, 0] + covariance[-1, -1] - 2 * covariance[0, -1]
    moved, half = float(value[-1] - value[0]), REACH * math.sqrt(max(float(ends), 0.0))
    return Course(
        path, tuple(reading.ride for reading, _ in told), tuple(reading.at for reading, _ in told), days, tuple(one for _, one in told),
        value, reach, now, Estimate(moved, moved - half, moved + half, unit), abs(moved) > ROOM * half,
    )  # fmt: skip


def _widened(days: Array, seen: Array, own: Array) -> Array:
    """Variance of each ride's figure (k,): its own, and what rides differ by beyond that about a straight line (method of moments, as in
    :mod:`~crisp_hornet.core.evidence.learning`)."""
    weight = 1 / own**2
    columns = _trend(days)
    fitted = columns @ np.linalg.lstsq(columns * np.sqrt(weight)[:, None], seen * np.sqrt(weight), rcond=None)[0]
    freedom = len(days) - columns.shape[1]
    beyond = float(np.sum(weight * (seen - fitted) ** 2)) - freedom
    scale = float(weight.sum() - (weight**2).sum() / weight.sum())
    found: Array = own**2 + (max(beyond, 0.0) / scale if scale > 0 and freedom > 0 else 0.0)
    return found


def _filtered(days: Array, seen: Array, variance: Array, month: float) -> tuple[Array, Array]:
    """(the course (k,), its covariance (k, k)) of a random walk that wanders by ``month`` in thirty days about an unknown trend."""
    walk = month**2 / 30 * np.minimum(days[:, None], days[None, :])
    solved = np.asarray(np.linalg.inv(walk + np.diag(variance)), float)
    trend = _trend(days)
    known = np.asarray(np.linalg.inv(trend.T @ solved @ trend), float)
    course = known @ trend.T @ solved @ seen
    value: Array = trend @ course + walk @ solved @ (seen - trend @ course)
    rest = trend - walk @ solved @ trend
    covariance: Array = walk - walk @ solved @ walk + rest @ known @ rest.T
    return value, covariance


def _trend(days: Array) -> Array:
    """Columns of an unknown start, and of an unknown slope where there are rides enough for one (k, 1 or 2)."""
    sloped = len(days) >= SLOPED and float(np.ptp(days)) > 0
    return np.column_stack([np.ones(len(days)), days])[:, : 2 if sloped else 1]
