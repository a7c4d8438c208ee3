"""Wishes in, settings out: what meets them all with the least strain, or which of them fight, and what comes nearest."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.goal.cases import Case
from crisp_hornet.core.goal.on_road import Roads
from crisp_hornet.core.goal.polish import Polish
from crisp_hornet.core.goal.reached import Reached, reached_by
from crisp_hornet.core.goal.search import SIDE, Ints, Search
from crisp_hornet.core.goal.space import Space
from crisp_hornet.core.goal.watched import Watched
from crisp_hornet.core.goal.wishes import FINE, Measured
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Goals
from crisp_hornet.documents.tune import Tune

COARSE_LEVELS, NEAR_LEVELS = 5, 4
NEAR_TRIED, NEAR_ROUNDS, NEAR_ALIKE = 6, 8, 1e-3
FINAL_ROUNDS = 4


@dataclass(frozen=True, eq=False)
class Answer:
    """``tune``: with the settings found, or those that come nearest; ``goals``: what it reaches of each wish, in their order;
    ``conflict``: wishes of a smallest set that cannot be met together, by place; ``against``: what the watch list holds against every
    setting, by id, where that is why none was found. ``proved``: that there are none; of a road only some settings are
    tried, and then it was only not found."""

    found: bool
    tune: Tune
    strain: float
    goals: list[Reached]
    conflict: list[int] = field(default_factory=list)
    against: list[str] = field(default_factory=list)
    proved: bool = True


class Seeker:
    """One ask: wishes, a bike, the tune that is to be changed. ``rested_v``: at which charge it shall hold (full, if not given);
    ``steps``: the smallest differences that can be set (A), by path; ``cases``: in which it shall hold besides."""

    def __init__(
        self,
        bike: Bike,
        tune: Tune,
        goals: Goals,
        rested_v: float | None = None,
        tick: Callable[[], bool] | None = None,
        steps: Mapping[str, float] | None = None,
        cases: tuple[Case, ...] = (),
    ) -> None:
        self._steps, self._cases, self._lacks_witness = steps, cases, True
        self.goals, self.rested_v = goals.goals, rested_v or rested_or_typical_v(bike.battery, 1.0)
        self.space = Space(bike, tune, tuple(goals.free))
        self.watched = Watched(self.space)
        self.roads = Roads(bike, self.goals, rested_v, cases)
        self.exactly = Measured(bike, self.goals, self.rested_v, FINE, cases)
        coarse = Measured(bike, self.goals, self.rested_v, cases=cases)
        self.search = Search(self.space, coarse, self.watched, self.roads, tick)
        self.every = list(range(len(self.goals)))

    def answer(self) -> Answer:
        """Settings that meet every wish, or what fights. Raises :class:`~crisp_hornet.core.virtual_ride.ride.Stopped`."""
        point = self.point()
        if point is not None:
            return self._answer(True, point)
        conflict = self.conflict()
        against = [] if conflict else self.watched.told(np.zeros(len(self.space.free)))
        proved = self._lacks_witness and not any(at in self.roads.goals for at in conflict)
        return replace(self._answer(False, self.nearest(), conflict, against), proved=proved)

    def point(self) -> Array | None:
        """The shares of the ratings with the least strain, once more tried by itself; None where no settings meet all."""
        exact = Polish(self.search, self.exactly, self.every, self._steps)
        for _ in range(FINAL_ROUNDS):
            point = self._candidate(exact)
            if point is None or exact.stands(point):  # what the watch list said against it counts in the next round
                return point
        return None

    def _candidate(self, exact: Polish) -> Array | None:
        """The shares of the ratings with the least strain; None where no settings meet all.

        A first answer from a coarse lattice is moved to the edge; that bounds the strain so well that little of the fine one is left."""
        first = self.search.least(self.every, COARSE_LEVELS)
        if first is not None:
            near = Polish(self.search, self.search.measured, self.every).inwards(first)
            better = self.search.least(self.every, below=float(np.sum(near**2)))
            return exact.least(near if better is None else better)
        point = self.search.least(self.every)
        if point is None:  # where a hair decides, the lattice is too coarse to say
            point = self.nearest()
            return exact.least(point) if exact.holds_all(point) else None
        return exact.least(point)

    def _answer(self, found: bool, point: Array, conflict: Sequence[int] = (), against: Sequence[str] = ()) -> Answer:
        tune = self.space.tune_at(point)
        reached = reached_by(self.space.bike, tune, self.goals, self.rested_v, self.roads, self._cases)
        return Answer(found, tune, self.space.strain(tune), reached, list(conflict), list(against))

    def conflict(self) -> list[int]:
        """The places of a smallest set of wishes that no settings meet together; empty where the watch list alone forbids all."""
        witnesses: list[Array] = []
        for size in range(1, len(self.every) + 1):
            for members in combinations(self.every, size):
                if any(self.meets(point, members) for point in witnesses):
                    continue
                point = self.search.least(members, COARSE_LEVELS, any_will_do=True)
                point = point if point is not None else self.search.least(members, any_will_do=True)
                if point is None:
                    return (
                        []
                        if size == 1 and self.search.least([], COARSE_LEVELS, any_will_do=True) is None
                        else list(members)
                    )
                witnesses.append(point)
        self._lacks_witness = False
        return self.every

    def meets(self, point: Array, members: Sequence[int]) -> bool:
        """Whether a point of the lattice meets some wishes."""
        slacks = self.search.slacks(np.round(point * SIDE).astype(np.int64)[None])[0]
        return all(
            slacks[at] >= 0 if at not in self.roads.goals else self.search.meets_roads(point, [at]) for at in members
        )

    def nearest(self) -> Array:
        """The point whose worst miss is the least, that the watch list allows; the tune's own, where it allows none that was tried."""
        step = SIDE >> NEAR_LEVELS
        ticks = np.arange(0, SIDE + 1, step if len(self.space.free) < 3 else 2 * step)
        points = self._lattice(ticks)
        best = self._least_miss(points)
        size = int(ticks[1])
        while best is not None and size > 1:
            size //= 2
            around = self._lattice(np.array([-size, 0, size]))
            near = np.unique(np.clip(best + around, 0, SIDE), axis=0)
            best = self._least_miss(near)
        return self.space.now if best is None else best / SIDE

    def _lattice(self, ticks: Ints) -> Ints:
        """All points with these places along each axis."""
        count = len(self.space.free)
        points: Ints = np.array(np.meshgrid(*[ticks] * count), dtype=np.int64).reshape(count, -1).T
        return points

    def _least_miss(self, points: Ints) -> Ints | None:
        slacks = np.nan_to_num(self.search.slacks(points), nan=0.0)
        misses = np.maximum(-slacks, 0.0)
        order = np.lexsort(((points**2).sum(axis=1), misses.sum(axis=1).round(6), misses.max(axis=1).round(6)))
        for _ in range(NEAR_ROUNDS):
            chosen = self._best_allowed(points, order, misses.max(axis=1))
            if chosen is None:
                return None
            if self.watched.learns(points[chosen] / SIDE):
                found: Ints = points[chosen]
                return found
        return None

    def _best_allowed(self, points: Ints, order: Ints, worst: Array) -> int | None:
        """Of points in an order the first that the rules asked so far allow; with roads that which misses least of a few spread over those
        that are as good else."""
        first: int | None = next((at for at in order.tolist() if self.watched.allows(points[at] / SIDE)), None)
        if first is None or not self.roads.goals:
            return first
        alike = [at for at in order.tolist() if worst[at] <= worst[first] + NEAR_ALIKE]
        allowed = [at for at in alike if self.watched.allows(points[at] / SIDE)]
        spread = sorted({round(at) for at in np.linspace(0, len(allowed) - 1, NEAR_TRIED).tolist()})
        tried: list[int] = [allowed[at] for at in spread]
        return min(tried, key=lambda at: max(float(worst[at]), self._miss_on_roads(points[at] / SIDE)))

    def _miss_on_roads(self, point: Array) -> float:
        tune = self.space.tune_at(point)
        return max((max(-self.roads.trial(road, tune).slack, 0.0) for road in self.roads.goals), default=0.0)
