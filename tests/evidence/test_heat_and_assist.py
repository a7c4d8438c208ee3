"""Heat paths and assist against made rides whose truth is known."""

import numpy as np
import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.assist_seen import levels_seen
from crisp_hornet.core.evidence.heat_seen import heat_paths
from crisp_hornet.core.evidence.hill_seen import hardest_minute, hill_words
from crisp_hornet.core.evidence.pull_seen import pull_seen
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.rider.assist import Motive
from tests.amount import some
from tests.bikes import a_bike, a_tune
from tests.evidence.test_findings import full_pulls, on_level, two_levels

BIKE = a_bike(controller__resistance_ohm=0.02)


def a_climb(rng, between, to_air, sink_to_air, minutes=25, air=15.0):
    """Three nodes stepped every 0.1 s with figures of its own for copper and iron; sensors with noise and steps."""
    hz, motor, sink = 10, BIKE.motor, BIKE.controller.thermal
    count = minutes * 60 * hz
    time = np.arange(count) / hz
    amps = np.repeat(rng.choice([0, 30, 60, 90], count // 300 + 1), 300)[:count].astype(float)
    speed = np.repeat(rng.uniform(12, 35, count // 200 + 1), 200)[:count] * (amps > 0)
    winding = housing = stage = float(air + rng.normal(0, 1.2))  # it comes out of a garage
    found = np.empty((count, 2))
    hz_electric = motor.pole_pairs * speed / 3.6 / BIKE.drivetrain.wheel_circumference_m
    iron = (
        motor.hysteresis_loss_w_per_hz * hz_electric + motor.eddy_loss_w_per_hz2 * hz_electric**2
    ) + motor.friction_nm * (2 * np.pi * speed / 3.6 / BIKE.drivetrain.wheel_circumference_m)
    for at, (phase, kmh, lost) in enumerate(zip(amps.tolist(), speed.tolist(), iron.tolist(), strict=True)):
        found[at] = winding, stage
        copper = 1.5 * motor.phase_resistance_ohm * (1 + 0.00385 * (winding - 25)) * phase**2
        flow, v = between * (winding - housing), kmh / 3.6
        winding += (copper - flow) / motor.thermal.winding_j_per_k / hz
        away = (to_air + motor.thermal.airflow_w_per_k_per_mps * v) * (housing - air)
        housing += (lost + flow - away) / motor.thermal.housing_j_per_k / hz
        made = 1.5 * BIKE.controller.resistance_ohm * phase**2 + BIKE.controller.idle_w
        stage += (made - (sink_to_air + sink.airflow_w_per_k_per_mps * v) * (stage - air)) / sink.heatsink_j_per_k / hz
    noisy = np.round(found + rng.normal(0, 0.3, found.shape))
    return Ride(
        "climb", time, {"phase_a": amps, "wheel_speed_kmh": speed, "motor_c": noisy[:, 0], "controller_c": noisy[:, 1]}
    )


def test_heat_paths_hold_the_truth():
    inside = {"winding_to_housing": 0, "housing_to_air": 0, "controller_to_air": 0}
    known = dict(inside)
    for seed in range(some(40, 20)):
        rng = np.random.default_rng(seed)
        truth = {
            "winding_to_housing": rng.uniform(2.5, 6),
            "housing_to_air": rng.uniform(1.5, 5),
            "controller_to_air": rng.uniform(1, 3),
        }
        paths = heat_paths(a_climb(rng, *truth.values(), air=rng.uniform(5, 28)), BIKE)
        for name, value in truth.items():
            one = getattr(paths, name)
            known[name] += one.known
            inside[name] += one.known and one.low <= value <= one.high
    for name in inside:
        assert known[name] >= 0.9 * some(40, 20) and inside[name] >= 0.88 * known[name], (
            name,
            inside[name],
            known[name],
        )


def test_the_hardest_minute_is_held_as_long_as_the_ride_warmed():
    """The truth cools worse than the document: the fade comes sooner than predicted, and the time that a made climb takes lies inside."""
    rng, truth = np.random.default_rng(4), (3.2, 2.0, 1.5)
    ride = a_climb(rng, *truth)
    tune = a_tune(heat_guard__motor_fade_start_c=100.0)
    found = hardest_minute(ride, BIKE, tune, heat_paths(ride, BIKE))
    assert found.seen_min.known and found.seen_min.value < found.predicted_min
    climb = a_held_climb(found.current_a, found.speed_kmh, truth[0], truth[1], float(ride.get("motor_c")[0]))
    reached = float(np.argmax(climb >= 100.0)) / 600
    assert found.seen_min.low * 0.97 <= reached <= found.seen_min.high * 1.03
    assert "as predicted" in hill_words(found)
    assert (
        hardest_minute(Ride("bare", ride.time_s, {"motor_c": ride.get("motor_c")}), BIKE, tune, heat_paths(ride, BIKE))
        is None
    )


def a_held_climb(amps, kmh, between, to_air, cold):
    """The winding, stepped every 0.1 s for an hour."""
    motor, winding, housing, found = BIKE.motor, cold, cold, []
    hz = motor.pole_pairs * kmh / 3.6 / BIKE.drivetrain.wheel_circumference_m
    iron = (
        motor.hysteresis_loss_w_per_hz * hz
        + motor.eddy_loss_w_per_hz2 * hz**2
        + motor.friction_nm * 2 * np.pi * hz / motor.pole_pairs
    )
    for _ in range(36000):
        found.append(winding)
        flow = between * (winding - housing)
        copper = 1.5 * motor.phase_resistance_ohm * (1 + 0.00385 * (winding - 25)) * amps**2
        winding += 0.1 * (copper - flow) / motor.thermal.winding_j_per_k
        away = (to_air + motor.thermal.airflow_w_per_k_per_mps * kmh / 3.6) * (housing - cold)
        housing += 0.1 * (iron + flow - away) / motor.thermal.housing_j_per_k
    return np.array(found)


def test_a_ride_that_hardly_warms_says_so():
    ride = a_climb(np.random.default_rng(1), 4, 3, 2, minutes=6)
    cold = Ride("cold", ride.time_s, ride.channels | {"motor_c": np.full(len(ride), 20.0)})
    assert "warmed by 0 K only" in heat_paths(cold, BIKE).winding_to_housing.reason
    assert (
        "are needed"
        in heat_paths(Ride("bare", ride.time_s, {"motor_c": ride.get("motor_c")}), BIKE).housing_to_air.reason
    )
    for lacking in ("phase_a", "wheel_speed_kmh"):
        told = {name: values for name, values in ride.channels.items() if name != lacking}
        assert "are needed" in heat_paths(Ride("bare", ride.time_s, told), BIKE).winding_to_housing.reason


@pytest.mark.parametrize("ratio", [0.8, 2.0, 4.5])
def test_watts_for_a_watt_delay_and_start_of_a_level(ratio):
    low, high = levels_seen(two_levels(ratio, 1.3 * ratio), BIKE)
    assert (low.level, high.level) == (1, 2)
    assert low.watts_per_watt.value == pytest.approx(ratio, rel=0.02) and high.watts_per_watt.value == pytest.approx(
        1.3 * ratio, rel=0.02
    )
    assert low.watts_per_watt.low <= ratio * 1.005 and low.watts_per_watt.high >= ratio * 0.995
    (late,) = levels_seen(on_level(3, delay_rows=6), BIKE)
    assert late.level == 3 and late.delay_s.value == pytest.approx(1.2, abs=0.41)
    assert late.peak_mps2.value == pytest.approx(0.35 / 3.6 / 0.2, rel=0.1)  # as it was made
    assert 0.5 * late.peak_mps2.value < late.usual_most_mps2.value <= late.peak_mps2.value


@pytest.mark.parametrize(("share", "level"), [(0.0, 5), (0.3, 5), (0.7, 2), (1.0, 5)])
def test_how_often_a_level_gave_all_it_may(share, level):
    """Blocks of pedalling with all the pack may give for that level, and with three quarters of it; the truth lies inside."""
    tune = a_tune()
    curve = pull_curve(BIKE, tune, np.linspace(0, 60, 241), Conditions(62.0))
    at_20 = np.flatnonzero(curve.speed_kmh == 20)[0]
    most = min(curve.wheel_w[at_20], tune.assist.levels[level - 1].power_share * curve.wheel_w.max())
    full = np.repeat(np.random.default_rng(2).permutation(100) < 100 * share, 40)
    time = np.arange(len(full)) * 0.2
    drawn = np.where(full, 1.0, 0.75) * most / curve.efficiency[at_20] + BIKE.controller.idle_w
    same = {
        "wheel_speed_kmh": 20.0, "human_nm": 30.0, "cadence_rpm": 70.0, "throttle": 0.0, "level": float(level), "pack_v": 60.0
    }  # fmt: skip
    ride = Ride(
        "blocks", time, {name: np.full(len(time), value) for name, value in same.items()} | {"battery_a": drawn / 60}
    )
    (seen,) = levels_seen(ride, BIKE, Motive.of(curve, tune))
    assert seen.all_given.low - 0.01 <= share <= seen.all_given.high + 0.01 and seen.all_given.half_width < 0.12
    assert ("never all it may give" if share == 0 else "all it may give in") in seen.in_words
    (unknown,) = levels_seen(ride, BIKE)
    assert "has no assist level" in unknown.all_given.reason and "all it may" not in unknown.in_words


def test_pull_against_the_edge_and_what_it_needs():
    ride, curve = full_pulls(0.9)
    seen = pull_seen(ride, curve)
    assert seen.battery.value == pytest.approx(0.9, abs=0.03) and "on which the speed stood" in seen.top_kmh.reason
    by_phase = curve.limit[np.searchsorted(curve.speed_kmh, ride.get("wheel_speed_kmh")).clip(0, 240)] == "phase"
    less = {name: ride.get(name) * np.where(by_phase, 0.8, 1.0) for name in ("phase_a", "battery_a") if ride.has(name)}
    apart = pull_seen(Ride("apart", ride.time_s, ride.channels | less), curve)
    assert apart.battery.value == pytest.approx(0.9, abs=0.03)  # what the phase limit held is not counted here
    nothing = pull_seen(Ride("volts", ride.time_s, {"pack_v": ride.get("pack_v")}), curve)
    assert not nothing.phase.known and "speed and throttle" in nothing.by_speed.reason


def test_top_speed_is_the_mean_of_both_ways():
    curve = pull_curve(BIKE, a_tune(), np.linspace(0, 60, 121), Conditions(62.0))
    rows = 300
    speed = np.concatenate([np.full(rows, 44.0), np.linspace(44, 5, 50), np.linspace(5, 40, 50), np.full(rows, 40.0)])
    throttle = np.concatenate([np.ones(rows), np.zeros(50), np.ones(50 + rows)])
    way = np.concatenate([np.ones(rows + 50), -np.ones(50 + rows)])
    north = np.cumsum(way * speed / 3.6 * 0.2)
    channels = {
        "wheel_speed_kmh": speed,
        "throttle": throttle,
        "lat_deg": 47 + north / 111_195,
        "lon_deg": np.full(len(speed), 11.0),
    }
    seen = pull_seen(Ride("both ways", np.arange(len(speed)) * 0.2, channels), curve)
    assert seen.top_kmh.value == pytest.approx(42.0, abs=0.1)
    first = {name: values[: rows + 50] for name, values in channels.items()}
    assert "one way only" in pull_seen(Ride("one way", np.arange(rows + 50) * 0.2, first), curve).top_kmh.reason
