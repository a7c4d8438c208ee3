"""A campaign of rides of another maker: sound ones of which nothing warns, and planted faults that are each named as themselves."""

from dataclasses import replace

import numpy as np
import pytest

from crisp_hornet.core.drive.pull import pull_curve
from crisp_hornet.core.evidence.doubt_checks import counts
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.ride.rested import conditions_at_start
from tests.amount import LONG, some
from tests.bikes import CHECKED, a_bike, a_tune
from tests.evidence.hidden_rides import CASES, Way, a_ride, hidden, logged, ridden, varied

TUNE, BIKE = a_tune(), a_bike(sensors__speed_magnets=6)
BIKES = {False: BIKE, True: a_bike(**CHECKED)}
SOUND = [name for name in CASES if name not in ("winding", "two roll-outs")]
PLAIN = varied(CASES["plain"], sound=True, minutes=10)


def judged(ride, bike=BIKE):
    curve = pull_curve(bike, TUNE, np.linspace(0, 90, 241), conditions_at_start(ride, bike))
    verdict, found = judge(ride, bike, TUNE, curve)
    return verdict, {one.id: one for one in found}


def warnings(found):
    return {one.id: one.text for one in found.values() if one.severity == "warn"}


@pytest.mark.parametrize("name", list(SOUND)[:: 1 if LONG else 4])
def test_a_sound_ride_warns_of_nothing(name):
    """Nineteen ways to ride and to log, three rides each, none with more than the usual errors."""
    case = varied(CASES[name], sound=True, minutes=6)
    for seed in range(20, 20 + some(3, 2)):
        ride, _ = a_ride(BIKES[case.checked], TUNE, case, seed)
        assert not warnings(judged(ride, BIKES[case.checked])[1]), seed


@pytest.fixture(scope="module")
def sound():
    return a_ride(BIKE, TUNE, PLAIN, 1)[0]


def channel(name, make):
    return lambda ride: replace(ride, channels=ride.channels | {name: make(ride.get(name), ride.time_s)})


def several(**made):
    return lambda ride: replace(
        ride, channels=ride.channels | {name: make(ride.get(name), ride.time_s) for name, make in made.items()}
    )


def at(first, last, value):
    """The value between two moments, what it was elsewhere."""
    return lambda values, time: np.where((time > first) & (time < last), value, values)


def leaping(by):
    return lambda values, time: values + np.where(np.random.default_rng(3).random(len(time)) < 0.01, by, 0.0)


def without_gps(change):
    def made(ride):
        kept = {
            name: values
            for name, values in ride.channels.items()
            if name not in ("gps_speed_kmh", "lat_deg", "lon_deg")
        }
        return change(replace(ride, channels=kept))

    return made


def times(factor):
    return channel("wheel_speed_kmh", lambda v, t: factor * v)


def dead_at_full(ride):
    amps = np.where(ride.get("throttle") > 0.9, 0.0, ride.get("battery_a"))
    return replace(ride, channels=ride.channels | {"battery_a": amps})


def nothing(values, _time):
    return 0 * values


PLANTED = {
    "heat-stuck": channel("motor_c", lambda v, t: 0 * v + 21), "sensor-open": channel("motor_c", lambda v, t: 0 * v - 60),
    "sensor-open, shorted": channel("motor_c", at(200, 320, 250.0)), "sensor-spikes": channel("motor_c", leaping(40.0)),
    "sensor-spikes, controller": channel("controller_c", leaping(-30.0)),
    "sensor-dead, torque": channel("human_nm", nothing), "sensor-dead, battery": channel("battery_a", nothing),
    "sensor-dead, battery at full throttle": dead_at_full, "sensor-dead, phase": channel("phase_a", nothing),
    "sensor-dead, wheel": channel("wheel_speed_kmh", nothing), "sensor-dead, gps": channel("gps_speed_kmh", nothing),
    "sensor-stuck, battery": channel("battery_a", at(200, 320, 7.3)), "sensor-stuck, volts": channel("pack_v", at(200, 320, 63.1)),
    "sensor-stuck, volts all along": channel("pack_v", lambda v, t: 0 * v + 62),
    "sensor-stuck, phase": channel("phase_a", at(200, 320, 22.0)),
    "sensor-stuck, wheel": channel("wheel_speed_kmh", at(200, 320, 23.4)),
    "sensor-stuck, gps": channel("gps_speed_kmh", at(200, 320, 19.0)),
    "battery-zero, high": channel("battery_a", lambda v, t: v + 3), "battery-zero, low": channel("battery_a", lambda v, t: v - 3),
    "speed-counted, twice": times(2), "speed-counted, half": times(0.5),
    "speed-counted, 3 for 2": times(1.5), "speed-counted, thrice": times(3),
    "speed-counted, twice without GPS": without_gps(times(2)), "speed-counted, half without GPS": without_gps(times(0.5)),
    "log-gaps": lambda ride: replace(ride, time_s=ride.time_s + np.where(ride.time_s > 300, 15.0, 0.0)),
    "brake-no-cut": several(brake=at(100, 106, 1.0), battery_a=at(100, 106, 9.0)),
    "drives-unasked": several(
        throttle=at(100, 110, 0.0), human_nm=at(100, 110, 0.0), cadence_rpm=at(100, 110, 0.0), battery_a=at(101, 109, 9.0)
    ),
    "throttle-at-rest": channel("throttle", lambda v, t: np.maximum(v, 0.08)),
    "torque-never-rests": channel("human_nm", lambda v, t: v + 6),
    "pack-cut": channel("pack_v", at(300, 303, 0.0)), "fault-stood": several(fault=lambda v, t: np.where((t > 60) & (t < 63), 12.0, 0.0)),
    "trip-near": channel("pack_v", at(300, 301, 43.0)), "regen-over-charge": channel("battery_a", at(300, 303, -55.0)),
}  # fmt: skip
ALONG = {"pack_v-fade"}  # what a voltage under the board's trip is besides


@pytest.mark.parametrize("name", PLANTED)
def test_a_planted_fault_is_named_as_itself(sound, name):
    _, found = judged(PLANTED[name](sound))
    expected = name.partition(",")[0]
    assert expected in found, sorted(found)
    assert not set(warnings(found)) - {expected} - ALONG


DIFFERENT = {
    "pack-tired": {"r_fast": 1.5, "r_slow": 1.5}, "motor-constant": {"psi": 0.82}, "winding-resistance": {"ohm": 1.6},
    "wheel-off": {"wheel": 1.05, "circumference_m": 1.05}, "rolling-differs": {"crr": 2.2}, "winding-cooling": {"between": 0.5},
}  # fmt: skip


@pytest.mark.parametrize("name", DIFFERENT)
def test_a_bike_that_is_otherwise_than_its_document_is_named(name):
    case, rng = varied(PLAIN, minutes=20), np.random.default_rng(6)
    truth = hidden(BIKE, case, rng)
    for part, factor in DIFFERENT[name].items():
        setattr(truth, part, getattr(truth, part) * factor)
    way = Way(case, rng)
    _, found = judged(logged(case, truth, way, ridden(BIKE, TUNE, truth, case, way, rng), rng))
    assert name in found, sorted(found)


@pytest.mark.parametrize("gain", [0.85, 1.15])
def test_a_battery_sensor_off_by_its_gain_is_named_with_the_motor_or_alone(sound, gain):
    """Back-EMF alone cannot tell a wrong gain from another winding: both are named, and pack and cooling do not warn for it."""
    _, found = judged(channel("battery_a", lambda v, t: gain * v)(sound))
    told = [found[one] for one in ("battery-gain", "motor-constant") if one in found]
    assert told and all(one.suggest is None or one.id == "battery-gain" or one.severity == "note" for one in told)
    assert "battery current" in (told[0].text + told[0].reason).lower()
    assert not {"pack-tired", "winding-cooling", "winding-resistance"} & set(warnings(found))


def test_nothing_is_concluded_from_what_is_doubted(sound):
    verdict, _ = judged(PLANTED["sensor-stuck, volts"](sound))
    for one in (verdict.resistance_ohm, verdict.energy.wh_net, verdict.range_km, verdict.motor.flux_linkage_wb):
        assert not one.known and "pack voltage: it stands still" in one.reason
    assert verdict.circumference_m.known and verdict.road.crr.known  # by the phase current
    for name in ("speed-counted, twice", "speed-counted, half without GPS"):
        verdict, found = judged(PLANTED[name](sound))
        assert not verdict.road.crr.known and not verdict.motor.flux_linkage_wb.known
        assert all(one.suggest is None or not one.suggest.bike or one.id == "pack-tired" for one in found.values())
    verdict, found = judged(PLANTED["speed-counted, 3 for 2"](sound))
    assert "Set 9 pulses a wheel turn instead of 6" in found["speed-counted"].reason
    assert verdict.energy.distance_km.known  # by GPS


def test_a_ratio_of_speeds_is_a_count_only_where_it_is_one():
    for n, m in ((1, 2), (2, 1), (2, 3), (3, 2), (1, 3), (5, 6)):
        assert counts(n / m * 1.01) == pytest.approx(n / m)
    for wheel in (1.0, 1.03, 0.96, 1.11, 0.9):
        assert counts(wheel) is None


@pytest.mark.long
def test_where_motion_tells_motor_and_sensor_apart_it_tells_them_rightly():
    """A weighed bike that was pulled often: a wrong gain is the sensor's, a weak motor is never called a sensor."""
    weighed = a_bike(
        sources={
            path: {"from": "measured"}
            for path in ("chassis.bike_kg", "chassis.rider_kg", "chassis.crr", "chassis.cda_m2")
        }
    )
    case, named = varied(CASES["plain"], sound=True, minutes=25, wind=0.5, steep=0.015), 0
    for seed in (0, 1, 10, 11)[: some(4, 2)]:
        rng = np.random.default_rng(seed)
        for gain, psi in ((0.8, 1.0), (1.0, 0.8)):
            truth, way = hidden(weighed, case, rng), Way(case, rng)
            truth.psi *= psi
            ride = logged(case, truth, way, ridden(weighed, TUNE, truth, case, way, rng), rng)
            _, found = judged(channel("battery_a", lambda v, t, gain=gain: gain * v)(ride), weighed)
            assert "battery-gain" in found or "motor-constant" in found
            named += "battery-gain" in found and gain < 1
            assert not (psi < 1 and "battery-gain" in found)
    assert named >= 1
