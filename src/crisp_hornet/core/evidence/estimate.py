"""A figure learned from a ride, with the interval it lies in, or the reason why the ride cannot say."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.saying import Quantity, quantity, say

SURE = 0.95
REACH = 1.96  # standard deviations in half an interval of 95 %
_FINEST = ".9g"


@dataclass(frozen=True)
class Estimate:
    """``value`` between ``low`` and ``high`` with 95 % confidence; NaN and a ``reason`` where the ride cannot say. ``of_sensors``: what
    share of the interval's variance the sensors' own errors cause, 0 to 1."""

    value: float
    low: float
    high: float
    unit: str = ""
    reason: str = ""
    of_sensors: float = 0.0

    @property
    def known(self) -> bool:
        """Whether the ride says anything."""
        return not self.reason

    @property
    def half_width(self) -> float:
        """Half of the interval, in the figure's unit."""
        return (self.high - self.low) / 2

    @property
    def own_half_width(self) -> float:
        """Half of the interval without what the sensors are off by: what counts between rides with the same sensors."""
        return self.half_width * math.sqrt(max(1 - self.of_sensors, 0.0))

    def times(self, factor: float, unit: str | None = None) -> Estimate:
        """In another unit."""
        ends = sorted((self.low * factor, self.high * factor))
        told = self.unit if unit is None else unit
        return Estimate(self.value * factor, ends[0], ends[1], told, self.reason, self.of_sensors)

    def wider(self, reach: float, of_sensors: bool = False) -> Estimate:
        """With something else that it may be off by: half an interval of 95 % (in its unit), independent of what is in it."""
        if not self.known or reach == 0:
            return self
        share = math.hypot(self.half_width, reach)
        ends = (self.value - share, self.value + share)
        sensors = self.of_sensors * self.half_width**2 + (reach**2 if of_sensors else 0.0)
        return Estimate(self.value, *ends, self.unit, self.reason, sensors / share**2)

    def in_words(self, digits: int = 3) -> str:
        """``0.0923 Ω (0.0901 to 0.0945)``, or why not."""
        if not self.known:
            return say("not determined: {reason}", reason=self.reason)
        value, low, high = self._quantities(digits, 0)
        return say("{value} ({low} to {high})", value=value, low=low, high=high)

    def value_in_words(self, digits: int = 3) -> str:
        """``0.0923 Ω`` of an estimate that is known."""
        return say("{value}", value=self._quantities(digits, 0)[0])

    def ends_in_words(self, digits: int = 3) -> str:
        """``0.0901 to 0.0945 Ω`` of an estimate that is known."""
        _, low, high = self._quantities(digits, 2)
        return say("{low} to {high}", low=low, high=high)

    def _quantities(self, digits: int, with_unit: int) -> tuple[Quantity, Quantity, Quantity]:
        """Value and both ends, with as many digits as it takes for the ends to differ; one of them has its unit behind it."""
        spec = next(one for one in _finer(digits) if format(self.low, one) != format(self.high, one) or one == _FINEST)
        figures = (self.value, self.low, self.high)
        value, low, high = (
            quantity(figure, self.unit, spec, bare=at != with_unit) for at, figure in enumerate(figures)
        )
        return value, low, high


def _finer(digits: int) -> Iterator[str]:
    """More and more digits: an interval is never shown as a point."""
    yield from (f".{more}g" for more in range(digits, 9))
    yield _FINEST


def refused(reason: str, unit: str = "") -> Estimate:
    """The ride cannot say, and why."""
    return Estimate(np.nan, np.nan, np.nan, unit, reason)


def student(freedom: Array) -> Array:
    """How many standard errors reach as far as 95 %, by degrees of freedom (n,): Student's t."""
    from scipy.special import stdtrit  # here: its import would slow the start

    found: Array = stdtrit(freedom, (1 + SURE) / 2)
    return found


def around(value: float, error: float, freedom: float, unit: str = "", sensors: float = 0.0) -> Estimate:
    """A value with its standard error, Student's t with so many degrees of freedom, and the standard deviation of what its ``sensors`` are
    off by, which no ride shows."""
    seen = float(student(np.array(max(freedom, 1.0)))) * error
    reach = math.hypot(seen, REACH * sensors)
    share = (REACH * sensors / reach) ** 2 if reach > 0 else 0.0
    return Estimate(value, value - reach, value + reach, unit, of_sensors=share)


def told_well(estimate: Estimate, widest: float, subject: str, spec: str = ".2g") -> Estimate:
    """The estimate, or that ``subject`` tells it to no better than its interval: where it is not above 0, or half the interval is
    ``widest`` of the value or more."""
    if not estimate.known or (estimate.value > 0 and estimate.half_width < widest * estimate.value):
        return estimate
    return refused(
        say(
            "{subject} to no better than {low} to {high}{unit}",
            subject=subject,
            low=quantity(estimate.low, "", spec),
            high=quantity(estimate.high, "", spec),
            unit=f" {estimate.unit}" if estimate.unit else "",
        ),
        estimate.unit,
    )


@dataclass(frozen=True, eq=False)
class Fit:
    """A least-squares solution (p,), its covariance (p, p) robust against what neighbours in a block share, and its freedom."""

    values: Array
    covariance: Array
    freedom: float
    solver: Array | None = None  # (p, n): by what each value moves where a row's wanted figure does

    def moved(self, wanted: Array) -> Array:
        """By how much each value (p,) moves where the wanted figures move by so much (n,), everything else as it is."""
        assert self.solver is not None
        found: Array = self.solver @ wanted
        return found

    def error(self, at: int) -> float:
        """Standard error of one value."""
        return float(np.sqrt(max(self.covariance[at, at], 0.0)))

    def combined(self, weights: Array) -> tuple[float, float]:
        """(value, standard error) of a weighted sum of the values."""
        return float(weights @ self.values), float(np.sqrt(max(float(weights @ self.covariance @ weights), 0.0)))


def clustered_fit(columns: Array, wanted: Array, block: Array) -> Fit | None:
    """``wanted`` (n,) from ``columns`` (n, p) by least squares; rows of one ``block`` (n,) may err together.

    Covariance: the cluster-robust sandwich with the small-sample factor (A. C. Cameron, D. L. Miller, *A Practitioner's Guide to
    Cluster-Robust Inference*, 2015, eq. 11). None where the columns do not tell the values apart or there are too few blocks.
    """
    rows, count = columns.shape
    kinds, which = np.unique(block, return_inverse=True)
    blocks = len(kinds)
    if blocks < count + 3 or rows < 3 * count:
        return None
    gram = columns.T @ columns
    scale: Array = np.sqrt(gram.diagonal())
    if np.any(scale <= 0) or np.linalg.cond(gram / np.outer(scale, scale)) > 1e8:
        return None
    inverse = np.linalg.inv(gram)
    values = inverse @ (columns.T @ wanted)
    residual = wanted - columns @ values
    scores = np.column_stack([np.bincount(which, columns[:, at] * residual, blocks) for at in range(count)])
    factor = blocks / (blocks - 1) * (rows - 1) / (rows - count)
    covariance = factor * inverse @ (scores.T @ scores) @ inverse
    return Fit(values, covariance, float(blocks - count), inverse @ columns.T)
