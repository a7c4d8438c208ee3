"""A logged ride on another tune, against the truth of hidden worlds; ``benchmarks/bench_again.py`` takes sixty of them."""

from dataclasses import replace

import numpy as np
import pytest

from crisp_hornet.core.virtual_ride.again import ride_again
from crisp_hornet.core.virtual_ride.ride import Stopped
from tests.amount import some
from tests.core.ridden_twice import CLOSE, World, compared, two_tunes


def test_the_other_tune_s_ride_comes_near_the_truth_and_the_band_holds_it():
    found = [told for told in map(compared, range(some(5, 2))) if told]
    assert len(found) >= some(5, 2) - 1
    for name in CLOSE:
        assert np.mean([told[name][0] for told in found]) >= 0.8, name
        assert np.mean([told[name][1] for told in found]) >= 0.8, name


@pytest.fixture(scope="module")
def world():
    it = World(3)
    return it, it.log(it.ride(two_tunes(3)[0]))


def test_on_the_tune_it_was_ridden_on_nothing_changes(world):
    it, log = world
    ridden, _ = two_tunes(3)
    found = ride_again(log, ridden, ridden, it.bike, samples=2)
    for name in CLOSE:
        assert found.change(name).value == pytest.approx(0, abs=1e-9), name
        assert found.change(name).low < 0 < found.change(name).high
    assert str(found.sentence) == "That round on this tune: as long as before, as much energy, as warm."


def test_back_and_forth_are_opposite(world):
    it, log = world
    ridden, other = two_tunes(3)
    there = ride_again(log, ridden, other, it.bike, samples=2)
    back = ride_again(log, other, ridden, it.bike, samples=2)
    assert there.change("time_s").value * back.change("time_s").value < 0


@pytest.mark.parametrize("lacks", ["wheel_speed_kmh", "throttle"])
def test_a_log_that_tells_no_way_says_what_it_lacks(world, lacks):
    it, log = world
    poor = replace(log, channels={name: one for name, one in log.channels.items() if name != lacks})
    with pytest.raises(ValueError, match="no (speed|throttle)"):
        ride_again(poor, *two_tunes(3), it.bike)


def test_it_starts_with_what_is_given_and_stops_when_it_is_told_to(world):
    it, log = world
    ridden, other = two_tunes(3)
    own, full = (ride_again(log, ridden, other, it.bike, volts, samples=1) for volts in (None, 66.0))
    assert full.as_ridden.course["charge"][0] > own.as_ridden.course["charge"][0]
    with pytest.raises(Stopped):
        ride_again(log, ridden, other, it.bike, tick=lambda _share: False)
