"""Two rides of one way, made with a known shift, wheel and pace, laid along each other."""

import numpy as np
import pytest

from crisp_hornet.core.ride.along import beside, way_km
from crisp_hornet.core.ride.channels import Ride


def route_height(km):
    return 430 + 35 * np.sin(km * 1.9) + 18 * np.sin(km * 5.3 + 1) + 7 * np.sin(km * 13.0 + 2)


def a_ride(rng, from_km, to_km, pace, wheel=1.0, heights=True, stop_at=None):
    """``wheel``: what it counts for a true metre. Channels: speed, height, and the true place for checking."""
    time = np.arange(0, 3600 * (to_km - from_km) / pace * 1.6 + 60, 0.2)
    speed = np.maximum(pace * (1 + 0.25 * np.sin(time / 37 + rng.uniform(0, 6))), 4)
    if stop_at is not None:
        speed[(time > stop_at) & (time < stop_at + 30)] = 0
    place = from_km + np.concatenate(([0], np.cumsum((speed[1:] + speed[:-1]) / 2 * 0.2))) / 3600
    keep = place <= to_km
    channels = {"wheel_speed_kmh": speed[keep] * wheel, "place": place[keep]}
    if heights:
        channels["altitude_m"] = route_height(place[keep]) + rng.normal(0, 0.6, keep.sum())
    return Ride("made", time[keep], channels)


@pytest.mark.parametrize("number", range(12))
def test_the_same_place_is_found_whatever_the_wheel_counts(number):
    rng = np.random.default_rng(number)
    early, wheel = rng.uniform(0, 0.8), rng.uniform(0.985, 1.015)
    first = a_ride(rng, 1.0, 6.0, 24)
    second = a_ride(rng, 1.0 - early, 6.2, rng.uniform(17, 33), wheel, stop_at=200)
    found = beside(first, second)
    inside = np.isfinite(found.ride.get("place"))
    off_m = 1000 * np.abs(found.ride.get("place") - first.get("place"))[inside]
    assert inside.mean() > 0.9 and np.median(off_m) < 12 and np.percentile(off_m, 95) < 30
    assert found.stretch == pytest.approx(wheel, abs=0.006) and found.fit > 0.9


def test_ahead_is_the_difference_of_their_clocks():
    time = np.arange(0, 600, 0.5)
    fast = Ride("fast", time, {"wheel_speed_kmh": np.full(1200, 36.0)})
    slow = Ride("slow", time, {"wheel_speed_kmh": np.full(1200, 18.0)})
    found = beside(fast, slow)
    assert found.fit == 0 and (found.offset_km, found.stretch) == (0.0, 1.0)
    assert found.ahead_s[200] == pytest.approx(100.0, abs=0.6)  # 1 km in 100 s, and in 200
    assert np.isnan(found.ahead_s[-1])  # the slow one never came there


def test_a_stop_a_few_metres_off_is_no_difference():
    """The same ride, once with a wheel that counts a little more: both stop at the lights, and neither is ever ahead."""
    ride = a_ride(np.random.default_rng(8), 1.0, 5.0, 25, stop_at=240)
    other = Ride("again", ride.time_s, ride.channels | {"wheel_speed_kmh": ride.get("wheel_speed_kmh") * 1.002})
    ahead = beside(ride, other).ahead_s
    assert np.nanpercentile(np.abs(ahead), 98) < 3.0


def test_what_tells_no_way_is_refused():
    time = np.arange(10.0)
    volts = Ride("volts", time, {"pack_v": np.ones(10)})
    assert way_km(volts) is None
    with pytest.raises(ValueError, match="speed or positions"):
        beside(volts, volts)


def test_the_way_comes_from_positions_where_nothing_else_tells_it():
    time = np.arange(0, 100, 1.0)
    ride = Ride("gps", time, {"lat_deg": 47 + time * 1e-4, "lon_deg": np.full(100, 8.0)})
    assert way_km(ride)[-1] == pytest.approx(99e-4 * np.radians(1) * 6371, rel=0.01)
