"""From a point of the lattice to the edge itself: the settings that just still meet all wishes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import permutations, product

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.goal.search import Search
from crisp_hornet.core.goal.wishes import Measured, rises

TRIES, ZOOMS, NARROWS, NEAR, CLOSE = 9, 3, 6, 0.05, 1e-3
STEPS, LESS = (0.06, 0.03, 0.015), 0.004  # of a rating, and of the strain
TOLERANCE, SLIGHT = 2e-4, 2e-3  # of a wish's figure, on the way and of the answer
MOST_UP, STEP_A = 1.03, 0.1


class Polish:
    """Exact tests of points for wishes ``members``: ``exactly`` measures them along fine curves; ``steps``: the smallest differences
    that can be set (A), by path."""

    def __init__(
        self, search: Search, exactly: Measured, members: Sequence[int], steps: Mapping[str, float] | None = None
    ) -> None:
        self._search, self._exactly = search, exactly
        self._reach = 1.0 if exactly is search.measured else NEAR  # what was measured coarsely lies near already
        self._slight, self._given = TOLERANCE, bool(steps)
        self._steps = np.array([(steps or {}).get(path, STEP_A) for path in search.space.free])
        self._plain = [at for at in members if rises(exactly.goals[at]) is not None]
        self._roads = [at for at in members if rises(exactly.goals[at]) is None]

    def holds(self, points: Array) -> NDArray[np.bool_]:
        """Whether points (k, d) meet the wishes that no road belongs to, (k,) of bool."""
        tunes = [self._search.space.tune_at(point) for point in points]
        met: NDArray[np.bool_] = np.all(self._exactly.slacks(tunes)[:, self._plain] >= -self._slight, axis=1)
        return met

    def stands(self, point: Array) -> bool:
        """Whether it may be answered: every wish met to 0.2 %, the whole watch list asked, in steps that can be set."""
        amps = point * self._search.space.ratings_a
        if self._given and not np.allclose(amps, np.round(amps / self._steps) * self._steps, atol=1e-6):
            return False
        self._slight = SLIGHT
        stands = self.holds_all(point)
        self._slight = TOLERANCE
        return stands

    def holds_all(self, point: Array) -> bool:
        """Roads and the whole watch list too."""
        return (
            bool(self.holds(point[None])[0])
            and self._search.watched.learns(point)
            and self._search.meets_roads(point, self._roads)
        )

    def least(self, point: Array) -> Array:
        """The point of less strain near ``point`` at which all still holds: inwards, then each setting by itself."""
        up = point * np.linspace(1.0, MOST_UP, TRIES)[:, None]
        holding = np.flatnonzero(self.holds(np.minimum(up, 1.0)))
        best = self.inwards(np.minimum(up[int(holding[0])], 1.0) if holding.size else point)
        return self._rounded(self._exchanged(best) if self._roads else best)

    def _exchanged(self, point: Array) -> Array:
        """With more of one setting and less of another, as long as that makes less strain: a road's lattice is coarse."""
        best = point
        for step in STEPS:
            moved = True
            while moved:
                moved = False
                for one, other in permutations(range(len(point)), 2):
                    trial = best.copy()
                    trial[one] = min(best[one] + step, 1.0)
                    left = best[other] ** 2 + best[one] ** 2 - trial[one] ** 2 - LESS * float(np.sum(best**2))
                    if left < 0:
                        continue
                    trial[other] = np.sqrt(left)
                    if self.holds(trial[None])[0] and self._allows(trial):
                        best, moved = self.inwards(trial), True
        return best

    def inwards(self, point: Array) -> Array:
        """From a point at which all holds towards nothing, as far as it holds, and on with each setting by itself."""
        best = self._inwards(point, np.zeros_like(point))
        for axis in np.argsort(-best):
            floor = best.copy()
            floor[axis] = 0.0
            best = self._inwards(best, floor)
        return best

    def _inwards(self, start: Array, end: Array) -> Array:
        """The farthest from ``start`` towards ``end`` at which all holds, without a gap on the way."""
        if np.allclose(start, end):
            return start
        far, step = 0.0, self._reach
        for _ in range(ZOOMS + 1):
            shares = np.minimum(far + step * np.arange(1, TRIES + 1) / TRIES, 1.0)
            failed = np.flatnonzero(~self.holds(start + shares[:, None] * (end - start)))
            if not failed.size and shares[-1] < 1.0:
                far, step = float(shares[-1]), 1.0 - float(shares[-1])  # farther than was thought
                continue
            count = int(failed[0]) if failed.size else TRIES
            far, step = min(far + step * count / TRIES, 1.0), step / TRIES
            if not failed.size or step < CLOSE:
                break
        return self._allowed(start, start + far * (end - start))

    def _allowed(self, start: Array, end: Array) -> Array:
        """The farthest from ``start`` to ``end`` that watch list and roads allow as well."""
        if self._allows(end):
            return end
        good, bad = 0.0, 1.0
        for _ in range(NARROWS):
            middle = (good + bad) / 2
            good, bad = (middle, bad) if self._allows(start + middle * (end - start)) else (good, middle)
        return start + good * (end - start)

    def _allows(self, point: Array) -> bool:
        return self._search.watched.allows(point) and self._search.meets_roads(point, self._roads)

    def _rounded(self, point: Array) -> Array:
        """In steps that can be set, where that holds too."""
        ratings, steps = self._search.space.ratings_a, self._steps
        places = point * ratings / steps
        corners = product(*zip(np.floor(places + 1e-6), np.ceil(places - 1e-6), strict=True))
        amps = [np.array(corner) * steps for corner in dict.fromkeys(corners)]
        tried = [np.clip(np.round(one, 6) / ratings, 0.0, 1.0) + 0.0 for one in amps]  # no -0.0
        rounded: Array
        for rounded in sorted(tried, key=lambda one: float(np.sum(one**2))):
            if self.holds_all(rounded):
                return rounded
        return point
