"""What a stopwatch tells: parsed from words, both ways, against the prediction."""

import numpy as np
import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.day import Day
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.evidence.stopwatch import timed
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.road.performance import launch_time_s, steady_speed_kmh
from tests.bikes import a_bike, a_tune

BIKE, TUNE = a_bike(), a_tune()
CURVE = pull_curve(BIKE, TUNE, np.linspace(0, 70, 281), Conditions(62.0))


def test_a_stretch_both_ways_holds_the_truth_with_a_hand_on_the_watch():
    """A wind of 2 m/s makes it faster one way than the other; the hand errs by a tenth of a second at each end."""
    inside = 0
    for seed in range(200):
        rng = np.random.default_rng(seed)
        speed = rng.uniform(8, 14)
        times = 200 / np.array([speed + 0.8, speed - 0.8]) + rng.normal(0, 0.1 * np.sqrt(2), 2)
        (found,) = timed(f"200 m in {times[0]:.2f} s and {times[1]:.2f} s", CURVE)
        inside += found.seen.low <= 3.6 * speed <= found.seen.high
    assert 180 <= inside <= 199
    assert found.predicted == pytest.approx(steady_speed_kmh(CURVE, 0.0)) and found.seen.half_width < 1.5


@pytest.mark.parametrize(
    ("words", "value", "unit"),
    [
        ("0 to 25 km/h in 6.2 s", 6.2, "s"),
        ("downhill first; 0-15 mph in 5,8 s, 6,2 s and 6 s", 6.0, "s"),
        ("from the bridge 100 m in 10 s and 10 s and 9 s and 11 s", 36.3, "km/h"),
        ("10 to 30 km/h in 4 s", 4.0, "s"),
    ],
)
def test_words_are_read(words, value, unit):
    (found,) = timed(words, CURVE)
    assert found.seen.unit == unit and found.seen.value == pytest.approx(value, rel=0.01)


def test_what_cannot_say_says_why_and_what_is_no_time_is_left_out():
    (one_way,) = timed("100 m in 9.8 s", CURVE)
    assert "one way only" in one_way.seen.reason and not one_way.worse
    (backwards,) = timed("25 to 0 km/h in 3 s", CURVE)
    assert "above the first" in backwards.seen.reason
    assert timed("felt quick; 100 m; 9 s", CURVE) == () and timed("", None) == ()
    (alone,) = timed("0 to 25 km/h in 6 s", None)
    assert np.isnan(alone.predicted) and not alone.worse and "predicted" not in alone.in_words


def test_a_ride_that_holds_nothing_but_times_is_judged_by_them():
    predicted = launch_time_s(CURVE, 25.0)
    ride = Ride("phone", np.arange(60.0), {"gps_speed_kmh": np.full(60, 20.0)})
    verdict, found = judge(
        ride, BIKE, TUNE, CURVE, Day(timed=f"0 to 25 km/h in {1.4 * predicted:.1f} s and {1.45 * predicted:.1f} s")
    )
    assert verdict.timed[0].seen.low > predicted and "timed-slower" in {one.id for one in found}
    _, quiet = judge(ride, BIKE, TUNE, CURVE, Day(timed=f"0 to 25 km/h in {predicted:.1f} s"))
    assert "timed-slower" not in {one.id for one in quiet}
