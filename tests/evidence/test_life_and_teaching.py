"""Figures over a bike's life, what a run would teach, capacity between two rests, and what learning may never claim."""

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from crisp_hornet.core.calibrate.checked import checked
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.capacity_seen import capacity
from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.evidence.figures import CDA, CRR, PACK, PATHS, WHEEL, told_by
from crisp_hornet.core.evidence.learning import learn
from crisp_hornet.core.evidence.life import Reading, course
from crisp_hornet.core.evidence.moves import moves
from crisp_hornet.core.pack.cells import cold_factor, rested_v
from crisp_hornet.core.programmes.rehearsal import PLANS, minutes, rehearsed
from crisp_hornet.core.programmes.teaching import after, lessons, spread_of
from crisp_hornet.core.ride.channels import Ride
from tests.amount import some
from tests.bikes import CHECKED, a_bike, a_tune
from tests.evidence.hidden_rides import CASES, a_ride, varied

BIKE, TUNE = a_bike(), a_tune()
BEGAN = datetime(2026, 3, 1, tzinfo=UTC)


def life(rng, growth, rides=14, own=0.01, gain=0.02, scatter=0.0):
    """Readings of a pack whose resistance grows by a share in 200 days; all through one sensor that is off."""
    off, days = 1 + rng.normal(0, gain), np.sort(rng.uniform(0, 200, rides))
    true = 0.09 * (1 + growth * days / 200)
    found = []
    for at, ohm in zip(days, true, strict=True):
        air = rng.uniform(0, 25)
        seen = ohm * cold_factor(air) * off * (1 + rng.normal(0, math.hypot(own, scatter))) * (1 + rng.normal(0, 0.015))
        found.append(
            Reading(
                f"{at:.2f}",
                BEGAN + timedelta(days=float(at)),
                {PACK: around(seen, own * seen, 60, "Ω", gain * seen)},
                air,
            )
        )
    return found, true


def test_a_change_is_told_from_noise_and_the_sensor_stays_in_the_figure():
    inside = false = grown = now = 0
    for seed in range(120):
        rng = np.random.default_rng(seed)
        readings, true = life(rng, 0.0, scatter=0.015)
        false += course(PACK, readings).surely
        readings, true = life(rng, 0.25, scatter=0.015)
        one = course(PACK, readings)
        grown += one.surely
        inside += one.change.low <= true[-1] - true[0] <= one.change.high
        now += one.now.low <= true[-1] <= one.now.high
        assert one.now.half_width > 1.9 * 0.02 * one.now.value * 0.9  # no number of rides takes the gain off
    assert false <= 4 and grown >= 110 and inside >= 108 and now >= 108, (false, grown, inside, now)


def test_one_ride_is_no_course_and_rides_that_say_nothing_are_left_out():
    readings, _ = life(np.random.default_rng(1), 0.0, rides=3)
    silent = Reading("silent", BEGAN, {PACK: refused("no load")})
    assert course(PACK, [readings[0], silent]) is None and course(WHEEL, readings) is None
    assert course(PACK, [*readings, silent]).rides == tuple(one.ride for one in readings)


def test_learned_from_many_rides_a_figure_is_never_surer_than_its_sensor():
    bike = BIKE
    for number in range(40):
        bike = learn(bike, PACK, f"ride {number}", around(0.1, 0.0005, 60, "Ω", 0.002))
    assert bike.sources[PACK].spread >= 0.002 and bike.sources[PACK].shared == pytest.approx(0.002, rel=1e-6)
    own, shared = spread_of(bike, PACK)
    assert shared == pytest.approx(0.002, rel=1e-6) and own < 0.0003
    assert after(bike, PACK, around(0.1, 0.0005, 60, "Ω", 0.002)) >= 0.002


@pytest.mark.long
def test_what_a_run_would_teach_is_what_it_teaches():
    """Promised half intervals against those of made runs of the same kind, on bikes that are otherwise than their documents."""
    met = asked = 0
    for seed in range(some(10, 5)):
        for name, case in (
            ("coast_down", varied(CASES["roll-outs"], runs=4)),
            ("loop", varied(CASES["plain"], pedals=False)),
        ):
            promised = told_by(rehearsed(BIKE, TUNE, name, seed), BIKE)
            told = told_by(a_ride(BIKE, TUNE, case, seed)[0], BIKE)
            for path in (PACK, CDA, WHEEL) if name == "loop" else (PACK, CRR):
                before = math.hypot(*spread_of(BIKE, path))
                ratio = after(BIKE, path, told[path]) / after(BIKE, path, promised[path])
                asked += 1
                met += 1 / 1.5 <= ratio <= 1.5
                assert after(BIKE, path, promised[path]) <= before * (1 + 1e-9)
    assert met >= 0.8 * asked, (met, asked)


def test_the_lessons_narrow_and_each_is_given_once():
    guessed = a_bike(sources={path: {"from": "assumed"} for path in (CRR, CDA, PACK)})
    found = lessons(guessed, TUNE)
    assert {one.programme for one in found} >= {"coast_down", "current gain"}
    assert all(0 < one.after < one.before and one.minutes > 0 and "→" in one.in_words for one in found)
    assert len({one.programme for one in found}) == len({one.asked.label for one in found}) == len(found)
    told = {path: {"from": "measured", "spread": 1e-4 * BIKE.figure(path)} for path in PATHS}
    known = lessons(a_bike(**CHECKED | {"sources": told}), TUNE)
    assert known == []  # nothing is left to teach
    for name in PLANS:
        ride = rehearsed(BIKE, TUNE, name)
        assert (
            ride.time_s[-1] == pytest.approx(60 * minutes(name), abs=1.0)
            and np.nanmax(ride.get("wheel_speed_kmh")) > 15
        )


def test_capacity_between_two_rests():
    for true_ah in (20.0, 24.0):
        count, ends = 9000, []
        amps = np.where((np.arange(count) > 400) & (np.arange(count) < 8400), 18.0, 0.1)
        charge = 0.95 - np.cumsum(amps) * 0.2 / 3600 / true_ah
        volts = rested_v(BIKE.battery, charge) - amps * BIKE.battery.resistance_ohm
        ride = Ride("long", np.arange(count) * 0.2, {"pack_v": volts, "battery_a": amps})
        ah = around(float(amps.sum() * 0.2 / 3600), 0.01, 30, "Ah")
        seen = capacity(ride, BIKE, ah)
        assert seen.low <= true_ah <= seen.high and seen.half_width < 0.25 * true_ah
        ends = (float(volts[100]), float(volts[-100]))
        assert capacity(ride, BIKE, ah, ends).value == pytest.approx(true_ah, rel=0.02)
    assert (
        "a quarter" in capacity(ride, BIKE, ah, (60.0, 59.5)).reason
        or "25 %" in capacity(ride, BIKE, ah, (60.0, 59.5)).reason
    )
    assert (
        "must rest" in capacity(Ride("no rest", ride.time_s, {"pack_v": volts, "battery_a": amps + 5}), BIKE, ah).reason
    )


def test_what_an_interval_moves():
    curve = pull_curve(BIKE, TUNE, np.linspace(0, 80, 161), Conditions(60.0))
    assert moves(BIKE, TUNE, curve, PACK, Estimate(0.1, 0.09, 0.11, "Ω")) == "sag 3.0 V at 30 A"
    assert moves(BIKE, TUNE, curve, WHEEL, Estimate(1.59 * 1.02, 1.6, 1.65, "m")) == "speed shown 2.0 % low"
    wide, narrow = (
        moves(BIKE, TUNE, curve, CDA, Estimate(0.75, 0.75 - half, 0.75 + half, "m²")) for half in (0.3, 0.0005)
    )
    assert " to " in wide and narrow == "hardly anything"
    assert moves(BIKE, TUNE, curve, CDA, refused("no heights")) == ""


def test_a_sensor_held_against_an_instrument_narrows_what_rests_on_it():
    narrowed = checked(checked(BIKE, "battery_a", "2026-11-28", gain=1.004), "battery_a", "2026-11-28", zero=0.02)
    off = narrowed.sensors.off("battery_a")
    assert off.gain_spread == pytest.approx(math.hypot(0.01 / math.sqrt(3), 0.004), rel=0.01) and off.zero_spread < 0.06
    assert off.checked == "2026-11-28" and narrowed.sources["sensors.battery_a"].origin == "measured"
    ride, _ = a_ride(BIKE, TUNE, varied(CASES["plain"], minutes=6), 2)
    before, then = (told_by(ride, bike)[PACK].half_width for bike in (BIKE, narrowed))
    assert then < 0.6 * before
    with pytest.raises(ValueError, match="checked"):
        checked(BIKE, "battery_a", "last week", gain=1.0)
