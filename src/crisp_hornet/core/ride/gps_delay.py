"""By how much GPS lags behind the wheel, and its channels without that."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.joining import best_shift

MOST_S, ROWS, CLEAR = 8.0, 6_000, 0.7


def gps_shift(wheel: Array, ground: Array, step_s: float) -> float:
    """By how many rows of a clock of ``step_s`` the ground speed (n,) must be moved to go with the wheel's: below 0 where it lags; 0 where
    the correlation is not clear."""
    both = np.isfinite(wheel) & np.isfinite(ground)
    if both.sum() <= 60:
        return 0.0
    filled = [np.interp(np.arange(len(one)), np.flatnonzero(both), one[both]) for one in (wheel, ground)]
    shift, fit = best_shift(filled[0][:ROWS], filled[1][:ROWS], round(30 / step_s))
    return 0.0 if fit < CLEAR or abs(shift) * step_s > MOST_S else shift


def moved(values: Array, rows: float) -> Array:
    """A channel (n,) moved by rows, straight between values that lie close; NaN where nothing was known."""
    known = np.flatnonzero(np.isfinite(values))
    if rows == 0 or known.size < 2:
        return values
    at = np.arange(len(values)) - rows
    after = np.clip(np.searchsorted(known, at), 1, len(known) - 1)
    near = known[after] - known[after - 1] <= 4
    found: Array = np.where(near, np.interp(at, known, values[known], left=np.nan, right=np.nan), np.nan)
    return found
