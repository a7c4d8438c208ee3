"""Thirty-six seeds of the fault campaign; `scripts/bench` runs more than five hundred."""

import pytest

from tests.amount import some
from tests.link.campaign import TROUBLES, run_seed


@pytest.mark.parametrize("start", range(0, some(2, 1) * len(TROUBLES), len(TROUBLES)))
def test_after_every_fault_it_is_known_and_said_what_the_controller_holds(threaded, tmp_path, start):
    told = [run_seed(seed, threaded, tmp_path) for seed in range(start, start + len(TROUBLES))]
    assert [one for one in told if one.broken] == []


def test_without_trouble_it_is_proved(threaded, tmp_path):
    outcomes = [run_seed(len(TROUBLES) * (100 + k), threaded, tmp_path).outcome for k in range(4)]
    assert outcomes.count("proved") >= 3  # a machine that stalls may cost one with these short times
