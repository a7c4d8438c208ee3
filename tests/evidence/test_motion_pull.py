"""Pull from motion against rides whose driving force is known, made without the core."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.motion_pull import motion_pull
from crisp_hornet.core.evidence.pull_seen import full_pull
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import even
from tests.amount import some
from tests.bikes import a_bike
from tests.evidence.rides import a_round, hidden

BIKE = a_bike()


@pytest.mark.long
def test_the_interval_of_pull_from_motion_holds_the_force_as_often_as_it_says():
    """Rolling and air of the truth are off by up to a quarter, and wind blows; the wheel's stretch is known as the ride told it."""
    inside = count = 0
    for seed in range(some(10, 6)):
        rng = np.random.default_rng(500 + seed)
        truth = hidden(BIKE, rng)
        truth.crr, truth.cda = (one * rng.uniform(0.8, 1.25) for one in (BIKE.chassis.crr, BIKE.chassis.cda_m2))
        smooth = even(
            a_round(truth, rng, minutes=50), ("wheel_speed_kmh", "throttle", "brake", "human_nm", "altitude_m")
        )
        found = motion_pull(smooth, BIKE, full_pull(smooth, BIKE, truth.wheel))
        if found is None:
            continue
        for kmh, low, high in zip(found.speed_kmh, found.low_n, found.high_n, strict=True):
            mps = kmh * truth.wheel / 3.6
            force = min(380, 2200 / mps)
            inside, count = inside + (low <= force <= high), count + 1
    assert count > 20 and inside / count > 0.88, (inside, count)


def test_neither_currents_nor_the_motors_constant_move_it():
    rng = np.random.default_rng(7)
    ride = a_round(hidden(BIKE, rng), rng, minutes=50)
    stronger = BIKE.model_copy(update={"motor": BIKE.motor.model_copy(update={"flux_linkage_wb": 0.04})})
    wrong = Ride(ride.name, ride.time_s, ride.channels | {"battery_a": 3 * ride.get("battery_a")})
    told = []
    for one, bike in ((ride, BIKE), (wrong, stronger)):
        smooth = even(one, ("wheel_speed_kmh", "throttle", "brake", "human_nm", "altitude_m", "battery_a"))
        told.append(motion_pull(smooth, bike, full_pull(smooth, bike)))
    assert np.array_equal(told[0].force_n, told[1].force_n) and np.array_equal(told[0].low_n, told[1].low_n)
