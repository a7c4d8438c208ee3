"""Slopes, grades and predicted power of a ride, each against its closed form."""

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.evidence.wheel_seen import _huber
from crisp_hornet.core.ride import derived as d
from crisp_hornet.core.ride.channels import Ride
from tests.amount import some
from tests.bikes import a_bike


@seed(3)
@settings(max_examples=some(40), deadline=None, database=None)
@given(st.floats(-4, 4), st.floats(-20, 20), st.floats(0.5, 4.0), st.integers(60, 200))
def test_the_slope_of_a_line_is_its_own_and_nothing_is_told_about_a_gap(rise, start, over_s, rows):
    time = 0.1 * np.arange(rows)
    time[rows // 2 :] += 30.0
    found = d.slope(time, start + rise * time, over_s)
    near = np.minimum(np.abs(time - time[rows // 2 - 1]), np.abs(time - time[rows // 2])) < 0.99 * over_s
    assert np.isnan(found[near]).all() and near.sum() >= 2
    inner = np.isfinite(found) & (time > over_s) & (time < time[-1] - over_s)
    assert found[inner] == pytest.approx(rise, rel=3e-3, abs=1e-6)


@seed(4)
@settings(max_examples=some(40), deadline=None, database=None)
@given(st.floats(-2e-4, 2e-4), st.floats(-0.1, 0.1))
def test_the_grade_is_the_chord_of_the_heights_about_a_place(bend, rise):
    way = np.linspace(0, 600, 1201)
    found, half = d.grade(way, bend * way**2 + rise * way), d.GRADE_M / 2
    low, high = np.clip(way - half, 0, 600), np.clip(way + half, 0, 600)
    assert found == pytest.approx(bend * (low + high) + rise, abs=1e-6)


def test_a_very_long_ride_is_predicted_at_some_rows_and_straight_between(monkeypatch):
    time = 0.2 * np.arange(900)
    ride = Ride("r", time, {
        "wheel_speed_kmh": 25 + 5 * np.sin(time / 9), "pack_v": np.full(900, 52.0), "battery_a": 8 + 3 * np.sin(time / 9),
    })  # fmt: skip
    whole = d.derived(ride, a_bike())["predicted_w"]
    monkeypatch.setattr(d, "MOST_PREDICTED", 300)
    some = d.derived(ride, a_bike())["predicted_w"]
    assert np.nanmedian(np.abs(some - whole)) < 0.04 * np.nanmax(whole)  # smoothed over rows, which lie further apart
    assert some[1] == pytest.approx((2 * some[0] + some[3]) / 3)


@pytest.mark.parametrize("far", [0.1, 5.0])
def test_a_robust_mean_hardly_moves_for_outliers_and_its_error_is_that_of_the_rest(far):
    values = np.random.default_rng(5).normal(1.02, 0.004, 300)
    spoilt = np.concatenate((values, 1.02 + far * np.ones(15)))
    centre, error, freedom = _huber(spoilt)
    assert abs(centre - values.mean()) < 0.0008 and freedom == 299
    assert error == pytest.approx(0.004 / np.sqrt(300), rel=0.25)
