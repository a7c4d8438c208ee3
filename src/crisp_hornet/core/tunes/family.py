"""How tunes came from each other: each from the earlier one that it differs least from."""

from __future__ import annotations

from collections.abc import Sequence

from crisp_hornet.documents.tune import Tune


def parents(tunes: Sequence[Tune]) -> list[int | None]:
    """For each tune, the earliest first, the place of the one it came from; None for the first. Of several that are equally near the
    newest counts: one goes on from what was last on the bike."""
    found: list[int | None] = []
    for at, tune in enumerate(tunes):
        nearest = min(range(at), key=lambda earlier: (len(tune.differing(tunes[earlier])), -earlier), default=None)
        found.append(nearest)
    return found


def depths(family: Sequence[int | None]) -> list[int]:
    """How many branches lie between each tune and the first line: going straight on from the one before costs none."""
    found: list[int] = []
    for at, parent in enumerate(family):
        found.append(0 if parent is None else found[parent] + (parent != at - 1))
    return found
