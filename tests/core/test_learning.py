"""Figures learned from several rides: combined by their uncertainty, taken back ride by ride."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.estimate import around, refused
from crisp_hornet.core.evidence.learning import combined, forget, learn
from crisp_hornet.documents.store import dump, parse
from tests.bikes import a_bike

PATH = "battery.resistance_ohm"


def test_the_mean_of_rides_weighs_by_what_each_is_sure_of():
    mean, error = combined([1.0, 2.0], [0.1, 10.0])
    assert mean == pytest.approx(1.0, abs=0.01) and error == pytest.approx(0.1, rel=0.01)
    mean, error = combined([1.0, 1.0, 1.0, 1.0], [0.2] * 4)
    assert (mean, error) == (pytest.approx(1.0), pytest.approx(0.1))
    assert combined([1.0, 2.0], [0.001, 0.001])[1] > 0.4  # they differ by far more than each believes


def test_combined_rides_hold_the_truth():
    inside = 0
    for seed in range(300):
        rng = np.random.default_rng(seed)
        spreads = rng.uniform(0.05, 0.5, 8)
        mean, error = combined(list(rng.normal(5.0, spreads)), list(spreads))
        inside += abs(mean - 5.0) <= 2.0 * error
    assert 0.9 <= inside / 300 <= 0.99


def test_a_bike_learns_and_forgets():
    bike = a_bike()
    before = bike.figure(PATH)
    once = learn(bike, PATH, "round", around(0.1, 0.002, 50, "Ω"))
    assert once.figure(PATH) == pytest.approx(0.1) and once.sources[PATH].origin == "learned"
    twice = learn(once, PATH, "climb", around(0.104, 0.002, 50, "Ω"))
    assert twice.figure(PATH) == pytest.approx(0.102, abs=1e-4) and len(twice.sources[PATH].rides) == 2
    again = learn(twice, PATH, "climb", around(0.104, 0.002, 50, "Ω"))
    assert again.figure(PATH) == twice.figure(PATH)  # a ride says a figure once
    back = forget(forget(twice, PATH, "round"), PATH, "climb")
    assert back.figure(PATH) == before and back.sources[PATH].origin == "entered" and back.sources[PATH].rides == []
    assert forget(bike, PATH, "round") is bike


def test_what_was_learned_stands_in_the_bikes_file():
    bike = learn(a_bike(), PATH, "round", around(0.1, 0.002, 50))
    read = parse(type(bike), "crisp-hornet/bike", 1, dump(bike), "bike")
    assert read == bike and read.sources[PATH].before == a_bike().figure(PATH)


def test_deep_figures_are_learned_too_and_nonsense_is_refused():
    path = "motor.thermal.housing_to_air_w_per_k"
    assert learn(a_bike(), path, "climb", around(4.2, 0.1, 20)).motor.thermal.housing_to_air_w_per_k == pytest.approx(
        4.2
    )
    with pytest.raises(ValueError, match="no GPS"):
        learn(a_bike(), PATH, "round", refused("no GPS"))
    with pytest.raises(KeyError):
        learn(a_bike(), "battery.colour", "round", around(1.0, 0.1, 9))
