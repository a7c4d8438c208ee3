"""Electric power predicted along a ride, against the single operating points and against a made ride."""

import numpy as np
import pytest

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.ride.predicted import predicted_w
from crisp_hornet.core.road.performance import steady_ride
from tests.bikes import a_bike

BIKE = a_bike()


def test_a_steady_ride_takes_what_its_operating_point_takes():
    speeds, grades = np.array([10.0, 20.0, 30.0, 38.0]), (0.0, 0.03)
    for grade in grades:
        one = [steady_ride(BIKE, float(speed), 60.0, grade, 40.0).battery_w for speed in speeds]
        for speed, watts in zip(speeds, one, strict=True):
            rows = np.full(9, speed)
            found = predicted_w(BIKE, rows, np.zeros(9), np.full(9, grade), np.zeros(9), 60.0)
            assert found == pytest.approx(np.full(9, watts), rel=1e-3)


def test_the_riders_watts_and_going_down_take_from_it():
    rows = np.full(9, 25.0)
    alone = predicted_w(BIKE, rows, np.zeros(9), np.zeros(9), np.zeros(9), 60.0)
    helped = predicted_w(BIKE, rows, np.zeros(9), np.zeros(9), np.full(9, 60.0), 60.0)
    down = predicted_w(BIKE, rows, np.zeros(9), np.full(9, -0.08), np.zeros(9), 60.0)
    assert np.all(helped < alone - 40) and down == pytest.approx(np.full(9, BIKE.controller.idle_w))


def test_a_ride_made_by_the_model_is_predicted_as_it_was():
    time = np.arange(0, 400, 0.2)
    speed = 22 + 8 * np.sin(time / 25)
    gained = np.gradient(speed / 3.6, time)
    watts = predicted_w(BIKE, speed, gained, np.zeros(len(time)), np.zeros(len(time)), 60.0)
    amps = watts / 58
    ride = Ride(
        "made", time, {"wheel_speed_kmh": speed, "pack_v": 60 - amps * BIKE.battery.resistance_ohm, "battery_a": amps}
    )
    found = derived(ride, BIKE)["predicted_w"]
    assert np.nanmedian(np.abs(found - watts)[20:-20]) < 0.03 * np.nanmax(watts)
