"""Road figures against time-stepping and closed forms."""

import math
import random

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from crisp_hornet.core.drive.inverse import BATTERY, PHASE, WEAKENING, setting_for_force
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.heat.endurance import seconds_of_full_pull
from crisp_hornet.core.road.consequences import on_the_road
from crisp_hornet.core.road.performance import (
    front_wheel_keeps,
    launch,
    launch_time_s,
    operating_point,
    steady_ride,
    steady_speed_kmh,
)
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n
from tests.bikes import a_bike, a_tune

SPEEDS = np.linspace(0, 70, 400)


def force_at(bike, tune, v_kmh):
    return float(pull_curve(bike, tune, [v_kmh], Conditions(62.0)).wheel_force_n[0])


def load_at(v_kmh, grade, mass=166, crr=0.011, cda=0.75):
    angle = math.atan(grade)
    return mass * 9.80665 * (crr * math.cos(angle) + math.sin(angle)) + 0.6 * cda * (v_kmh / 3.6) ** 2


@pytest.mark.parametrize("grade", [0.0, 0.04, 0.10])
def test_launch_time_agrees_with_time_stepping(grade):
    bike, tune = a_bike(), a_tune()
    curve = pull_curve(bike, tune, SPEEDS, Conditions(62.0))
    target = 0.9 * steady_speed_kmh(curve, grade)
    mass = 166 + 0.2 / (1.59 / (2 * math.pi)) ** 2
    reached = lambda t, v: v[0] * 3.6 - target
    reached.terminal = True
    run = solve_ivp(
        lambda t, v: [(force_at(bike, tune, v[0] * 3.6) - load_at(v[0] * 3.6, grade)) / mass],
        (0, 120),
        [0.0],
        events=reached,
        rtol=1e-7,
        atol=1e-9,
        max_step=0.2,
    )
    assert launch_time_s(curve, target, grade) == pytest.approx(run.t_events[0][0], rel=2e-3)
    assert launch(curve, target, grade).distance_m == pytest.approx(np.trapezoid(run.y[0], run.t), rel=3e-3)


@pytest.mark.parametrize("grade", [0.0, 0.06, 0.12])
def test_steady_speed_balances_pull_and_load(grade):
    bike, tune = a_bike(), a_tune()
    curve = pull_curve(bike, tune, SPEEDS, Conditions(62.0))
    exact = brentq(lambda v: force_at(bike, tune, v) - load_at(v, grade), 0.1, 60)
    assert steady_speed_kmh(curve, grade) == pytest.approx(exact, abs=0.05)


def test_what_cannot_start_stays_and_what_never_arrives_takes_for_ever():
    weak = pull_curve(a_bike(), a_tune(drive__phase_current_a=10), SPEEDS, Conditions(62.0))
    assert steady_speed_kmh(weak, 0.12) == 0.0
    assert launch_time_s(weak, 25, 0.12) == math.inf
    assert launch_time_s(pull_curve(a_bike(), a_tune(), SPEEDS, Conditions(62.0)), 69) == math.inf


def test_front_wheel_lifts_where_the_moments_say():
    bike = a_bike()
    assert lift_force_n(bike) == pytest.approx(166 * 9.80665 * 0.85 / 0.95)
    assert math.isinf(lift_force_n(a_bike(chassis__driven_wheel="front")))
    curve = pull_curve(bike, a_tune(), SPEEDS, Conditions(62.0))
    assert front_wheel_keeps(curve) == pytest.approx(1 - curve.wheel_force_n.max() / lift_force_n(bike))


@pytest.mark.parametrize("wheel", ["rear", "front"])
def test_grip_balances_the_driven_wheels_load(wheel):
    bike = a_bike(chassis__driven_wheel=wheel, chassis__tyre_grip=0.6)
    force, weight = grip_force_n(bike), 166 * 9.80665
    sign, share = (1, 1 - 0.85 / 1.9) if wheel == "rear" else (-1, 0.85 / 1.9)
    assert force == pytest.approx(0.6 * (weight * share + sign * force * 0.95 / 1.9))


def test_steady_ride_energy_matches_the_power_balance():
    ride = steady_ride(a_bike(), 30.0, 62.0)
    road_w = load_at(30, 0) * 30 / 3.6
    assert ride.battery_w > road_w
    assert ride.wh_per_km == pytest.approx(62.0 * ride.battery_current_a / 30.0, rel=1e-9)


def test_the_operating_point_inverts_the_pull_curve():
    bike, tune = a_bike(), a_tune()
    curve = pull_curve(bike, tune, [10.0, 30.0, 38.0], Conditions(62.0, 50.0))
    for k, v in enumerate(curve.speed_kmh):
        point = operating_point(bike, float(v), float(curve.wheel_force_n[k]), 62.0, 50.0)
        assert point.iq_a == pytest.approx(curve.iq_a[k]) and point.battery_current_a == pytest.approx(
            curve.battery_current_a[k]
        )


@pytest.mark.parametrize("setting", [PHASE, BATTERY, WEAKENING])
def test_a_setting_for_a_force_gives_that_force(setting):
    """Take a curve, forget one limit, and find it again from a point that it sets."""
    rng = random.Random(setting)
    for _ in range(12):
        truth = a_tune(drive__phase_current_a=rng.uniform(60, 160), drive__battery_current_a=rng.uniform(15, 55),
                       drive__field_weakening_a=rng.uniform(5, 60))  # fmt: skip
        bike = a_bike(motor__lq_h=rng.choice([1.4e-4, 2.5e-4]), motor__max_rpm=3000)
        truth = truth.with_setting("drive.motor_rpm", 3000)
        curve = pull_curve(bike, truth, np.linspace(2, 60, 60), Conditions(62.0))
        name = {PHASE: "phase", BATTERY: "battery", WEAKENING: "weakening"}[setting]
        set_here = np.flatnonzero((curve.limit == name) & (curve.wheel_force_n > 5))
        if set_here.size == 0:
            continue
        k = int(set_here[len(set_here) // 2])
        found = setting_for_force(
            bike, truth, setting, 180.0, curve.speed_kmh[k], curve.wheel_force_n[k], Conditions(62.0)
        )
        assert found == pytest.approx(truth.setting(setting), rel=0.01, abs=0.2)
    none = setting_for_force(a_bike(), a_tune(), setting, 180.0, 10.0, 1e6, Conditions(62.0))
    assert 0 <= none <= 180


def test_what_a_tune_means_on_the_road_is_what_each_part_says():
    """The six figures beside the chart, each asked for on its own; heat by integrating full pull at the hill's speed."""
    bike, tune, conditions = a_bike(), a_tune(), Conditions(62.0)
    speeds = np.linspace(0.0, 60.0, 241)
    curve = pull_curve(bike, tune, speeds, conditions)
    every = 8
    hot_s = seconds_of_full_pull(curve, tune, every)
    hill, top, launch, front, hot, cruise = on_the_road(curve, conditions, hot_s, every)
    uphill = brentq(lambda v: np.interp(v, speeds, curve.wheel_force_n) - load_at(v, 0.12), 1.0, 59.0)
    assert hill.value == pytest.approx(uphill, abs=0.1) and hill.unit == "km/h"
    assert top.value == pytest.approx(steady_speed_kmh(curve, 0.0)) and launch.value == pytest.approx(
        launch_time_s(curve, 25.0)
    )
    assert front.value == pytest.approx(100 * front_wheel_keeps(curve))
    assert (
        hot.value == pytest.approx(float(np.interp(uphill, speeds[::every], hot_s)) / 60, rel=0.15) and hot.value < 60
    )
    assert cruise.value == pytest.approx(steady_ride(bike, 30.0, 62.0).wh_per_km)
