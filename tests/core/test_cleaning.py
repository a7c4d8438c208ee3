"""Flaws planted in sound rides are found, told and mended; sound rides have none; derived channels and joining against known truth."""

import numpy as np
import pytest
from hypothesis import assume, given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.core.ride.cleaning import cleaned, flaws
from crisp_hornet.core.ride.derived import WORKED_OUT as UNITS
from crisp_hornet.core.ride.derived import derivable, derived
from crisp_hornet.core.ride.joining import join
from crisp_hornet.core.ride.track import ground_speed_kmh, steps_m
from crisp_hornet.core.road.vehicle import effective_mass_kg, road_load_n
from crisp_hornet.demo import ROUND
from crisp_hornet.rides.registry import read_ride
from tests.amount import some
from tests.bikes import a_bike, a_tune
from tests.rides.layouts import true_ride


def sound(number=1, rows=600, noise=0.0):
    truth, rng = true_ride(number, rows=rows), np.random.default_rng(number)
    spreads = {"wheel_speed_kmh": 0.2, "pack_v": 0.05, "battery_a": 0.3, "phase_a": 0.6, "motor_c": 0.1}
    channels = {
        name: values + noise * rng.normal(0, spreads.get(name, 0.0), len(values))
        for name, values in truth.items()
        if name in CHANNELS
    }
    return Ride("r", truth["time_s"], channels)


def kinds(found):
    return {(one.kind, one.channel) for one in found}


@seed(91)
@settings(max_examples=some(24), deadline=None, database=None)
@given(st.integers(1, 10_000), st.floats(0, 1))
def test_a_sound_ride_has_no_flaws(number, noise):
    ride = sound(number, noise=noise)
    assert flaws(ride) == [] and all(
        np.array_equal(cleaned(ride).get(name), ride.get(name), equal_nan=True) for name in ride.channels
    )


@seed(92)
@settings(max_examples=some(24), deadline=None, database=None)
@given(st.integers(1, 10_000), st.integers(40, 500))
def test_planted_flaws_are_found_and_mended(number, at):
    ride = sound(number, noise=0.5)
    truth = {name: values.copy() for name, values in ride.channels.items()}
    ride.channels["pack_v"] = ride.get("pack_v").copy()
    ride.channels["pack_v"][at] = 3.0
    speed = ride.get("wheel_speed_kmh").copy()
    dropped = np.arange(at + 20, at + 24)
    beside = speed[at + 19], speed[at + 24]
    riding = min(beside) > 9
    assume(abs(min(beside) - 9) > 2)  # hardly riding: either may be said
    speed[dropped] = 0.0
    ride.channels["wheel_speed_kmh"] = speed
    ride.channels["human_nm"] = np.where(np.arange(len(ride)) % 4 == 0, ride.get("human_nm"), np.nan)
    found = flaws(ride)
    assert ("spike", "pack_v") in kinds(found) and ("slow", "human_nm") in kinds(found)
    assert (("dropout", "wheel_speed_kmh") in kinds(found)) == riding
    clean = cleaned(ride)
    assert clean.get("pack_v")[at] == pytest.approx(truth["pack_v"][at], abs=0.8)
    assert np.isfinite(clean.get("human_nm")[4:-8]).all() and np.isnan(ride.get("human_nm")).any()  # the original stays
    if riding:
        assert np.all(clean.get("wheel_speed_kmh")[dropped] > 4)
    left = cleaned(ride, {"spike pack_v"})
    assert left.get("pack_v")[at] == 3.0


def test_gaps_and_stuck_sensors_are_told_with_their_place():
    ride = sound()
    kept = np.concatenate((np.arange(200), np.arange(320, 600)))
    battery = ride.get("battery_a")[kept].copy()
    battery[250:330] = 7.25
    holey = Ride(
        "r", ride.time_s[kept], {name: values[kept] for name, values in ride.channels.items()} | {"battery_a": battery}
    )
    found = {one.kind: one for one in flaws(holey)}
    assert "1 gap, the longest 60 s" in found["gap"].text and not found["gap"].mends
    lasts = holey.time_s[329] - holey.time_s[251]
    assert f"stands still at 7.25 for {lasts:.0f} s" in found["stuck"].text and found["stuck"].channel == "battery_a"
    assert np.isnan(cleaned(holey).get("battery_a")[260])
    assert flaws(Ride("r", np.arange(3.0), {"pack_v": np.ones(3)})) == []


def test_the_demo_ride_is_sound():
    assert flaws(read_ride(ROUND).ride) == []


def test_derived_channels_agree_with_the_truth():
    truth, bike = true_ride(3, rows=2000), a_bike()
    ride = Ride("r", truth["time_s"], {name: values for name, values in truth.items() if name in CHANNELS})
    found = derived(ride, bike, a_tune())
    assert set(found) == set(UNITS)
    assert np.allclose(found["battery_w"], truth["power_w"]) and np.allclose(
        found["distance_km"], truth["distance_km"], atol=1e-6
    )
    assert found["wh"][-1] == pytest.approx(np.trapezoid(truth["power_w"], truth["time_s"]) / 3600)
    acceleration = np.gradient(truth["wheel_speed_kmh"] / 3.6, truth["time_s"])
    assert np.allclose(found["acceleration_mps2"][5:-5], acceleration[5:-5], atol=0.06)
    slope = 35 / 800 * np.cos(truth["distance_km"] * 1000 / 800)
    assert np.nanmax(np.abs(found["grade"] / 100 - slope)[200:-200]) < 0.004
    weight = bike.mass_kg * 9.80665 * np.sin(np.arctan(slope))
    force = road_load_n(bike, truth["wheel_speed_kmh"]) + weight + effective_mass_kg(bike) * acceleration
    off = np.abs(found["wheel_w"] - force * truth["wheel_speed_kmh"] / 3.6)[200:-200]
    assert np.nanmedian(off) < 25
    assert derived(Ride("r", truth["time_s"], {"motor_c": truth["motor_c"]}), bike) == {}


@seed(21)
@settings(max_examples=some(80), deadline=None, database=None)
@given(st.sets(st.sampled_from([name for name in CHANNELS if name in true_ride()])))
def test_what_can_be_derived_is_known_before_it_is(channels):
    truth = true_ride(2, rows=300)
    ride = Ride("r", truth["time_s"], {name: truth[name] for name in channels})
    assert set(derivable(ride)) == set(derived(ride, a_bike()))
    assert set(derivable(ride, with_tune=True)) == set(derived(ride, a_bike(), a_tune()))


@seed(93)
@settings(max_examples=some(30), deadline=None, database=None)
@given(st.integers(1, 10_000), st.floats(-60, 60), st.booleans())
def test_two_logs_of_one_ride_find_their_shift(number, shift, positions):
    truth = true_ride(number, rows=1200)
    time = truth["time_s"]
    first = Ride("a", time, {"wheel_speed_kmh": truth["wheel_speed_kmh"], "pack_v": truth["pack_v"]})
    clock = np.arange(max(0.0, -shift), time[-1] - max(0.0, shift), 1.0)
    names = ("lat_deg", "lon_deg", "altitude_m") if positions else ("gps_speed_kmh", "altitude_m")
    second = Ride("b", clock - clock[0], {name: np.interp(clock + shift, time, truth[name]) for name in names})
    joined = join(first, second)
    assert joined.shift_s == pytest.approx(clock[0] + shift, abs=0.6) and joined.fit > 0.9
    off = np.abs(joined.ride.get("altitude_m") - truth["altitude_m"])
    assert np.nanmax(off) < 1.5 and joined.ride.get("pack_v") is first.get("pack_v")


def test_logs_of_different_rides_are_not_joined():
    one, rng = sound(1), np.random.default_rng(5)
    noise = np.clip(np.cumsum(rng.normal(0, 3, 600)), 0, None)
    with pytest.raises(ValueError, match="do not fit anywhere"):
        join(
            one, Ride("x", np.arange(600) * 0.5, {"gps_speed_kmh": np.where(np.arange(600) % 7 < 3, noise, 50 - noise)})
        )
    with pytest.raises(ValueError, match="no speed"):
        join(one, Ride("x", np.arange(600) * 0.5, {"pack_v": np.ones(600)}))
    with pytest.raises(ValueError, match="half a minute"):
        join(one, Ride("x", np.arange(20) * 0.5, {"gps_speed_kmh": np.arange(20.0)}))


def test_ground_speed_on_a_sphere():
    lat = 47 + np.arange(100) * 5 / 111_194.93
    assert steps_m(lat, np.full(100, 11.0)) == pytest.approx(np.full(99, 5.0), rel=1e-5)
    assert ground_speed_kmh(np.arange(100.0), lat, np.full(100, 11.0)) == pytest.approx(np.full(100, 18.0), rel=1e-4)
    assert np.isnan(ground_speed_kmh(np.arange(3.0), np.full(3, np.nan), np.full(3, np.nan))).all()
