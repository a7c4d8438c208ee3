"""What held the motor back along a ride, against the pull curve computed for each moment by itself."""

import numpy as np

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.ride.limit_along import LIMITS, limit_along
from crisp_hornet.core.ride.model_channels import model_channels
from tests.bikes import a_bike, a_tune

BIKE = a_bike()
TUNE = a_tune(drive__speed_kmh=46.0, drive__field_weakening_a=15, drive__phase_current_a=60)


def a_ride(rng, rows=3000):
    time = np.arange(rows) * 0.2
    speed = 25 + 24 * np.sin(time / 30)
    throttle = np.where(rng.random(rows) < 0.6, 1.0, rng.random(rows))
    motor = 40 + 90 * np.abs(np.sin(time / 150))
    return Ride("made", time, {"wheel_speed_kmh": speed, "throttle": throttle, "motor_c": motor}), 58 + 4 * np.cos(
        time / 200
    )


def test_each_moment_is_what_the_curve_of_that_moment_says():
    rng = np.random.default_rng(6)
    ride, rested = a_ride(rng)
    codes = limit_along(ride, BIKE, TUNE, rested)
    full = np.flatnonzero(ride.get("throttle") >= 0.95)
    names, right = set(), 0
    chosen = rng.choice(full, 300, replace=False)
    for row in chosen:
        state = Conditions(float(rested[row]), float(ride.get("motor_c")[row]))
        name = str(pull_curve(BIKE, TUNE, [ride.get("wheel_speed_kmh")[row]], state).limit[0])
        names.add(name)
        right += LIMITS[int(codes[row])] == name
    assert (
        right / len(chosen) > 0.96 and len(names) >= 4
    )  # what is rounded shows only where one limit gives way to another


def test_what_is_not_driven_or_not_known_says_so():
    time = np.arange(6) * 0.2
    ride = Ride("few", time, {
        "wheel_speed_kmh": np.array([10, 10, 10, np.nan, 10, 10.0]), "throttle": np.array([0.0, 0.4, 1.0, 1.0, np.nan, 1.0]),
        "brake": np.array([0, 0, 0, 0, 0, 1.0]),
    })  # fmt: skip
    codes = limit_along(ride, BIKE, TUNE, np.full(6, 60.0))
    assert [LIMITS[int(one)] if np.isfinite(one) else "" for one in codes] == [
        "none",
        "rider",
        "phase",
        "",
        "",
        "rider",
    ]


def test_a_ride_of_the_model_lies_on_the_model():
    """Channels written from a curve and worked out again: any two of them meet the model's line."""
    curve = pull_curve(BIKE, TUNE, np.linspace(1, 44, 200), Conditions(60.0))
    model = model_channels(curve)
    ride = Ride("full pull", np.arange(len(model["pack_v"])) * 0.1, {
        name: model[name] for name in ("wheel_speed_kmh", "pack_v", "battery_a", "phase_a")
    } | {"throttle": np.ones(len(model["pack_v"]))})  # fmt: skip
    found = derived(ride, BIKE, TUNE)
    assert np.allclose(found["battery_w"], model["battery_w"]) and np.allclose(
        found["phase_per_battery"], model["phase_per_battery"]
    )
    assert np.allclose(found["rested_v"], 60.0, atol=1e-6)
    turns = model["wheel_speed_kmh"] / 3.6 / BIKE.drivetrain.wheel_circumference_m
    assert np.allclose(model["motor_rpm"], 60 * turns * BIKE.drivetrain.ratio)
    force_n = np.interp(model["wheel_speed_kmh"], curve.speed_kmh, curve.wheel_force_n)
    assert np.allclose(model["wheel_w"], force_n * model["wheel_speed_kmh"] / 3.6)
    assert np.allclose(model["efficiency"] * model["battery_w"], 100 * model["wheel_w"])
    driven = curve.limit[curve.running & (curve.wheel_force_n > 0)]
    assert np.mean([LIMITS[int(one)] == name for one, name in zip(found["limit"], driven, strict=True)]) > 0.96
