"""Two rounds compared: the same bike on other days, and with a tune that uses less."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.compare import compare
from crisp_hornet.core.evidence.day import Day, mean_drag
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.ride_card import RideCard
from tests.amount import some
from tests.bikes import a_bike
from tests.evidence import rides as made
from tests.evidence.rides import Road, logged, ridden
from tests.evidence.test_findings import as_told

BIKE = a_bike()


def a_loop(seed, pace=0.3, thrift=1.0, road_seed=5, truth=None):
    """One road; ``pace`` and the stops differ by seed; ``thrift``: the share of its energy the drive needs."""
    rng, road = np.random.default_rng(seed), Road(np.random.default_rng(road_seed))
    plan = [(4, 0, 0, 0, 1)]
    for _ in range(14):
        plan += [
            (5, 1.0, 0, 0, 1),
            (rng.uniform(35, 55), pace * rng.uniform(0.8, 1.2), 0, 0, 1),
            (8, 0, 120, 0, 1),
            (rng.uniform(2, 9), 0, 300, 0, 1),
        ]
    truth = truth or as_told()
    rows = ridden(truth, road, plan, rng)
    ride = logged(truth, road, rows, rng)
    return Ride(f"loop {seed}", ride.time_s, ride.channels | {"battery_a": ride.get("battery_a") * thrift})


def test_the_same_round_on_another_day_shows_no_difference():
    rides = some(12, 6)
    quiet = sum("No difference" in compare(a_loop(seed), a_loop(100 + seed), BIKE).sentence for seed in range(rides))
    assert quiet >= 0.8 * rides


@pytest.mark.parametrize("thrift", [0.85, 1.2])
def test_a_real_difference_is_shown_with_its_figure(thrift):
    inside = shown = 0
    rides = some(8, 4)
    for seed in range(rides):
        found = compare(a_loop(seed, thrift=thrift), a_loop(200 + seed), BIKE)
        inside += found.same_road.low <= thrift - 1 <= found.same_road.high
        shown += ("less" if thrift < 1 else "more") in found.sentence and "No difference" not in found.sentence
    assert inside >= 0.8 * rides - 0.2 and shown >= 0.8 * rides - 0.2


@pytest.mark.long
def test_a_faster_pace_is_taken_out():
    """Faster uses more per km; on the same road at the same pace it is the same bike."""
    plain = [compare(a_loop(seed, pace=0.42), a_loop(300 + seed, pace=0.2), BIKE) for seed in range(some(8, 4))]
    assert all(one.plain.value > 0.05 for one in plain)
    assert np.mean([abs(one.same_road.value) for one in plain]) < 0.5 * np.mean([one.plain.value for one in plain])


@pytest.mark.long
def test_a_cold_day_and_a_load_are_taken_out_where_the_cards_tell_them(monkeypatch):
    """At -5 °C with 30 kg more the air is denser and the tyres roll harder; the tune is the same."""
    warm = [a_loop(400 + seed) for seed in range(4)]
    chassis, cold_c = BIKE.chassis, -5.0
    monkeypatch.setattr(made, "AIR", 1.2 * 293.15 / (273.15 + cold_c))
    truth = as_told(mass_kg=BIKE.mass_kg + 30, crr=chassis.crr * (1 + 0.0086 * 25))
    truth.effective_kg += 30
    cold = [a_loop(500 + seed, truth=truth) for seed in range(4)]
    days = Day(cold_c, 0.0, chassis.cargo_kg + 30), Day(20.0, 0.0, chassis.cargo_kg)
    told = [compare(one, other, BIKE, days).same_road for one, other in zip(cold, warm, strict=True)]
    untold = [compare(one, other, BIKE).same_road for one, other in zip(cold, warm, strict=True)]
    assert all(one.low > 0.05 for one in untold)  # it would pass for the tune's fault
    assert all(one.low <= 0 <= one.high for one in told) and np.mean([abs(one.value) for one in told]) < 0.03
    half = compare(
        cold[0], warm[0], BIKE, (days[0], Day(20.0, 0.0))
    ).same_road  # a load known of one ride only is left out
    assert half.value > told[0].value + 0.02
    assert days[0].doubt < Day().doubt and "30 kg" not in Day().in_words and "-5 °C, no wind" in days[0].in_words


def test_the_mean_drag_in_a_wind_from_anywhere():
    rng = np.random.default_rng(3)
    turned = rng.uniform(0, 2 * np.pi, 200_000)
    for speed, wind in ((7.0, 3.0), (2.0, 5.0), (12.0, 1.0)):
        along, across = speed + wind * np.cos(turned), wind * np.sin(turned)
        truth = float(np.mean(np.hypot(along, across) * along))
        assert float(mean_drag(np.array([speed]), wind)[0]) == pytest.approx(truth, rel=0.01)
    assert mean_drag(np.array([5.0]), 0.0)[0] == 25.0


@pytest.mark.parametrize(
    ("field", "words", "name", "value"),
    [
        ("air", "18 °C, dry", "air_c", 18.0),
        ("air", "-4C", "air_c", -4.0),
        ("air", "65 °F", "air_c", 18.333),
        ("air", "cold", "air_c", None),
        ("wind", "12 km/h from the west", "wind_mps", 3.333),
        ("wind", "2,5 m/s", "wind_mps", 2.5),
        ("wind", "Calm", "wind_mps", 0.0),
        ("wind", "some", "wind_mps", None),
        ("load", "2 crates, 38 kg", "load_kg", 38.0),
        ("load", "20 lb", "load_kg", 9.07),
        ("load", "empty", "load_kg", 0.0),
        ("load", "a passenger", "load_kg", None),
    ],
)
def test_figures_are_read_from_the_words_of_a_card(field, words, name, value):
    found = getattr(RideCard.model_validate({field: words}), name)
    assert found is None if value is None else found == pytest.approx(value, abs=0.01)


def test_what_cannot_be_compared_says_why():
    loop = a_loop(1)
    bare = Ride("bare", loop.time_s, {"wheel_speed_kmh": loop.get("wheel_speed_kmh")})
    assert "bare: voltage and battery current" in compare(loop, bare, BIKE).sentence
    short = Ride("short", loop.time_s[:200], {name: values[:200] for name, values in loop.channels.items()})
    assert "km" in compare(short, loop, BIKE).sentence
