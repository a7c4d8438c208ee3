"""Which tune came from which."""

from crisp_hornet.core.tunes.family import depths, parents
from tests.bikes import a_tune


def test_each_comes_from_the_nearest_before_it():
    first = a_tune().with_setting("throttle.ramp_s", 0.4)
    more = first.with_setting("drive.battery_current_a", 35.0)
    hill = more.with_setting("drive.phase_current_a", 120.0)
    calm = first.with_setting("throttle.ramp_s", 0.9)  # back to the first, and another way
    calmer = calm.with_setting("throttle.ramp_s", 1.2)
    family = parents([first, more, hill, calm, calmer])
    assert family == [None, 0, 1, 0, 3] and depths(family) == [0, 0, 0, 1, 1]


def test_the_same_again_comes_from_the_newest_of_its_kind():
    first, other = a_tune(), a_tune().with_setting("drive.motor_rpm", 500.0)
    assert parents([first, other, first, other]) == [None, 0, 0, 1]
    assert parents([first, first, first]) == [None, 0, 1] and parents([]) == [] and depths([]) == []
