"""The pyramid shows the same extremes as the rows themselves, at any zoom, with few points."""

import numpy as np
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.pyramid import Pyramid
from crisp_hornet.core.ride.spread import stretch, time_at
from tests.amount import some


@seed(101)
@settings(max_examples=some(80), deadline=None, database=None)
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


def test_time_at_each_size_sums_to_the_ride_and_a_stretch_has_its_figures():
    time = np.concatenate((np.arange(0, 100, 0.5), np.arange(400, 500, 0.5)))
    ride = Ride("r", time, {"pack_v": np.where(time < 200, 60.0, 50.0), "motor_c": np.full(len(time), np.nan)})
    edges, seconds = time_at(ride, "pack_v", bins=10)
    assert len(edges) == 11 and seconds[0] == 100 and seconds[-1] == 99.5 + 5  # the gap counts for five seconds at most
    found = stretch(ride, "pack_v", 50, 450)
    assert (found.least, found.most) == (50, 60) and found.seconds == 99.5 + 5
    assert found.mean == (60 * (49.5 + 5) + 50 * 50) / 104.5
    assert stretch(ride, "motor_c", 0, 500) is None and stretch(ride, "pack_v", 200, 300) is None
    assert time_at(ride, "motor_c")[0].size == 0
    still = time_at(Ride("still", time[:200], {"level": np.full(200, 3.0)}), "level", bins=4)
    assert still[0][0] == 3 and still[0][-1] == 4 and still[1].tolist() == [100, 0, 0, 0]
