"""What a bike with gears is told: in everything the figures of the gear in use."""

import math
import random

import numpy as np
import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve, regen_curve
from crisp_hornet.core.heat.endurance import continuous_curve
from crisp_hornet.core.heat.guarding import climb, regen_by_charge
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.ride.measured_pull import measured_pull
from crisp_hornet.core.rider.assist import Motive, level_rides
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.rider.throttle import hill_start_back_m, twist_launch
from crisp_hornet.core.road.performance import launch
from crisp_hornet.core.road.vehicle import coasting_mass_kg
from crisp_hornet.core.rules.watch import watch_list
from tests.amount import of
from tests.bikes import a_bike, a_tune

SPEEDS = np.linspace(0.0, 70.0, 141)
WARM = Conditions(60.0)
FIGURES = {"motor__rotor_inertia_kgm2": 0.02, "motor__max_rpm": 4000}


def told(bike, tune):
    """Whatever is told of a bike, as plain figures."""
    curve = pull_curve(bike, tune, SPEEDS, WARM)
    hill, by_charge = climb(bike, tune, 0.1, 60.0), regen_by_charge(bike, tune)
    throttle = twist_launch(curve, tune.throttle, 1.0, grade=0.05)
    levels = level_rides(Motive.of(curve, tune), Rider(150.0, 70.0))
    ride = Ride("", np.arange(50.0), {"wheel_speed_kmh": np.linspace(5, 45, 50), "motor_rpm": np.linspace(5, 45, 50) * 20.8,
                                      "pack_v": np.full(50, 60.0), "battery_a": np.full(50, 20.0)})  # fmt: skip
    return [
        curve.wheel_force_n, continuous_curve(bike, tune, SPEEDS, 60.0).wheel_force_n, regen_curve(bike, tune, SPEEDS, WARM).wheel_force_n,
        launch(curve, 30.0).time_s, launch(curve, 30.0).distance_m, hill.speed_kmh, hill.winding_c, by_charge.braking_mps2,
        throttle.speed_kmh, hill_start_back_m(curve, tune.throttle, 0.1), [one.most_mps2 for one in levels],
        *derived(ride, bike).values(),
    ]  # fmt: skip


@pytest.mark.parametrize("freewheel", of([False], [True]))
def test_a_bike_with_one_gear_is_the_bike_of_that_ratio(freewheel):
    rng = random.Random(162)
    for _ in range(6):
        ratio, tune = rng.uniform(1, 4), a_tune(drive__motor_rpm=4000)
        plain = a_bike(drivetrain__ratio=ratio, drivetrain__freewheel=freewheel, **FIGURES)
        geared = a_bike(
            drivetrain__ratio=ratio * rng.uniform(0.4, 2.5), drivetrain__gears=[ratio], drivetrain__freewheel=freewheel, **FIGURES
        )  # fmt: skip
        for one, other in zip(told(plain, tune), told(geared, tune), strict=True):
            assert np.allclose(one, other, rtol=1e-9, atol=1e-9, equal_nan=True)
        names = [[warning.id for warning in watch_list(bike, tune)] for bike in (plain, geared)]
        assert names[0] == names[1]


def test_the_rotor_weighs_what_it_does_in_each_gear():
    """Against a sum of steps in time that reads force, load and gear from the curve itself."""
    bike = a_bike(
        drivetrain__gears=[4.0, 2.0, 1.2], chassis__tyre_grip=5.0, **(FIGURES | {"motor__rotor_inertia_kgm2": 0.2})
    )
    curve = pull_curve(bike, a_tune(drive__motor_rpm=4000, drive__phase_current_a=40), np.linspace(0, 60, 1201), WARM)
    radius, kmh, seconds = bike.drivetrain.wheel_circumference_m / 2 / math.pi, 0.0, 0.0
    while kmh < 30.0:
        at = int(np.searchsorted(curve.speed_kmh, kmh, side="right")) - 1
        mass = bike.mass_kg + (bike.chassis.wheel_inertia_kgm2 + 0.2 * curve.ratio[at] ** 2) / radius**2
        air = 0.6 * bike.chassis.cda_m2 * (kmh / 3.6) ** 2 + bike.mass_kg * 9.80665 * bike.chassis.crr
        kmh += (np.interp(kmh, curve.speed_kmh, curve.wheel_force_n) - air) / mass * 0.002 * 3.6
        seconds += 0.002
    assert launch(curve, 30.0).time_s == pytest.approx(seconds, rel=5e-3)
    assert len(set(curve.ratio[curve.speed_kmh <= 30.0])) > 1


def test_a_perfect_log_reads_its_own_force_in_whatever_gear_it_was_ridden():
    gears, tune = [3.0, 2.0, 1.2], a_tune(drive__motor_rpm=4000)
    bike = a_bike(drivetrain__gears=gears, drivetrain__ratio=2.0, **FIGURES)
    for ratio in gears:
        curve = pull_curve(bike.in_gear(ratio), tune, np.linspace(5, 30, 60), WARM)
        rpm = curve.shaft_speed * 30 / math.pi
        ride = Ride("", np.arange(60.0), {"wheel_speed_kmh": curve.speed_kmh, "motor_rpm": rpm, "phase_a": curve.phase_current_a,
                                          "d_axis_a": curve.id_a, "throttle": np.ones(60)})  # fmt: skip
        seen = measured_pull(ride, bike)
        pulls = curve.wheel_force_n > 0
        assert seen.force_n == pytest.approx(curve.wheel_force_n[pulls], rel=1e-6)
        assert set(seen.ratio) == {ratio}
        blind = Ride("", ride.time_s, {name: one for name, one in ride.channels.items() if name != "motor_rpm"})
        assert measured_pull(blind, bike) is None, "without the motor's speed nobody knows the gear"


def test_a_freewheel_neither_brakes_nor_drags_nor_turns_the_rotor():
    bike = a_bike(drivetrain__freewheel=True, **FIGURES)
    assert not regen_curve(bike, a_tune(), SPEEDS, WARM).wheel_force_n.any()
    assert not any("regen" in one.id for one in watch_list(bike, a_tune()) if one.strength.name != "NOTE")
    assert coasting_mass_kg(bike) == coasting_mass_kg(a_bike(**(FIGURES | {"motor__rotor_inertia_kgm2": 0.0})))
