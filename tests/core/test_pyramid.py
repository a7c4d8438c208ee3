"""The pyramid shows the same extremes as the rows themselves, at any zoom, with few points."""

import numpy as np
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.pyramid import Pyramid


@seed(101)
@settings(max_examples=80, deadline=None, database=None)
@given(st.integers(1, 30_000), st.floats(0, 1), st.floats(0, 1), st.integers(50, 900), st.integers(0, 10_000))
def test_extremes_are_kept_and_points_are_few(rows, one, other, pixels, number):
    rng = np.random.default_rng(number)
    time, values = np.cumsum(rng.uniform(0.01, 1, rows)), rng.normal(0, 1, rows)
    values[rng.random(rows) < 0.1] = np.nan
    low, high = sorted((one * time[-1], other * time[-1]))
    x, y = Pyramid(values).between(time, low, high, pixels)
    inside = (time >= low) & (time <= high)
    assert len(x) == len(y) <= 4 * pixels + 64 and np.all(np.diff(x) >= 0)
    if np.isfinite(values[inside]).any():
        assert np.nanmin(y) <= np.nanmin(values[inside]) and np.nanmax(y) >= np.nanmax(values[inside])
    assert np.nanmin(y, initial=0.0) >= np.nanmin(values, initial=0.0) and np.nanmax(y, initial=0.0) <= np.nanmax(
        values, initial=0.0
    )
