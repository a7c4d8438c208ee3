"""A ride on an even clock: means over equal steps of time, so that long rides are judged as fast as short ones."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride

STEP_S, GAP_S = 0.2, 2.0
LONGEST_S = 5.0  # a row that stands for longer is a gap
WORKERS = 2


def even(ride: Ride, channels: tuple[str, ...], step_s: float = STEP_S) -> Ride:
    """Means of channels (those the ride has) over steps of time; NaN where nothing was recorded within :data:`GAP_S`.

    A ride recorded more slowly than that is interpolated between its rows.
    """
    time = ride.time_s
    present = [name for name in channels if ride.has(name)]
    if len(time) < 2:
        return Ride(ride.name, time, {name: ride.get(name) for name in present})
    usual = float(np.median(np.diff(time[:20_000])))
    if abs(usual - step_s) < 1e-9 and abs(float(time[-1]) - (len(time) - 1) * step_s) < 1e-6:  # it is even already
        return Ride(ride.name, time, {name: ride.get(name) for name in present})
    clock = np.arange(0.0, time[-1], step_s)
    if usual > 0.6 * step_s:
        return Ride(ride.name, clock, {name: _between(clock, time, ride.get(name)) for name in present})
    starts = np.searchsorted(time, clock)
    filled = np.append(starts[1:], len(time)) > starts
    safe = np.minimum(starts, len(time) - 1)
    rows = np.diff(np.append(safe, len(time))).astype(np.float64)
    share = np.where(filled, 1 / np.maximum(rows, 1), np.nan)  # what each row of a step counts, if all are known
    with ThreadPoolExecutor(WORKERS) as pool:  # NumPy lets others run while it sums
        found = list(pool.map(lambda name: _means(ride.get(name), safe, filled, share), present))
    return Ride(ride.name, clock, dict(zip(present, found, strict=True)))


def _means(values: Array, starts: NDArray[np.intp], filled: NDArray[np.bool_], share: Array) -> Array:
    sums = _sums(values, starts)
    if np.isfinite(sums[-1]):  # running sums: what is missing anywhere is missing at the end
        return sums * share
    good = np.isfinite(values)
    sums, counts = _sums(np.where(good, values, 0.0), starts), _sums(good.astype(np.float64), starts)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(filled & (counts > 0), sums / counts, np.nan)


def _sums(values: Array, starts: NDArray[np.intp]) -> Array:
    """The sum from each start up to the next one, as differences of a running sum: quicker than one by one."""
    running = np.empty(len(values) + 1)
    running[0] = 0.0
    np.cumsum(values, out=running[1:])
    found: Array = np.diff(running[starts], append=running[-1])
    return found


def _between(clock: Array, time: Array, values: Array) -> Array:
    good = np.isfinite(values)
    if good.sum() < 2:
        return np.full(len(clock), np.nan)
    known = time[good]
    after = np.clip(np.searchsorted(known, clock), 1, len(known) - 1)
    near = known[after] - known[after - 1] <= GAP_S
    return np.where(near & (clock >= known[0]) & (clock <= known[-1]), np.interp(clock, known, values[good]), np.nan)


def moving_mean(values: Array, rows: int) -> Array:
    """The mean of ``rows`` (made odd) about each place (n,), of those that are known; fewer at the ends and beside what is missing."""
    good = np.isfinite(values)
    if good.all():
        return _moving_sum(values, rows) / _moving_count(len(values), rows)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean: Array = _moving_sum(np.where(good, values, 0.0), rows) / _moving_sum(good.astype(np.float64), rows)
    return mean


def _moving_sum(values: Array, rows: int) -> Array:
    half, count = rows // 2, len(values)
    sums = np.concatenate(([0.0], np.cumsum(values)))
    if count <= 2 * half:
        at = np.arange(count)
        found: Array = sums[np.minimum(at + half + 1, count)] - sums[np.maximum(at - half, 0)]
        return found
    found = np.empty(count)
    found[half : count - half] = sums[2 * half + 1 :] - sums[: count - 2 * half]
    found[:half] = sums[half + 1 : 2 * half + 1]
    found[count - half :] = sums[count] - sums[count - 2 * half : count - half]
    return found


def _moving_count(count: int, rows: int) -> Array:
    half = rows // 2
    found = np.full(count, 2.0 * half + 1)
    at = np.arange(min(half, count), dtype=np.float64)
    if count <= 2 * half:
        every = np.arange(count)
        return (np.minimum(every + half + 1, count) - np.maximum(every - half, 0)).astype(np.float64)
    found[:half] = half + 1 + at
    found[count - half :] = (half + 1 + at)[::-1]
    return found
