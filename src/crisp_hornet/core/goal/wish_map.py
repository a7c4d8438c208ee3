"""Where wishes hold, over two settings: the slack of each at the points of a lattice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from contourpy import contour_generator
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.goal.cases import Case
from crisp_hornet.core.goal.on_road import Roads
from crisp_hornet.core.goal.space import Space
from crisp_hornet.core.goal.wishes import Measured
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Goal
from crisp_hornet.documents.tune import Tune

PLACES, ROAD_PLACES, FEW_ROAD_PLACES = 33, 8, 5


@dataclass(frozen=True, eq=False)
class WishMap:
    """``x_a`` (n,) and ``y_a`` (m,) are the settings ``x_path`` and ``y_path`` (A); ``slack`` (goals, m, n) by what share each wish is
    over-fulfilled there, NaN where it was not worked out."""

    x_path: str
    y_path: str
    x_a: Array
    y_a: Array
    slack: Array

    @property
    def holds(self) -> Array:
        """The slack of the worst of all wishes that were worked out, (m, n)."""
        known = np.where(np.isfinite(self.slack), self.slack, np.inf)
        worst: Array = known.min(axis=0)
        return worst

    def edge(self, goal: int) -> list[Array]:
        """Where a wish just holds: lines of points (k, 2), A each."""
        slack = np.ma.masked_invalid(self.slack[goal])
        if slack.count() < 4:
            return []
        lines = contour_generator(self.x_a, self.y_a, slack).lines(0.0)
        return [np.asarray(line, dtype=np.float64) for line in lines]


def wish_map(
    bike: Bike,
    tune: Tune,
    goals: Sequence[Goal],
    rested_v: float,
    x_path: str,
    y_path: str,
    cases: tuple[Case, ...] = (),
    places: int = PLACES,
) -> WishMap:
    """The map of all wishes but those for a road, from nothing to the ratings."""
    space = Space(bike, tune, (x_path, y_path))
    x, y = (np.linspace(0.0, space.rating_a(path), places) for path in (x_path, y_path))
    tunes = [space.with_amps([one, other]) for other in y for one in x]
    slack = Measured(bike, goals, rested_v, cases=cases).slacks(tunes).T.reshape(len(goals), places, places)
    return WishMap(x_path, y_path, x, y, slack)


def with_roads(
    made: WishMap,
    bike: Bike,
    tune: Tune,
    goals: Sequence[Goal],
    rested_v: float | None,
    cases: tuple[Case, ...] = (),
    tick: Callable[[float], bool] | None = None,
) -> WishMap:
    """The same map with what wishes ask of roads: ridden at a coarser lattice over the part where all else holds, straight between, and not
    known elsewhere. As it was where ``tick``, which hears how far it is (0 to 1), says that it is not to go on."""
    roads = Roads(bike, goals, rested_v, cases)
    if not roads.goals:
        return made
    space, places = Space(bike, tune, (made.x_path, made.y_path)), FEW_ROAD_PLACES if cases else ROAD_PLACES
    holds = made.holds >= 0
    columns, rows = (_part(np.flatnonzero(holds.any(axis=axis)), len(made.x_a)) for axis in (0, 1))
    x, y = (
        np.linspace(axis[part.start], axis[part.stop - 1], places)
        for axis, part in ((made.x_a, columns), (made.y_a, rows))
    )
    slack = made.slack.copy()
    for count, at in enumerate(roads.goals):
        coarse = np.full((places, places), -1.0)
        for row in range(places):
            if tick is not None and not tick((count + row / places) / len(roads.goals)):
                return made
            for column in range(places):
                coarse[row, column] = roads.trial(at, space.with_amps([x[column], y[row]])).slack
        fine = np.array([np.interp(made.x_a[columns], x, line) for line in np.clip(coarse, -1.0, 1.0)])
        slack[at, rows, columns] = np.array([np.interp(made.y_a[rows], y, column) for column in fine.T]).T
    return WishMap(made.x_path, made.y_path, made.x_a, made.y_a, slack)


def _part(holding: NDArray[np.intp], places: int) -> slice:
    """The places that hold, two more on each side; all where none does."""
    if not holding.size:
        return slice(0, places)
    return slice(max(int(holding[0]) - 2, 0), min(int(holding[-1]) + 3, places))
