"""A channel at many resolutions: the least and greatest of every 4, 16, 64 … rows, prepared once, so that a million rows pan in a frame."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array

FACTOR = 4


class Pyramid:
    """Least and greatest values of one channel (n,). Memory: two thirds of the channel itself."""

    def __init__(self, values: Array) -> None:
        self._values = values
        self._levels: list[tuple[Array, Array]] = []
        low = high = values
        while len(low) > 4 * FACTOR:
            low, high = _folded(low, np.fmin), _folded(high, np.fmax)
            self._levels.append((low, high))

    @property
    def extremes(self) -> tuple[float, float]:
        """The least and the greatest value; NaN without any."""
        low, high = self._levels[-1] if self._levels else (self._values, self._values)
        good = np.isfinite(low)
        return (float(low[good].min()), float(high[good].max())) if good.any() else (np.nan, np.nan)

    def between(self, time_s: Array, from_s: float, to_s: float, pixels: int) -> tuple[Array, Array]:
        """(x, y) of a line that shows what lies between two times on so many pixels: no more than some four points a pixel."""
        first = max(int(np.searchsorted(time_s, from_s)) - 1, 0)
        last = min(int(np.searchsorted(time_s, to_s)) + 1, len(time_s))
        rows, level = last - first, 0
        while level < len(self._levels) and rows / FACTOR**level > 2 * max(pixels, 1):
            level += 1
        if level == 0:
            return time_s[first:last], self._values[first:last]
        width = FACTOR**level
        low, high = self._levels[level - 1]
        begin, end = first // width, min(-(-last // width), len(low))
        both = np.empty(2 * (end - begin))
        both[0::2], both[1::2] = low[begin:end], high[begin:end]
        at = np.minimum(np.arange(begin, end) * width, len(time_s) - 1)
        half = np.minimum(at + width // 2, len(time_s) - 1)
        x = np.empty(len(both))
        x[0::2], x[1::2] = time_s[at], time_s[half]
        return x, both


def _folded(values: Array, pick: np.ufunc) -> Array:
    """The least or greatest of each four; a last group may be shorter."""
    whole = len(values) // FACTOR * FACTOR
    one, two, three, four = (values[at:whole:FACTOR] for at in range(FACTOR))
    folded: Array = pick(pick(one, two), pick(three, four))
    if whole < len(values):
        folded = np.append(folded, pick.reduce(values[whole:]))
    return folded
