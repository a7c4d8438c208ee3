"""What estimates are made of: sums over rows, means on the even clock, intervals, fits with blocks, refusals."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.energy_seen import energy_used
from crisp_hornet.core.evidence.estimate import around, clustered_fit, refused
from crisp_hornet.core.evidence.pack_seen import resistance
from crisp_hornet.core.evidence.road_seen import road_load
from crisp_hornet.core.evidence.wheel_seen import circumference
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even
from tests.bikes import CHECKED, a_bike
from tests.evidence.rides import a_round, hidden

BIKE = a_bike(**CHECKED)


def test_a_ride_of_many_rows_a_second_is_summed_as_surely():
    """At 20 rows a second means are summed, not rows; what voltage and current do together inside a mean is kept."""
    inside = 0
    for seed in range(12):
        rng = np.random.default_rng(seed)
        truth = hidden(BIKE, rng)
        ride = a_round(truth, rng, minutes=6, hz=20.0)
        used = energy_used(ride, BIKE, circumference(ride, BIKE))
        inside += used.wh_net.low <= truth.found["wh_net"] <= used.wh_net.high
        assert used.wh_net.value == pytest.approx(truth.found["wh_net"], rel=0.01)
    assert inside >= 10


def test_means_on_the_even_clock_are_those_of_the_rows_and_hold_what_is_missing():
    rng = np.random.default_rng(4)
    time = np.cumsum(rng.uniform(0.01, 0.03, 5000))
    time -= time[0]
    full, holed = rng.normal(50, 5, 5000), rng.normal(50, 5, 5000)
    holed[1000:1100] = np.nan
    holed[3000] = np.inf
    smooth = even(Ride("many", time, {"pack_v": full, "battery_a": holed}), ("pack_v", "battery_a"))
    for at in (0, 7, 300, 499):
        rows = (time >= at * STEP_S) & (time < (at + 1) * STEP_S)
        assert smooth.get("pack_v")[at] == pytest.approx(full[rows].mean(), rel=1e-12)
    rows = (time >= 3.0) & (time < 3.2)
    assert smooth.get("battery_a")[15] == pytest.approx(holed[rows].mean(), rel=1e-12)
    gone = np.isnan(smooth.get("battery_a"))
    assert 5 <= gone.sum() <= 12 and np.isfinite(smooth.get("battery_a")[~gone]).all()


UNABLE = {
    "no load": (lambda rng, truth: _still(a_round(truth, rng, minutes=3)), "pack", "hardly changes"),
    "no gps": (lambda rng, truth: a_round(truth, rng, minutes=4, gps=False), "wheel", "no positions"),
    "no heights": (lambda rng, truth: a_round(truth, rng, minutes=4, heights=False), "crr", "without heights"),
    "no brake let go": (lambda rng, truth: a_round(truth, rng, minutes=1), "crr", "without the brake"),
    "no volts": (
        lambda rng, truth: _without(a_round(truth, rng, minutes=3), "pack_v"),
        "wh_per_km",
        "voltage and battery current",
    ),
}


def _still(ride):
    return Ride(
        "still",
        ride.time_s,
        {**ride.channels, "battery_a": np.full(len(ride), 0.3), "pack_v": np.full(len(ride), 60.0)},
    )


def _without(ride, name):
    return Ride("less", ride.time_s, {one: values for one, values in ride.channels.items() if one != name})


@pytest.mark.parametrize("why", UNABLE)
def test_a_ride_that_cannot_say_is_refused_with_its_reason(why):
    make, name, words = UNABLE[why]
    refusals = 0
    for seed in range(8):  # five reasons: forty rides
        rng = np.random.default_rng(seed)
        ride = make(rng, hidden(BIKE, rng))
        wheel = circumference(ride, BIKE)
        one = {
            "pack": lambda ride=ride: resistance(ride, BIKE), "wheel": lambda wheel=wheel: wheel,
            "crr": lambda ride=ride, wheel=wheel: road_load(ride, BIKE, wheel).crr,
            "wh_per_km": lambda ride=ride, wheel=wheel: energy_used(ride, BIKE, wheel).wh_per_km,
        }[name]()  # fmt: skip
        refusals += not one.known and words in one.reason and np.isnan(one.value)
    assert refusals == 8


def test_an_interval_of_student_and_a_refusal_in_words():
    one = around(10.0, 1.0, 9, "Ω")
    assert (one.low, one.high) == (pytest.approx(10 - 2.262, abs=1e-3), pytest.approx(10 + 2.262, abs=1e-3))
    assert one.in_words(2) == "10 Ω (7.7 to 12)" and one.times(1000, "mΩ").half_width == pytest.approx(2262, abs=1)
    assert refused("no GPS").in_words() == "not determined: no GPS" and not refused("no GPS").known


def test_the_clustered_fit_is_honest_about_what_neighbours_share():
    """Errors that last for a block: ordinary errors would be far too small, these hold the truth 95 times in a hundred."""
    inside = plain = 0
    for seed in range(300):
        rng = np.random.default_rng(seed)
        block = np.repeat(np.arange(30), 20)
        x = rng.normal(size=30)[block] + rng.normal(0, 0.3, 600)
        y = 2.0 * x + rng.normal(size=30)[block]
        fit = clustered_fit(x[:, None], y, block)
        reach = 2.045 * fit.error(0)
        inside += abs(fit.values[0] - 2.0) <= reach
        plain += abs(fit.values[0] - 2.0) <= 1.96 * np.std(y - 2 * x) / np.sqrt(np.sum(x**2))
    assert 270 <= inside <= 294 and plain < 200
    assert clustered_fit(np.ones((40, 2)), np.ones(40), np.arange(40)) is None  # columns that are alike
