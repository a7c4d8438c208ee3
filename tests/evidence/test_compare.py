"""Two rounds compared: the same bike on other days, and with a tune that uses less."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.evidence.compare import compare
from tests.bikes import a_bike
from tests.evidence.rides import Road, logged, ridden
from tests.evidence.test_findings import as_told

BIKE = a_bike()


def a_loop(seed, pace=0.3, thrift=1.0, road_seed=5):
    """One road; ``pace`` and the stops differ by seed; ``thrift``: the share of its energy the drive needs."""
    rng, road = np.random.default_rng(seed), Road(np.random.default_rng(road_seed))
    plan = [(4, 0, 0, 0, 1)]
    for _ in range(14):
        plan += [
            (5, 1.0, 0, 0, 1),
            (rng.uniform(35, 55), pace * rng.uniform(0.8, 1.2), 0, 0, 1),
            (8, 0, 120, 0, 1),
            (rng.uniform(2, 9), 0, 300, 0, 1),
        ]
    rows = ridden(as_told(), road, plan, rng)
    ride = logged(as_told(), road, rows, rng)
    return Ride(f"loop {seed}", ride.time_s, ride.channels | {"battery_a": ride.get("battery_a") * thrift})


def test_the_same_round_on_another_day_shows_no_difference():
    quiet = sum("No difference" in compare(a_loop(seed), a_loop(100 + seed), BIKE).sentence for seed in range(20))
    assert quiet >= 17


@pytest.mark.parametrize("thrift", [0.85, 1.2])
def test_a_real_difference_is_shown_with_its_figure(thrift):
    inside = shown = 0
    for seed in range(12):
        found = compare(a_loop(seed, thrift=thrift), a_loop(200 + seed), BIKE)
        inside += found.same_road.low <= thrift - 1 <= found.same_road.high
        shown += ("less" if thrift < 1 else "more") in found.sentence and "No difference" not in found.sentence
    assert inside >= 10 and shown >= 10


def test_a_faster_pace_is_taken_out():
    """Faster uses more per km; on the same road at the same pace it is the same bike."""
    plain = [compare(a_loop(seed, pace=0.42), a_loop(300 + seed, pace=0.2), BIKE) for seed in range(8)]
    assert all(one.plain.value > 0.05 for one in plain)
    assert np.mean([abs(one.same_road.value) for one in plain]) < 0.5 * np.mean([one.plain.value for one in plain])


def test_what_cannot_be_compared_says_why():
    loop = a_loop(1)
    bare = Ride("bare", loop.time_s, {"wheel_speed_kmh": loop.get("wheel_speed_kmh")})
    assert "bare: voltage and battery current" in compare(loop, bare, BIKE).sentence
    short = Ride("short", loop.time_s[:200], {name: values[:200] for name, values in loop.channels.items()})
    assert "km" in compare(short, loop, BIKE).sentence
