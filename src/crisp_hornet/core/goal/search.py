"""The settings of least strain that meet wishes: branch and bound on a lattice, then an exact polish.

The space of the free settings, as shares of their ratings, is cut into boxes. Force never falls as a limit rises, so a box can hold an
answer only if its greatest corner meets the wishes that ask for pull, its least corner those that ask for less, and what the watch list
forbids at its least corner it forbids in all of it. Strain grows with each setting: that of the least corner bounds it from below, and
boxes above the best answer so far are dropped (Land & Doig, 1960). Corners lie on one lattice, so each is measured once. What a road asks
for is no such order; it is only asked at corners that hold else, on a coarser lattice.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import product

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.goal.on_road import Roads
from crisp_hornet.core.goal.space import Space
from crisp_hornet.core.goal.watched import Watched
from crisp_hornet.core.goal.wishes import Measured, rises
from crisp_hornet.core.virtual_ride.ride import Stopped

LEVELS, ROAD_LEVELS = 8, 3
SIDE = 1 << LEVELS
MOST_BOXES, MOST_ROUNDS, GAP = 2500, 12, 0.005
Ints = NDArray[np.int64]


class Search:
    """Wishes over a space, with all that was measured so far."""

    def __init__(
        self,
        space: Space,
        measured: Measured,
        watched: Watched,
        roads: Roads,
        tick: Callable[[], bool] | None = None,
    ) -> None:
        self.space, self.measured, self.watched, self.roads = space, measured, watched, roads
        self._tick = tick
        self._found: dict[tuple[int, ...], Array] = {}

    def slacks(self, points: Ints) -> Array:
        """The slack of each wish at lattice points (k, d); (k, goals), NaN for roads."""
        keys = [tuple(point) for point in points.tolist()]
        new = [key for key in dict.fromkeys(keys) if key not in self._found]
        if new:
            if self._tick is not None and not self._tick():
                raise Stopped
            tunes = [self.space.tune_at(np.array(key) / SIDE) for key in new]
            for key, row in zip(new, self.measured.slacks(tunes), strict=True):
                self._found[key] = row
        return np.array([self._found[key] for key in keys])

    def least(
        self, members: Sequence[int], levels: int = LEVELS, any_will_do: bool = False, below: float = np.inf
    ) -> Array | None:
        """The point of least strain that meets the wishes ``members`` and keeps to the watch list; None where there is none, or none with
        less strain than ``below``. With ``any_will_do`` the first that is found."""
        for _ in range(MOST_ROUNDS):
            point = self._branch(members, levels, any_will_do, below)
            if point is None or self.watched.learns(point / SIDE):
                return None if point is None else point / SIDE
        return None

    def _branch(self, members: Sequence[int], levels: int, any_will_do: bool, below: float) -> Ints | None:
        goals = self.measured.goals
        ups, downs = ([at for at in members if rises(goals[at]) is way] for way in (True, False))
        roads = [at for at in members if rises(goals[at]) is None]
        levels = min(levels, ROAD_LEVELS) if roads else levels
        if roads and not all(self._within_reach(at) for at in roads):
            return None
        boxes, size = np.zeros((1, len(self.space.free)), np.int64), SIDE
        best, bound = None, below
        for level in range(levels + 1):
            low, high = self.slacks(boxes), self.slacks(boxes + size)
            met_low, met_high = np.all(low[:, ups + downs] >= 0, axis=1), np.all(high[:, ups + downs] >= 0, axis=1)
            corners = np.unique(np.concatenate((boxes[met_low], boxes[met_high] + size)), axis=0)
            found = self._first_allowed(corners, bound, roads)
            if found is not None:
                best, bound = found, float(_strain(found[None])[0])
                if any_will_do:
                    return best
            keep = (
                (high[:, ups] >= 0).all(axis=1)
                & (low[:, downs] >= 0).all(axis=1)
                & (_strain(boxes) < bound * (1 - GAP))
            )
            if level < levels:
                boxes, size = self._split(boxes[keep], met_high[keep], size), size // 2
            if not len(boxes):
                break
        return best

    def _first_allowed(self, corners: Ints, bound: float, roads: Sequence[int]) -> Ints | None:
        """Of corners that meet the wishes the one of least strain, below ``bound``, that watch list and roads allow."""
        strains = _strain(corners)
        for at in np.argsort(strains, kind="stable"):
            if strains[at] >= bound:
                return None
            if self.watched.allows(corners[at] / SIDE) and self.meets_roads(corners[at] / SIDE, roads):
                found: Ints = corners[at]
                return found
        return None

    def meets_roads(self, point: Array, roads: Sequence[int]) -> bool:
        """Whether a tune meets what wishes ask of roads."""
        if roads and self._tick is not None and not self._tick():
            raise Stopped
        return all(self.roads.meets(at, self.space.tune_at(point)) for at in roads)

    def _within_reach(self, road: int) -> bool:
        """Whether the greatest settings of all, allowed or not, are strong enough for a road: then others may be."""
        return not self.roads.trial(road, self.space.tune_at(np.ones(len(self.space.free)))).too_weak

    def _split(self, boxes: Ints, met_high: NDArray[np.bool_], size: int) -> Ints:
        """The halves of boxes in each direction, but of those that the watch list forbids."""
        left = [
            box
            for box, met in zip(boxes, met_high, strict=True)
            if not self.watched.surely_forbids(box / SIDE, (box + size) / SIDE)
            and (not met or self.watched.may_hold(box / SIDE, (box + size) / SIDE))
        ]
        if not left:
            return np.zeros((0, boxes.shape[1]), np.int64)
        boxes = np.array(left)
        if len(boxes) > MOST_BOXES:
            boxes = boxes[np.argsort(_strain(boxes))[:MOST_BOXES]]
        halves = np.array(list(product((0, size // 2), repeat=boxes.shape[1])))
        split: Ints = (boxes[:, None, :] + halves[None]).reshape(-1, boxes.shape[1])
        return split


def _strain(points: Ints) -> Array:
    """Of the free settings alone, (k,)."""
    strain: Array = np.sum((points / SIDE) ** 2, axis=1)
    return strain
