"""Each kind of finding fires on a planted cause and is silent on the sound ride."""

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence import judging
from crisp_hornet.core.evidence.findings.kinds import KINDS
from crisp_hornet.core.evidence.findings.suggestion import lowered, raised
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.road.vehicle import effective_mass_kg
from crisp_hornet.documents.tune import SETTINGS
from tests.amount import LONG, some
from tests.bikes import CHECKED, a_bike, a_tune
from tests.evidence.rides import Truth, a_round, coast_downs
from tests.evidence.test_motor_seen import SLOW, WEAKENED, weakened_ride
from tests.said import holds

SAID = Path(__file__).parent / "said_by_findings.json"
BIKE = a_bike(battery__bms_trip_v=44.8, battery__bms_charge_a=15, **CHECKED)
FREE = a_bike(drivetrain__freewheel=True, **CHECKED)  # the maker's bikes roll without their motors
TUNE = a_tune(
    drive__battery_current_a=32, drive__phase_current_a=90, drive__field_weakening_a=0, regen__battery_current_a=8
)


def as_told(**other):
    """A truth that is what the document says, but for what is given."""
    plain = Truth(
        BIKE.mass_kg, effective_mass_kg(BIKE), BIKE.drivetrain.wheel_circumference_m, 1.0, BIKE.battery.resistance_ohm, 0.0, 30.0,
        BIKE.chassis.crr, BIKE.chassis.cda_m2, 0.0, BIKE.battery.capacity_ah,
    )  # fmt: skip
    return replace(plain, **other)


def whole(ride):
    """The channels that the maker of rides leaves out, in keeping with the rest."""
    c, time = dict(ride.channels), ride.time_s
    motor, turns = BIKE.motor, c["wheel_speed_kmh"] / 3.6 / BIKE.drivetrain.wheel_circumference_m
    back_emf = motor.pole_pairs * 2 * np.pi * turns * motor.flux_linkage_wb
    warm = 20 + 25 * (1 - np.exp(-time / 700))
    ohm = motor.phase_resistance_ohm * (1 + 0.00385 * (warm - 25)) + BIKE.controller.resistance_ohm
    spare = (c["pack_v"] * c["battery_a"] - BIKE.controller.idle_w) / 1.5  # R·i² + e·i takes what the pack gives
    c["phase_a"] = np.clip((np.sqrt(np.maximum(back_emf**2 + 4 * ohm * spare, 0)) - back_emf) / (2 * ohm), -20, 89)
    c["motor_rpm"] = c["wheel_speed_kmh"] / 3.6 / BIKE.drivetrain.wheel_circumference_m * 60 * BIKE.drivetrain.ratio
    c["motor_c"] = warm
    c["controller_c"] = 20 + 15 * (1 - np.exp(-time / 500))
    c["level"], c["fault"], c["d_axis_a"] = np.full(len(time), 2.0), np.zeros(len(time)), np.zeros(len(time))
    return Ride(ride.name, time, c)


@pytest.fixture(scope="module")
def sound():
    return whole(a_round(as_told(), np.random.default_rng(11), minutes=12))


def ids(ride, bike=BIKE, tune=TUNE, curve=None):
    return {one.id: one for one in judge(ride, bike, tune, curve)[1]}


def changed(ride, **channels):
    return Ride(ride.name, ride.time_s, ride.channels | {name: make(ride.get(name)) for name, make in channels.items()})


def between(values, time, low, high, value):
    return np.where((time >= low) & (time < high), value, values)


def strokes(watts_per_watt, delay_rows=0, gain=1.0):
    """Starts on the pedals alone, again and again."""
    rows = 4000
    time = np.arange(rows) * 0.2
    phase = np.arange(rows) % 200
    rides = phase > 60
    human = np.where(rides, 18.0, 0.0)
    speed = np.where(rides, np.minimum((phase - 60) * 0.35 * gain, 22.0), 0.0)
    watts = human * 65 * 2 * np.pi / 60
    drawn = np.roll(watts * watts_per_watt, delay_rows) * (phase > 60 + delay_rows)
    noise = np.random.default_rng(1).normal(0, 1.0, rows)
    return time, {
        "wheel_speed_kmh": speed, "human_nm": human, "cadence_rpm": np.where(rides, 65.0, 0.0), "throttle": np.zeros(rows),
        "brake": np.where(phase < 40, 1.0, 0.0), "pack_v": np.full(rows, 60.0), "battery_a": (drawn + BIKE.controller.idle_w + noise) / 60,
    }  # fmt: skip


def two_levels(first, second):
    time, low = strokes(first)
    _, high = strokes(second)
    both = {name: np.concatenate([low[name], high[name]]) for name in low}
    both["level"] = np.repeat([1.0, 2.0], len(time))
    return Ride("levels", np.arange(2 * len(time)) * 0.2, both)


def on_level(number, **how):
    time, channels = strokes(2.0, **how)
    return Ride("starts", time, channels | {"level": np.full(len(time), float(number))})


def full_pulls(share):
    """Full throttle along the predicted edge, with so much of its current."""
    curve = pull_curve(BIKE, TUNE, np.linspace(0, 60, 241), Conditions(62.0))
    time = np.arange(600) * 0.2
    speed = 3 + 35 * np.abs(np.sin(time / 11))
    amps = share * np.interp(speed, curve.speed_kmh, curve.phase_current_a)
    volts = np.interp(speed, curve.speed_kmh, curve.pack_v)
    channels = {"wheel_speed_kmh": speed, "throttle": np.ones(600), "phase_a": amps, "pack_v": volts,
                "battery_a": share * np.interp(speed, curve.speed_kmh, curve.battery_current_a)}  # fmt: skip
    return Ride("full", time, channels), curve


def rough(truth_change, seed=3):
    return coast_downs(as_told(**truth_change), np.random.default_rng(seed))


def long_wheel():
    return as_told(wheel=1.03, circumference_m=1.03 * BIKE.drivetrain.wheel_circumference_m)


def unasked(s):
    quiet = {name: (lambda v: between(v, s.time_s, 60, 70, 0.0)) for name in ("throttle", "human_nm", "cadence_rpm")}
    return changed(s, **quiet, battery_a=lambda v: between(v, s.time_s, 62, 68, 12.0))


def bound_by_the_pack():
    """Weakening at work although the battery current is what binds: the currents that give the pull of no weakening, and a d-current
    besides."""
    tune = WEAKENED.with_settings({"drive.battery_current_a": 14.0, "drive.field_weakening_a": 0.0})
    ride, *_ = weakened_ride(tune, np.random.default_rng(2))
    i_d = np.full(len(ride), -8.0)
    return Ride("bound", ride.time_s, ride.channels | {"d_axis_a": i_d, "phase_a": np.hypot(ride.get("phase_a"), i_d)})


PLANTED = {
    "battery_a-not-reached": lambda s: ids(changed(s, battery_a=lambda v: v * 0.5)),
    "battery_a-reached": lambda s: ids(changed(s, battery_a=lambda v: between(v, s.time_s, 60, 70, 32.0))),
    "phase_a-not-reached": lambda s: ids(changed(s, phase_a=lambda v: v * 0.4)),
    "phase_a-reached": lambda s: ids(changed(s, phase_a=lambda v: between(v, s.time_s, 60, 70, 90.0))),
    "speed-cap-reached": lambda s: ids(s, tune=TUNE.with_setting("drive.speed_kmh", 20.0)),
    "hardly-full": lambda s: ids(changed(s, throttle=lambda v: v * 0.6)),
    "under-edge": lambda s: ids(full_pulls(0.85)[0], curve=full_pulls(1.0)[1]),
    "over-edge": lambda s: ids(full_pulls(1.1)[0], curve=full_pulls(1.0)[1]),
    "weakening-unused": lambda s: ids(s, tune=TUNE.with_setting("drive.field_weakening_a", 30.0)),
    "pack_v-fade": lambda s: ids(changed(s, pack_v=lambda v: between(v, s.time_s, 60, 70, 44.0))),
    "pack_v-room": lambda s: ids(s),
    "pack-tired": lambda s: ids(
        whole(a_round(as_told(r_fast=1.5 * BIKE.battery.resistance_ohm), np.random.default_rng(2), minutes=8))
    ),
    "pack-stiffer": lambda s: ids(
        whole(a_round(as_told(r_fast=0.7 * BIKE.battery.resistance_ohm), np.random.default_rng(2), minutes=8))
    ),
    "trip-near": lambda s: ids(
        changed(s, pack_v=lambda v: between(v, s.time_s, 60, 64, BIKE.battery.bms_trip_v + 0.7)),
        tune=TUNE.with_settings({"battery_guard.fade_end_v": 45.0, "battery_guard.fade_start_v": 46.0}),
    ),
    "sag-when-low": lambda s: ids(
        whole(a_round(as_told(r_fast=5 * BIKE.battery.resistance_ohm), np.random.default_rng(2), minutes=8)),
        tune=TUNE.with_settings({"battery_guard.fade_end_v": 30.0, "battery_guard.fade_start_v": 35.0}),
    ),
    "pack-cut": lambda s: ids(changed(s, pack_v=lambda v: between(v, s.time_s, 200, 203, 3.0))),
    "regen-over-charge": lambda s: ids(changed(s, battery_a=lambda v: between(v, s.time_s, 100, 103, -30.0))),
    "over-full": lambda s: ids(
        changed(
            s,
            pack_v=lambda v: between(v, s.time_s, 100, 103, 69.0),
            battery_a=lambda v: between(v, s.time_s, 100, 103, -5.0),
        )
    ),
    "regen-useless": lambda s: ids(changed(s, battery_a=lambda v: np.maximum(v, 0.1))),
    "motor_c-fade": lambda s: ids(changed(s, motor_c=lambda v: between(v, s.time_s, 300, 330, 118.0))),
    "motor_c-room": lambda s: ids(s),
    "controller_c-fade": lambda s: ids(changed(s, controller_c=lambda v: between(v, s.time_s, 300, 330, 95.0))),
    "controller_c-room": lambda s: ids(s),
    "fade-soon": lambda s: ids(changed(s, motor_c=lambda v: v + np.clip((s.time_s - 300) / 1.2, 0, 60))),
    "wheel-off": lambda s: ids(
        whole(
            a_round(
                as_told(wheel=1.03, circumference_m=1.03 * BIKE.drivetrain.wheel_circumference_m),
                np.random.default_rng(4),
                minutes=12,
            )
        )
    ),
    "rolling-differs": lambda s: ids(rough({"crr": 2.2 * BIKE.chassis.crr}), bike=FREE),
    "air-differs": lambda s: ids(rough({"cda": 1.6 * BIKE.chassis.cda_m2}), bike=FREE),
    "log-gaps": lambda s: ids(Ride("holes", s.time_s + np.where(s.time_s > 300, 120.0, 0.0), s.channels)),
    "brake-no-cut": lambda s: ids(
        changed(
            s, brake=lambda v: between(v, s.time_s, 60, 66, 1.0), battery_a=lambda v: between(v, s.time_s, 60, 66, 9.0)
        )
    ),
    "drives-unasked": lambda s: ids(unasked(s)),
    "overspeed": lambda s: ids(
        changed(s, motor_rpm=lambda v: between(v, s.time_s, 60, 63, 1.2 * BIKE.motor.max_rpm)),
        tune=TUNE.with_setting("drive.motor_rpm", 1000.0),
    ),
    "fault-stood": lambda s: ids(changed(s, fault=lambda v: between(v, s.time_s, 60, 63, 12.0))),
    "throttle-at-rest": lambda s: ids(changed(s, throttle=lambda v: np.maximum(v, 0.08))),
    "levels-alike": lambda s: ids(two_levels(2.0, 2.05)),
    "assist-late": lambda s: ids(on_level(1, delay_rows=6)),
    "pulls-away-hard": lambda s: ids(on_level(1, gain=6.0)),
    "motor-constant": lambda s: ids(
        s, bike=a_bike(motor__flux_linkage_wb=1.12 * BIKE.motor.flux_linkage_wb, drivetrain__efficiency=0.9)
    ),
    "winding-resistance": lambda s: ids(
        s, bike=a_bike(motor__phase_resistance_ohm=0.6 * BIKE.motor.phase_resistance_ohm)
    ),
    "lost-on-the-way": lambda s: ids(
        full_pulls(1.0)[0], curve=full_pulls(1.0)[1], bike=a_bike(chassis__rider_kg=40, chassis__cargo_kg=0)
    ),
    "weakening-gain": lambda s: ids(weakened_ride(WEAKENED, np.random.default_rng(1))[0], bike=SLOW, tune=WEAKENED),
    "weakening-poor": lambda s: ids(
        bound_by_the_pack(), tune=WEAKENED.with_setting("drive.battery_current_a", 14.0), bike=SLOW
    ),
    "torque-never-rests": lambda s: ids(changed(s, human_nm=lambda v: v + 6.0)),
}
ALWAYS = {"pack_v-room", "motor_c-room", "controller_c-room"}  # what a sound ride says
SOUND_SAYS = ALWAYS | {"battery_a-reached", "phase_a-reached"}


@pytest.mark.parametrize("name", list(PLANTED)[:: 1 if LONG else 2])
def test_a_kind_fires_on_its_cause_and_is_silent_on_the_sound_ride(sound, name):
    found = PLANTED[name](sound)
    assert name in found, sorted(found)
    one = found[name]
    what = [] if one.suggest is None else [f"{one.suggest.path} {one.suggest.value:g}: {one.suggest.effect}"]
    when = [] if one.from_s is None else [f"{one.from_s:.0f} to {one.to_s:.0f} s"]
    holds(SAID, name, [one.severity, one.text, one.reason, *what, *when, *one.effects_in_words.splitlines()])
    assert (one.from_s is None) == (one.to_s is None) and (one.from_s is None or one.from_s <= one.to_s)
    if name not in SOUND_SAYS:
        assert name not in ids(sound)


def test_less_phase_current_is_suggested_where_it_was_the_limit_of_the_minute(sound):
    def warmed(amps):
        climb = (sound.time_s > 300) & (sound.time_s < 370)
        return changed(
            sound,
            motor_c=lambda v: v + np.clip((sound.time_s - 300) / 1.2, 0, 60),
            phase_a=lambda v: np.where(climb, amps, v),
        )

    most = TUNE.drive.phase_current_a
    cooler = ids(warmed(most))["fade-soon"]
    assert (cooler.suggest.path, cooler.suggest.value) == ("drive.phase_current_a", np.floor(0.9 * most))
    assert "phase current limit set" in cooler.reason
    assert ids(warmed(0.8 * most))["fade-soon"].suggest is None


WAY = {  # what each finding may ask for: more of a setting, or less
    "trip-near": +1, "sag-when-low": -1, "regen-over-charge": -1, "over-full": -1, "fade-soon": -1, "battery_a-reached": +1,
    "phase_a-reached": +1, "weakening-unused": -1, "weakening-poor": -1, "overspeed": -1, "throttle-at-rest": +1, "assist-late": -1,
    "pulls-away-hard": +1,
}  # fmt: skip


@seed(5)
@settings(max_examples=some(80), deadline=None, database=None)
@given(st.sampled_from(sorted(SETTINGS)), st.floats(0, 200), st.floats(0, 200))
def test_a_suggestion_goes_the_way_it_says_or_is_none(path, now, value):
    try:
        tune = TUNE.with_setting(path, now)
    except ValueError:
        return
    up, down, held = raised(tune, path, value, "x"), lowered(tune, path, value, "x"), tune.setting(path)
    assert (up is not None) == (value > held) and (down is not None) == (value < held)


@pytest.mark.parametrize("name", [one for one in PLANTED if one in WAY][:: 1 if LONG else 2])
def test_no_finding_points_the_wrong_way_whatever_is_set(sound, monkeypatch, name):
    """Each planted cause again, its setting far beyond what would have been suggested."""
    change = PLANTED[name](sound)[name].suggest
    if change is None or change.bike:
        return
    far = max(change.value, 1e-3) * 3 if WAY[name] > 0 else change.value / 3
    seen = []
    real = judging.judge

    def otherwise(ride, bike, tune, *more):
        for value in (far, change.value * (1 - 0.2 * WAY[name])):
            try:
                set_so = tune.with_setting(change.path, float(value))
            except ValueError:
                continue
            for one in real(ride, bike, set_so, *more)[1]:
                if one.suggest is not None and not one.suggest.bike:
                    instead = one.id == "trip-near" and one.suggest.path == "drive.battery_current_a"
                    step = one.suggest.value - (set_so.setting(one.suggest.path) or 0.0)
                    seen.append((one.id, step * WAY[one.id] * (-1 if instead else 1)))
        return real(ride, bike, tune, *more)

    monkeypatch.setattr(sys.modules[__name__], "judge", otherwise)
    PLANTED[name](sound)
    assert all(right > 0 for _, right in seen), seen


def test_the_sound_ride_says_nothing_but_what_is_sound(sound):
    assert set(ids(sound)) <= SOUND_SAYS


def test_quiet_cousins_stay_quiet():
    """What is nearly the cause, and is not."""
    assert "levels-alike" not in ids(two_levels(1.5, 2.6)) and "assist-late" not in ids(on_level(1, delay_rows=1))
    assert "pulls-away-hard" not in ids(on_level(1, gain=1.0))
    ride, curve = full_pulls(1.0)
    assert not {"under-edge", "over-edge"} & set(ids(ride, curve=curve))
    calm = ids(coast_downs(as_told(), np.random.default_rng(3)), bike=FREE)
    assert not {"rolling-differs", "air-differs", "wheel-off", "pack-tired"} & set(calm)


def test_there_are_at_least_twenty_five_kinds_and_what_they_suggest_can_be_done(sound):
    assert len(PLANTED) >= 25 and len(KINDS) >= 20
    tune, suggested = TUNE, 0
    for name in PLANTED:
        change = PLANTED[name](sound)[name].suggest
        if change is not None and not change.bike:
            suggested += 1
            tune.with_setting(change.path, change.value)  # a valid tune
        elif change is not None:
            suggested += 1
            group, _, key = change.path.rpartition(".")
            part = BIKE
            for step in group.split("."):
                part = getattr(part, step)
            assert hasattr(part, key) and change.value > 0
    assert suggested >= 10
