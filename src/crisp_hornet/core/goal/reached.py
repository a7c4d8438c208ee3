"""What a tune reaches of each wish, with its band, and whether that meets it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import possible_bikes
from crisp_hornet.core.goal.cases import Case
from crisp_hornet.core.goal.on_road import Demand, Roads, demands
from crisp_hornet.core.goal.wishes import Measured, asks_for_most, wanted
from crisp_hornet.core.virtual_ride.band import ON_THE_ROAD, Ends, ends_of
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Goal, OnRoute
from crisp_hornet.documents.tune import Tune

SAMPLES, ROAD_SAMPLES, BAND_SPEEDS, SLIGHT = 16, 8, 121, 2e-3

Met = Literal["yes", "likely", "no"]


@dataclass(frozen=True)
class Reached:
    """A wish's figure as it is ``wanted`` and ``reached`` (infinite, where it never is); ``met``: "yes" where the whole band meets it,
    "likely" where the figure itself does. Of a road ``parts`` are the figures of all it asks, and this one is the worst of them;
    ``spare_k``: how far below derating it stays (K)."""

    goal: Goal
    name: str
    wanted: float
    reached: Ends
    met: Met
    parts: list[Reached] = field(default_factory=list)
    spare_k: float | None = None


def reached_by(
    bike: Bike,
    tune: Tune,
    goals: Sequence[Goal],
    rested_v: float,
    roads: Roads,
    cases: tuple[Case, ...] = (),
    samples: int = SAMPLES,
) -> list[Reached]:
    """What ``tune`` reaches of each wish, in the worst of some cases."""
    made = possible_bikes(bike, samples, paths=ON_THE_ROAD)
    of_all = np.array([Measured(one, goals, rested_v, BAND_SPEEDS, cases).reached([tune])[0] for one in [bike, *made]])
    return [
        _on_road(goal, at, tune, roads, made[: min(ROAD_SAMPLES, samples)])
        if isinstance(goal, OnRoute)
        else _plain(goal, of_all[:, at])
        for at, goal in enumerate(goals)
    ]


def _plain(goal: Goal, figures: Array) -> Reached:
    most = asks_for_most(goal)
    ends = _inverse_ends(figures) if goal.what in ("launch", "minutes") else ends_of(float(figures[0]), figures[1:])
    return Reached(goal, goal.what, wanted(goal), ends, met_by(ends, wanted(goal), most))


def _inverse_ends(figures: Array) -> Ends:
    """Of times that may be infinite: taken from their inverses."""
    with np.errstate(divide="ignore"):
        each = 1 / figures
    if not math.isfinite(each[0]):
        return Ends(float(figures[0]), float(figures[0]), float(np.max(figures)))
    ends = ends_of(float(each[0]), np.where(np.isfinite(each[1:]), each[1:], each[0]))
    low, value, high = (1 / one if one > 0 else math.inf for one in (ends.high, ends.value, max(ends.low, 0.0)))
    return Ends(value, low, high)


def met_by(ends: Ends, figure: float, at_most: bool) -> Met:
    """Whether a figure with its ends meets what is wanted, to 0.2 %."""
    slight = SLIGHT * abs(figure)
    if at_most:
        return "yes" if ends.high <= figure + slight else "likely" if ends.value <= figure + slight else "no"
    return "yes" if ends.low >= figure - slight else "likely" if ends.value >= figure - slight else "no"


def _on_road(goal: OnRoute, at: int, tune: Tune, roads: Roads, made: Sequence[Bike]) -> Reached:
    own = roads.trial(at, tune)
    others = [roads.ridden(at, one, tune) for one in made]
    arrives = _arrival(goal, own.went, [one.went for one in others])
    if own.went < 1:
        return Reached(goal, "arrives", 1.0, arrives.reached, "no", [arrives])
    there = [one for one in others if one.went >= 1] or others
    parts = [arrives]
    for demand in demands(goal):
        figures = np.array([one.figures[demand.figure] for one in there])
        ends = ends_of(own.figures[demand.figure], figures)
        if demand.name == "fades" or not demand.at_most:
            ends = Ends(ends.value, max(ends.low, 0.0), ends.high)
        spare = own.figures["spare_k"] if demand.name == "fades" else None
        met = met_by(ends, demand.wanted, demand.at_most)
        parts.append(Reached(goal, demand.name, demand.wanted, ends, met, spare_k=spare))
    worst = min(parts[1:] or parts, key=_rank(demands(goal)))
    whole: Met = min((one.met for one in parts), key=["no", "likely", "yes"].index)
    return Reached(goal, worst.name, worst.wanted, worst.reached, whole, parts)


def _rank(asked: Sequence[Demand]) -> Callable[[Reached], tuple[int, float]]:
    slack_of = {demand.name: demand.slack for demand in asked}
    order = ["no", "likely", "yes"]
    return lambda one: (order.index(one.met), slack_of[one.name](one.reached.value) if one.name in slack_of else 1.0)


def _arrival(goal: OnRoute, went: float, others: Sequence[float]) -> Reached:
    share = float(np.mean([one >= 1 for one in others])) if others else 1.0
    met: Met = "no" if went < 1 else "yes" if share == 1 else "likely"
    return Reached(goal, "arrives", 1.0, Ends(went, min([went, *others]), max([went, *others])), met)
