"""Test programmes, led through by made riders: sound runs can be used, each slip is told with what to do."""

from pathlib import Path

import numpy as np
import pytest

from crisp_hornet.core.evidence.dyno import dyno_run
from crisp_hornet.core.pack.resting import Resting
from crisp_hornet.core.programmes.catalogue import programmes
from crisp_hornet.core.programmes.judging import sparse
from crisp_hornet.core.programmes.lead import Lead, runs_in
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.road.vehicle import effective_mass_kg, road_load_n
from tests.bikes import a_bike
from tests.said import holds

SAID = Path(__file__).parent / "said_by_programmes.json"

BIKE = a_bike()
ALL = {one.id: one for one in programmes(3)}
HZ = 10


class Rider:
    """Writes a ride piece by piece; each piece goes on where the one before ended."""

    def __init__(self, hz=HZ, **extra):
        self.hz, self.rows, self.kmh, self.where_m, self.way = hz, [], 0.0, 0.0, 1.0
        self.extra = extra

    def go(self, seconds, to_kmh=None, grade=0.0, **values):
        start, count = self.kmh, round(seconds * self.hz)
        for step in range(count):
            self.kmh = start if to_kmh is None else start + (to_kmh - start) * (step + 1) / count
            self.where_m += self.way * self.kmh / 3.6 / self.hz
            row = {"wheel_speed_kmh": self.kmh, "throttle": 0.0, "brake": 0.0, "battery_a": 0.3, "pack_v": 60.0, "motor_c": 40.0,
                   "human_nm": 0.0, "cadence_rpm": 0.0, "lat_deg": 47 + self.where_m / 111_195, "lon_deg": 11.0}  # fmt: skip
            self.rows.append(row | self.extra | values)
        return self

    def turn(self):
        self.way = -self.way
        return self

    def ride(self):
        time = np.arange(len(self.rows)) / self.hz
        return Ride("made", time, {name: np.array([row[name] for row in self.rows]) for name in self.rows[0]})


def full_pull(rider, throttle=1.0, to=38.0):
    return (
        rider.go(3)
        .go(8, to, throttle=throttle, battery_a=30)
        .go(4, throttle=throttle, battery_a=12)
        .go(8, 0, brake=1.0)
    )


def coast(rider, **slip):
    return rider.go(10, 31, throttle=0.8, battery_a=20).go(30, 4, **slip).go(2, 0, brake=1.0)


def top(rider, throttle=1.0):
    return (
        rider.go(15, 46, throttle=throttle, battery_a=25).go(16, throttle=throttle, battery_a=20).go(10, 0, brake=1.0)
    )


def level(rider, number, seconds=32):
    pedals = {"human_nm": 20, "cadence_rpm": 70, "level": number}
    return rider.go(4, 22, **pedals).go(seconds, battery_a=6, **pedals).go(5, 0, brake=1.0, level=number)


def climb(seconds=150, gain_k=30, spread=0.0):
    rider = Rider().go(8, 20, throttle=0.7, battery_a=20)
    for step in range(seconds):
        rider.kmh = 20 + spread * np.sin(step / 4)
        rider.go(1, throttle=0.7, battery_a=20, motor_c=40 + gain_k * step / seconds)
    return rider.go(4, 0, brake=1.0)


def loop(laps=1):
    rider = Rider(1)
    return rider.go(10, 24, battery_a=8).go(300, battery_a=8).turn().go(310, battery_a=8).go(12, 0).go(20)


SOUND = {
    "full_pull": lambda: full_pull(full_pull(Rider()).turn()),
    "coast_down": lambda: coast(coast(coast(coast(Rider()).turn()).turn()).turn()),
    "climb": climb,
    "top_speed": lambda: top(top(Rider()).turn()),
    "levels": lambda: level(level(level(Rider(level=1.0), 1.0), 2.0), 3.0),
    "loop": loop,
    "dyno": lambda: full_pull(full_pull(full_pull(Rider()))),
}


@pytest.mark.parametrize("name", SOUND)
def test_a_sound_ride_of_each_programme_can_be_used_at_once(name):
    programme = ALL[name]
    results = runs_in(SOUND[name]().ride(), programme, BIKE)
    assert [one.text for one in results if not one.usable] == []
    assert [one.step for one in results] == [step.name for step in programme.steps]
    assert all(one.shows for one in results)
    holds(SAID, name, [f"{one.from_s:.0f} to {one.to_s:.0f} s: {one.text}" for one in results])


SLIPS = [
    ("full_pull", lambda: full_pull(Rider(), throttle=0.96, to=10), "only 10 km/h gained"),
    ("full_pull", lambda: full_pull(Rider(3)), "readings a second"),
    ("full_pull", lambda: full_pull(full_pull(Rider())), "turn round"),
    ("coast_down", lambda: Rider().go(10, 31, throttle=0.8, battery_a=20).go(6, 25).go(3, 20, brake=1.0), "5 s only"),
    ("coast_down", lambda: coast(Rider(), battery_a=-2.0), "regen braked"),
    ("coast_down", lambda: coast(Rider(altitude_m=0.0).go(1)), None),
    ("climb", lambda: climb(60), "120 s are needed"),
    ("climb", lambda: climb(gain_k=3), "warmed by 3 K only"),
    ("climb", lambda: climb(spread=9.0), "the speed varied"),
    ("top_speed", lambda: Rider().go(15, 40, throttle=1.0).go(5, throttle=1.0).go(9, 0, brake=1), "s only, 8 s"),
    ("levels", lambda: level(Rider(level=1.0), 1.0, seconds=12), "24 s are needed"),
    ("loop", lambda: Rider(1).go(10, 12).go(70, battery_a=8).turn().go(72).go(6, 0).go(20), "300 s are needed"),
    ("dyno", lambda: full_pull(Rider(5)), "9 are needed"),
]


@pytest.mark.parametrize(("name", "rider", "words"), SLIPS)
def test_each_slip_is_told_with_what_to_do(name, rider, words):
    results = runs_in(rider().ride(), ALL[name], BIKE)
    assert results
    if words is None:
        assert results[-1].usable
    else:
        assert words in results[-1].text and not results[-1].usable
    holds(SAID, f"{name}, slip {words}", [one.text for one in results])


def test_a_slope_is_no_level_stretch():
    rider = full_pull(Rider())
    ride = rider.ride()
    way_m = np.cumsum(ride.get("wheel_speed_kmh")) / 3.6 / HZ
    steep = Ride("hill", ride.time_s, ride.channels | {"altitude_m": 400 + 0.06 * way_m})
    (result,) = runs_in(steep, ALL["full_pull"], BIKE)
    assert "it goes +6." in result.text and "choose a level stretch" in result.text


def test_a_run_that_cannot_be_used_is_asked_for_again_and_the_rest_follows():
    lead = Lead(ALL["full_pull"], BIKE)
    assert lead.sentence.startswith("Run 1 of 2, one way. Stand on a level")
    rider = full_pull(Rider(), to=9)
    full_pull(rider)
    full_pull(rider.turn())
    sentences, results = [], []
    for at, row in enumerate(rider.rows):
        result = lead.take(at / HZ, row)
        lead.take(at / HZ, row)  # the same reading again changes nothing
        if result is not None:
            results.append(result.usable)
        sentences.append(lead.sentence)
    assert results == [False, True, True] and lead.done
    assert any("Run 1 of 2, one way: under way" in one for one in sentences) and any(
        "Run 2 of 2, back" in one for one in sentences
    )
    assert sentences[-1] == "Full pull: all 2 runs can be used."
    assert lead.take(1e6, rider.rows[0]) is None and lead.mark() is None


def test_lap_ends_a_loop_where_no_positions_are_known():
    lead = Lead(ALL["loop"], BIKE)
    rider = loop()
    for at, row in enumerate(rider.rows[:-25]):
        assert (
            lead.take(float(at), {name: value for name, value in row.items() if name not in ("lat_deg", "lon_deg")})
            is None
        )
    result = lead.mark()
    assert result.usable and "4.1 km" in result.text and "Wh/km" in result.text


def test_what_a_programme_needs_and_is_not_recorded_is_told():
    rows = full_pull(Rider()).ride()
    bare = Ride("bare", rows.time_s, {name: rows.get(name) for name in ("wheel_speed_kmh",)})
    assert runs_in(bare, ALL["full_pull"], BIKE) == []
    lead = Lead(ALL["levels"], BIKE)
    for at, row in enumerate(level(Rider(level=1.0), 1.0).rows):
        lead.take(at / HZ, {name: value for name, value in row.items() if name != "level"})
    assert lead.results[0].usable  # the level set is taken on trust where the controller does not tell it


@pytest.mark.parametrize("flywheel_kg", [None, 95.0])
def test_wheel_power_of_a_known_mass_against_its_own_equation(flywheel_kg):
    """A force given by speed is integrated by small steps, independent of the slope that is read back."""
    mass = effective_mass_kg(BIKE) if flywheel_kg is None else flywheel_kg
    time, speeds, v = np.arange(0, 9, 0.001), [], 0.5
    for _ in time:
        speeds.append(v * 3.6)
        resists = float(road_load_n(BIKE, v * 3.6)) if flywheel_kg is None else 0.0
        v += (400 - 22 * v - resists) / mass * 0.001
    rng = np.random.default_rng(2)
    ride = Ride("pull", time[::20], {"wheel_speed_kmh": np.array(speeds)[::20] + rng.normal(0, 0.02, len(time[::20]))})
    found = dyno_run(ride, BIKE, flywheel_kg)
    assert found.force_n == pytest.approx(400 - 22 * found.speed_kmh / 3.6, rel=0.04)
    assert found.power_w == pytest.approx(found.force_n * found.speed_kmh / 3.6)
    assert dyno_run(Ride("still", time[::20], {"wheel_speed_kmh": np.full(450, 10.0)}), BIKE) is None


def test_a_pack_has_rested_once_its_voltage_no_longer_rises():
    resting, settled = Resting(16), None
    for at in np.arange(0, 900, 0.25):
        resting.take(at, 60.0 - 0.8 * np.exp(-at / 90), 0.2)
        if resting.settled and settled is None:
            settled = at
    assert 200 < settled < 600 and resting.volts == pytest.approx(60.0, abs=0.01)
    at_settled = 60.0 - 0.8 * np.exp(-settled / 90)
    assert abs(at_settled - 60.0) < 0.03
    resting.take(901, 58.0, 14.0)  # it drives again
    assert resting.lasts_s == 0 and np.isnan(resting.volts) and not resting.settled


def test_a_clock_that_stands_still_is_no_division_by_nothing():
    ride = Ride("still", np.zeros(9), {"wheel_speed_kmh": np.full(9, 20.0), "throttle": np.ones(9)})
    assert sparse(ride) == []
