"""Channels that lag behind others: by how much, found by how they move together, and taken out.

The fast changes of one channel follow those of another: ``Δv(t) = −a·Δi(t + k) − b·Δi(t + k + 1)`` at the lag ``k`` where they go together
best; between two samples the lag is ``k + b/(a + b)``. Source: cross-correlation of R. N. Bracewell, *The Fourier Transform and Its
Applications*, ch. 3; the error from blocks, as in :mod:`~crisp_hornet.core.evidence.estimate`.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S

MOST_S, BLOCK_S, LEAST_STEP_A = 1.6, 60.0, 4.0
GOES_ALONG = 0.5  # a correlation below this tells no lag
SAMPLED_S = 0.03  # what rows five a second leave open of a lag between two of them
UNKNOWN_S = 0.05  # what is left of a lag that the ride does not tell


@dataclass(frozen=True)
class Skew:
    """``late_s``: by how much the second channel lags behind the first; ``spread_s``, one standard deviation."""

    late_s: float
    spread_s: float


def skew(smooth: Ride, leader: str, follower: str) -> Skew:
    """The lag of ``follower`` behind ``leader`` on the even clock; none, with its doubt, where the ride does not tell it."""
    first, second = np.diff(smooth.get(leader)), np.diff(smooth.get(follower))
    lags = np.arange(-round(MOST_S / STEP_S), round(MOST_S / STEP_S) + 1)
    most = int(lags[-1]) + 1
    if len(first) < 20 * most:
        return Skew(0.0, UNKNOWN_S)
    good = np.isfinite(first) & np.isfinite(second)
    first, second = np.where(good, first, 0.0), np.where(good, second, 0.0)
    if float(np.max(np.abs(second))) < LEAST_STEP_A or not first.any():
        return Skew(0.0, UNKNOWN_S)
    middle = first[most:-most]
    moved = [second[most + lag : len(second) - most + lag] for lag in lags]
    together = np.array([float(middle @ one) for one in moved])
    size = np.sqrt(float(middle @ middle) * float(second @ second))
    at = int(np.argmax(np.abs(together)))
    if size == 0 or abs(together[at]) < GOES_ALONG * size or not 0 < at < len(lags) - 1:
        return Skew(0.0, UNKNOWN_S)
    beside = at + (1 if abs(together[at + 1]) > abs(together[at - 1]) else -1)
    return _between(middle, moved[at], moved[beside], float(lags[at]), float(lags[beside]))


def _between(wanted: Array, near: Array, far: Array, near_lag: float, far_lag: float) -> Skew:
    """The lag between two samples by least squares, from the whole and from blocks of it (the jackknife of B. Efron, 1979)."""
    block = (np.arange(len(wanted)) * STEP_S // BLOCK_S).astype(int)
    pairs = ((near, near), (near, far), (far, far), (near, wanted), (far, wanted))
    nn, nf, ff, nw, fw = (np.bincount(block, one * other) for one, other in pairs)

    def lag(keep: Array) -> float:
        a, b, c, d, e = (float(keep @ one) for one in (nn, nf, ff, nw, fw))
        both = a * c - b * b
        if both <= 1e-9 * max(a * c, 1e-30):
            return near_lag
        here, there = (d * c - e * b) / both, (e * a - d * b) / both
        share = float(np.clip(there / (here + there), 0.0, 0.6)) if here + there != 0 else 0.0
        return near_lag + share * (far_lag - near_lag)

    blocks = len(nn)
    whole = lag(np.ones(blocks))
    if blocks < 4:
        return Skew(STEP_S * whole, UNKNOWN_S)
    without = np.array([lag(np.where(np.arange(blocks) == one, 0.0, 1.0)) for one in range(blocks)])
    spread = float(np.sqrt((blocks - 1) / blocks * np.sum((without - without.mean()) ** 2)))
    return Skew(STEP_S * whole, float(np.hypot(STEP_S * spread, SAMPLED_S)))


def sooner(values: Array, by_s: float) -> Array:
    """A channel on the even clock moved to an earlier time (later, where negative): straight between its values, ends held."""
    if by_s == 0:
        return values
    at = np.arange(len(values)) + by_s / STEP_S
    low = np.clip(np.floor(at).astype(int), 0, len(values) - 1)
    high, share = np.minimum(low + 1, len(values) - 1), np.clip(at - low, 0.0, 1.0)
    found: Array = np.where(share == 0, values[low], (1 - share) * values[low] + share * values[high])
    return found


@dataclass(frozen=True, eq=False)
class Aligned:
    """A ride whose battery and phase currents were brought in step with its pack voltage, and by how much each was moved."""

    ride: Ride
    battery: Skew
    phase: Skew


def aligned(smooth: Ride) -> Aligned:
    """The ride on the even clock with its currents in step with its voltage."""
    channels = dict(smooth.channels)
    battery = phase = Skew(0.0, UNKNOWN_S)
    if smooth.has("pack_v") and smooth.has("battery_a"):
        battery = skew(smooth, "pack_v", "battery_a")
        channels["battery_a"] = sooner(channels["battery_a"], battery.late_s)
    if smooth.has("battery_a") and smooth.has("phase_a"):
        phase = skew(replace(smooth, channels=channels), "battery_a", "phase_a")
        for name in ("phase_a", "d_axis_a"):
            if name in channels:
                channels[name] = sooner(channels[name], phase.late_s)
    return Aligned(replace(smooth, channels=channels), battery, phase)
