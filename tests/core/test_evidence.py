"""Peaks, energy and findings from rides whose truth is known."""

import numpy as np
import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.evidence.peaks import energy, peaks
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.measured_pull import measured_pull
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.core.road.vehicle import centre_of_gravity
from tests.bikes import a_bike, a_tune

SPEEDS = np.linspace(0, 50, 400)


def findings(ride, tune, curve):
    return judge(ride, a_bike(), tune, curve)[1]


def a_pull(bike, tune, weaker=1.0, rested_v=62.0):
    """A ride of the tests' own: ten seconds at rest, then full throttle through all speeds exactly on the curve."""
    v = np.linspace(1, 40, 391)
    curve = pull_curve(bike, tune, v, Conditions(rested_v))
    rest = np.zeros(50)
    idle = np.full(50, bike.controller.idle_w / rested_v)
    join = lambda resting, riding: np.concatenate((resting, riding))
    return Ride(
        "pull",
        np.arange(441) * 0.2,
        {
            "wheel_speed_kmh": join(rest, v),
            "pack_v": join(rested_v - idle * bike.battery.resistance_ohm, curve.pack_v),
            "battery_a": join(idle, curve.battery_current_a),
            "phase_a": join(rest, weaker * curve.iq_a),
            "throttle": join(rest, np.ones_like(v)),
            "motor_c": np.full(441, 25.0),
        },
    ), curve


def test_peaks_know_the_limit_the_moment_and_the_time_at_it():
    ride = Ride(
        "r",
        np.array([0, 1, 2, 3, 10.0, 11]),
        {"battery_a": np.array([1, 29.5, 30.4, np.nan, 3, 3]), "pack_v": np.array([62, 60, 48.0, 61, 61, 61])},
    )
    found = {one.channel: one for one in peaks(ride, a_tune())}
    battery, pack = found["battery_a"], found["pack_v"]
    assert (battery.value, battery.at_s, battery.limit, battery.reached, battery.at_limit_s) == (30.4, 2, 30, True, 2)
    assert (pack.value, pack.at_s, pack.reached, pack.at_limit_s) == (48, 2, True, 1)
    assert "phase_a" not in found  # what was not logged is not judged


def test_energy_of_a_ride_with_a_gap_and_regen():
    time = np.array([0, 1, 2, 3, 100, 101.0])
    ride = Ride(
        "r",
        time,
        {
            "pack_v": np.full(6, 60.0),
            "battery_a": np.array([10, 10, -5, 0, 10, 10.0]),
            "wheel_speed_kmh": np.full(6, 36.0),
        },
    )
    used = energy(ride)
    assert used.wh_out == pytest.approx(60 * 10 * 3 / 3600) and used.wh_back == pytest.approx(60 * 5 / 3600)
    assert used.distance_km == pytest.approx(0.04) and used.wh_per_km is None
    assert energy(Ride("r", time, {"pack_v": np.full(6, 60.0)})) is None


@pytest.mark.parametrize("without_phase", [False, True])
def test_measured_pull_lands_on_the_curve_it_came_from(without_phase):
    bike = a_bike()
    ride, curve = a_pull(bike, a_tune())
    if without_phase:  # then it comes from volts and amps
        ride = Ride(
            ride.name, ride.time_s, {name: values for name, values in ride.channels.items() if name != "phase_a"}
        )
    measured = measured_pull(ride, bike)
    expected = np.interp(measured.speed_kmh, curve.speed_kmh, curve.wheel_force_n)
    assert np.allclose(measured.force_n, expected, rtol=1e-6) and measured.full_throttle.all()
    assert measured_pull(Ride("r", ride.time_s, {"pack_v": ride.get("pack_v")}), bike) is None


def test_the_start_of_a_ride_gives_the_rested_voltage():
    ride, _ = a_pull(a_bike(), a_tune(), rested_v=60.5)
    assert conditions_at_start(ride, a_bike()).rested_v == pytest.approx(60.5, abs=1e-6)
    assert conditions_at_start(Ride("r", np.array([0.0, 1.0])), a_bike()) is None


def test_a_ride_on_the_edge_finds_its_limits_and_no_weakness():
    bike, tune = a_bike(), a_tune()
    ride, curve = a_pull(bike, tune)
    found = {one.id: one for one in findings(ride, tune, curve)}
    assert "under-edge" not in found
    assert "reached" in found["battery_a-reached"].text and "30.0 A, limit 30 A" in found["battery_a-reached"].text
    assert found["pack_v-room"].severity == "settled" and "not tested" in found["pack_v-room"].reason


def test_a_weaker_bike_is_found_with_its_figure():
    bike, tune = a_bike(), a_tune()
    ride, curve = a_pull(bike, tune, weaker=0.88)
    under = next(one for one in findings(ride, tune, curve) if one.id == "under-edge")
    assert under.severity == "warn" and under.at_s is not None
    assert any(f"{percent} % less pull" in under.text for percent in (12, 13))


def test_a_limit_never_reached_and_a_guard_at_work():
    bike, tune = a_bike(), a_tune(battery_guard__fade_start_v=60.0)
    ride, curve = a_pull(bike, a_tune(drive__battery_current_a=20))
    ids = {one.id for one in findings(ride, tune, curve)}
    assert "battery_a-not-reached" in ids
    low = Ride(ride.name, ride.time_s, ride.channels | {"pack_v": ride.get("pack_v") - 3})
    assert next(one for one in findings(low, tune, curve) if one.id == "pack_v-fade").severity == "warn"


def test_listed_masses_give_the_centre_of_gravity():
    masses = [{"name": "a", "kg": 30, "x_m": 0.0, "z_m": 0.5}, {"name": "b", "kg": 10, "x_m": 1.0, "z_m": 1.5}]
    assert centre_of_gravity(a_bike(chassis__masses=masses)) == pytest.approx((0.25, 0.75))
