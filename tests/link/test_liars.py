"""Misbehaving controllers by seed, on each kind of line: no claim of a report is false. `scripts/bench` draws more than two thousand."""

from collections import Counter

import pytest

from crisp_hornet.documents.maps import shipped_map
from tests.amount import few, some
from tests.link.liars import DOORS, run_liar, troubles_of

RUNS = [("Weir 60", 0), ("Weir 60", 3), ("Culvert 50", 2), ("Penstock 120", 1)]


@pytest.mark.parametrize(("name", "door"), RUNS, ids=[f"{name}, {DOORS[door]}" for name, door in RUNS])
def test_whatever_a_controller_does_no_state_is_claimed_that_it_does_not_hold(monkeypatch, tmp_path, name, door):
    described = shipped_map(name)
    count = len(troubles_of(described))
    told = [
        run_liar(seed, monkeypatch, tmp_path, described)
        for seed in range(door * count, (door + 1) * count, 30 // few(30, 8))
    ]
    assert [one for one in told if one.broken] == []
    ended = Counter(one.outcome for one in told)
    assert ended["proved"] >= some(5, 2) and len(ended) >= few(3, 2)  # neither everything nor nothing goes wrong
