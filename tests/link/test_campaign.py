"""Sixty-four seeds of the fault campaign; `scripts/bench` runs more than five hundred."""

import pytest

from tests.link.campaign import TROUBLES, run_seed


@pytest.mark.parametrize("start", range(0, 72, len(TROUBLES)))
def test_after_every_fault_it_is_known_and_said_what_the_controller_holds(threaded, tmp_path, start):
    told = [run_seed(seed, threaded, tmp_path) for seed in range(start, start + len(TROUBLES))]
    assert [one for one in told if one.broken] == []
    assert next(one for one in told if one.trouble == "none").outcome == "proved"
