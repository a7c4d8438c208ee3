"""Misbehaving controllers by seed: no claim of a report is false. `scripts/bench` draws more than a thousand."""

from collections import Counter

import pytest

from tests.link.liars import DOORS, TROUBLES, run_liar

SEEDS = 5 * len(TROUBLES)


@pytest.mark.parametrize("start", range(0, SEEDS, len(TROUBLES)), ids=DOORS)
def test_whatever_a_controller_does_no_state_is_claimed_that_it_does_not_hold(monkeypatch, tmp_path, start):
    told = [run_liar(seed, monkeypatch, tmp_path) for seed in range(start, start + len(TROUBLES))]
    assert [one for one in told if one.broken] == []
    ended = Counter(one.outcome for one in told)
    assert ended["proved"] >= 5 and len(ended) >= 3  # neither everything nor nothing goes wrong
