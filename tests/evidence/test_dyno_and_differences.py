"""Dyno runs averaged, and what differs between rides, tunes, and a ride and its prediction."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.compare import compare
from crisp_hornet.core.evidence.differences import against_prediction, between_rides, between_tunes
from crisp_hornet.core.evidence.dyno import dyno_runs, stronger
from crisp_hornet.core.evidence.effects import effects_between
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.ride.along_way import per_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.road.vehicle import effective_mass_kg
from tests.bikes import a_bike, a_tune
from tests.evidence.rides import a_round
from tests.evidence.test_compare import a_loop
from tests.evidence.test_findings import as_told

BIKE = a_bike()


def pulls(rng, force=300.0, count=4, mass=None, rough=6.0):
    """Pulls from a stand with an even force at the road, which differs from pull to pull by ``rough`` N; closed form: v = a·t."""
    mass = mass or effective_mass_kg(BIKE)
    speed, throttle = [np.zeros(10)], [np.zeros(10)]
    for _ in range(count):
        v = np.arange(0, 12.0, 0.2) * (force + rng.normal(0, rough)) / mass
        speed += [3.6 * v, np.linspace(3.6 * v[-1], 0, 40), np.zeros(10)]
        throttle += [np.ones(len(v)), np.zeros(50)]
    speed = np.concatenate(speed) + rng.normal(0, 0.05, sum(map(len, speed)))
    return Ride("pulls", np.arange(len(speed)) * 0.2, {"wheel_speed_kmh": speed, "throttle": np.concatenate(throttle)})


def test_runs_are_found_averaged_and_their_band_holds_the_truth():
    """On a stand the force is the flywheel's alone."""
    inside, shares = 0, []
    for seed in range(40):
        found = dyno_runs(pulls(np.random.default_rng(seed), mass=80.0, force=100.0, rough=3.0), BIKE, flywheel_kg=80.0)
        assert len(found.runs) == 4 and found.at_s[0] == pytest.approx(2.0, abs=0.3)
        at = int(np.searchsorted(found.speed_kmh, 30.0))
        truth = 100.0 * found.speed_kmh[at] / 3.6
        inside += found.low_w[at] <= truth <= found.high_w[at]
        shares.append(found.power_w[at] / truth)
    assert 34 <= inside <= 40 and np.mean(shares) == pytest.approx(1.0, abs=0.01)
    alone = dyno_runs(pulls(np.random.default_rng(1), count=1), BIKE)
    assert len(alone.runs) == 1 and np.isnan(alone.low_w).all() and alone.peak[0] > 0


def test_a_wheel_that_rolls_further_than_shown_gives_more_power_at_the_same_shown_speed():
    ride = pulls(np.random.default_rng(6), mass=80.0, force=100.0, rough=0.0)
    plain, real = (dyno_runs(ride, BIKE, 80.0, stretch) for stretch in (1.0, 1.03))
    more = np.interp(30.0, real.speed_kmh, real.power_w) / np.interp(30.0, plain.speed_kmh, plain.power_w)
    assert more == pytest.approx(1.03**2, rel=0.01) and real.speed_kmh[-1] == pytest.approx(
        plain.speed_kmh[-1], abs=1.0
    )


def test_the_slope_is_taken_out_of_a_pull():
    ride = pulls(np.random.default_rng(2), rough=0.0)
    way = np.cumsum(ride.get("wheel_speed_kmh")) / 3.6 * 0.2
    level, climbing = (dyno_runs(Ride("hill", ride.time_s, ride.channels | {"altitude_m": height}), BIKE)
                       for height in (np.zeros(len(way)), 0.04 * way))  # fmt: skip
    more = climbing.power_w - level.power_w
    expected = BIKE.mass_kg * 9.80665 * np.sin(np.arctan(0.04)) * level.speed_kmh / 3.6
    assert np.allclose(more[8:-3], expected[8:-3], rtol=0.08)


def test_before_and_after_is_told_from_chance_only_with_pulls_enough():
    rng = np.random.default_rng(5)
    before, after = (dyno_runs(pulls(rng, force=force), BIKE) for force in (300.0, 330.0))
    more = stronger(after, before)
    assert more.low > 0.03 and more.low <= 0.09 <= more.high  # the road load's share stays
    same = stronger(dyno_runs(pulls(rng), BIKE), before)
    assert same.low <= 0 <= same.high
    assert "two each" in stronger(dyno_runs(pulls(rng, count=1), BIKE), before).reason
    assert (
        dyno_runs(
            Ride("slow", np.arange(50) * 0.2, {"wheel_speed_kmh": np.full(50, 5.0), "throttle": np.ones(50)}), BIKE
        )
        is None
    )


def test_wh_per_km_along_the_way_sums_to_the_whole():
    time = np.arange(0, 600, 0.5)
    way = time * 6.0 / 1000
    watts = 200 + 100 * np.sin(time / 30)
    km, wh_per_km = per_km(time, way, watts)
    assert km[0] == 0.125 and np.nansum(wh_per_km[:-1] * 0.25) == pytest.approx(
        watts[: int(3.5 / 0.003)].sum() * 0.5 / 3600, rel=0.01
    )
    gap = per_km(np.where(time > 300, time + 900, time), way, watts)[1]
    assert np.isfinite(gap).sum() >= len(gap) - 1 and np.nanmax(gap) < 15  # the pause is worth nothing


def test_the_difference_that_matters_comes_first():
    tune = a_tune()
    first, second = a_loop(1, thrift=0.8), a_loop(201)
    verdicts = tuple(judge(one, BIKE, tune, None)[0] for one in (first, second))
    found = between_rides(verdicts, (first, second), compare(first, second, BIKE), (None, None))
    assert found[0].what.startswith("consumption, same road") and "less" in found[0].in_words
    order = [one.shown for one in found]
    assert order == sorted(order, reverse=True) and not next(one for one in found if one.what == "greatest speed").shown
    same = between_rides((verdicts[1], verdicts[1]), (second, second), compare(second, second, BIKE), (None, None))
    assert not any(one.shown for one in same) and "no difference can be shown" in same[0].in_words


def test_a_ride_against_its_prediction_names_the_stretch_that_stands_out():
    """The ride has a third more than it should between two places, as with a brake that rubs."""
    ride = a_round(as_told(), np.random.default_rng(8), minutes=25)
    drag = np.where((ride.time_s > 700) & (ride.time_s < 790) & (ride.get("wheel_speed_kmh") > 5), 15.0, 0.0)
    ride = Ride("rubs", ride.time_s, ride.channels | {"battery_a": ride.get("battery_a") + drag})
    found = {one.what: one for one in against_prediction(ride, BIKE)}
    assert (
        "energy while driving" in found
        and any(name.startswith("on ") for name in found)
        and any(name.startswith("at ") for name in found)
    )
    stands = next(one for name, one in found.items() if name.startswith("stands out"))
    assert 600 < stands.at_s < 790 and stands.change.value > 0
    assert against_prediction(Ride("bare", ride.time_s, {"wheel_speed_kmh": ride.get("wheel_speed_kmh")}), BIKE) == []


def test_one_tune_against_another_by_what_is_predicted():
    tune = a_tune(drive__battery_current_a=30)
    stronger_tune = tune.with_setting("drive.battery_current_a", 40.0)
    speeds = np.linspace(0, 70, 281)
    found = between_tunes(effects_between(BIKE, tune, stronger_tune, 62.0, speeds))
    hill = next(one for one in found if one.what == "12 % hill")
    assert hill.shown and hill.change.value > 0.1 and "more" in hill.in_words
    assert between_tunes(effects_between(BIKE, tune, tune, 62.0, speeds)) == []


def test_a_speed_that_is_nonsense_in_a_log_costs_no_memory():
    """One reading of 1e12 km/h, as a hostile file may hold it: way, stretches and limits stay bounded."""
    rows = 400
    speed = np.full(rows, 20.0)
    speed[30] = 1e12
    ride = Ride("hostile", np.arange(rows) * 0.2, {
        "wheel_speed_kmh": speed, "pack_v": np.full(rows, 60.0), "battery_a": np.full(rows, 20.0), "throttle": np.ones(rows),
    })  # fmt: skip
    tune = a_tune(drive__field_weakening_a=20)
    channels = derived(ride, BIKE, tune)
    assert len(per_km(ride.time_s, channels["distance_km"], channels["battery_w"])[0]) == 0
    assert not any("stands out" in one.what for one in against_prediction(ride, BIKE))
    assert np.isfinite(channels["limit"]).all()


def test_a_figure_that_only_one_tune_has_is_named_as_such():
    tune = a_tune(regen__phase_current_a=40, regen__battery_current_a=8)
    none = tune.with_setting("regen.battery_current_a", 0.0)
    found = between_tunes(effects_between(BIKE, none, tune, 62.0, np.linspace(0, 70, 281)))
    regen = next(one for one in found if one.what.startswith("regen charges a half-full"))
    assert regen.in_words == "with one of them only" and regen.shown and found[0].in_words == regen.in_words
