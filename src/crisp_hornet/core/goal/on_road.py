"""What a tune comes to on the roads of the wishes, and by how much it misses them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from crisp_hornet.core.goal.cases import DRAWN, Case
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.ride import Setting, ride
from crisp_hornet.core.virtual_ride.roads import repeated
from crisp_hornet.core.virtual_ride.wishes import Held
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import OnRoute
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune

HEAT_K, MOST_WAY_POINTS = 100.0, 20_000
MOST_RIDDEN_M, LEAST_RIDES = 600_000.0, 36  # how far a search may ride in all, and in how many rides at least
MOSTS = {"most_s": "time_s", "most_wh_per_km": "wh_per_km"}


@dataclass(frozen=True)
class Demand:
    """One figure that a wish asks of a road: its name in the wish and in a journey, what is wanted, whether as the most."""

    name: str
    figure: str
    wanted: float
    at_most: bool

    def slack(self, value: float) -> float:
        """By what share it is over-fulfilled."""
        if self.at_most:
            return self.wanted / max(value, 1e-9) - 1 if self.wanted > 0 else -value
        return value / self.wanted - 1 if self.wanted > 0 else value


def demands(goal: OnRoute) -> list[Demand]:
    """What a wish asks of a road; that it arrives, always."""
    found = [
        Demand(name, figure, float(value), True)
        for name, figure in MOSTS.items()
        if (value := getattr(goal, name)) is not None
    ]
    if goal.least_end_charge is not None:
        found.append(Demand("least_end_charge", "end_charge", goal.least_end_charge, False))
    if not goal.fades:
        found.append(Demand("fades", "heat_fade_s", 0.0, True))
    return found


def figures_of(journey: Journey, tune: Tune) -> dict[str, float]:
    """The figures that wishes ask for; ``spare_k``: how much cooler winding or controller stayed than where its derating starts."""
    guard, figures = tune.heat_guard, journey.figures
    spare = min(
        guard.motor_fade_start_c - figures["winding_c"], guard.controller_fade_start_c - figures["controller_c"]
    )
    return figures | {"heat_fade_s": journey.fades["motor"] + journey.fades["controller"], "spare_k": spare}


@dataclass(frozen=True, eq=False)
class Trial:
    """A ride over a wish's road: its figures, how far of it it went (0 to 1), and the slack of its worst demand."""

    figures: dict[str, float]
    went: float
    slack: float
    worst: Demand | None

    @property
    def too_weak(self) -> bool:
        """Whether less current cannot help: it was too slow, or stood, although nothing derated."""
        slow = self.worst is None or self.worst.name == "most_s"
        return self.slack < 0 and slow and self.figures["heat_fade_s"] == 0


class Roads:
    """The roads of the wishes, each ridden at most once by a tune. Raises :class:`ValueError` for a road that is not there, or too long,
    and while riding :class:`~crisp_hornet.core.virtual_ride.ride.Stopped` where ``go_on`` says not to."""

    def __init__(
        self,
        bike: Bike,
        goals: Sequence[object],
        rested_v: float | None = None,
        cases: tuple[Case, ...] = (),
        go_on: Callable[[], bool] | None = None,
    ) -> None:
        self._bike, self._rested_v, self._cases = bike, rested_v, (DRAWN, *cases)
        self._tick = None if go_on is None else lambda _share: go_on()
        self.goals = {at: goal for at, goal in enumerate(goals) if isinstance(goal, OnRoute)}
        self._ways = {at: _way(goal) for at, goal in self.goals.items()}
        self._ridden: dict[tuple[int, float, float, float], Trial] = {}
        longest = max((way.length_m for way in self._ways.values()), default=1.0)
        self.left = max(int(MOST_RIDDEN_M / longest), LEAST_RIDES) * max(
            len(self._ways), 1
        )  # whatever the number of cases

    def trial(self, at: int, tune: Tune) -> Trial:
        """The ride of wish ``at`` by a tune."""
        key = _key(at, tune)
        if key not in self._ridden:
            self.left -= 1
            self._ridden[key] = self.ridden(at, self._bike, tune)
        return self._ridden[key]

    def meets(self, at: int, tune: Tune) -> bool:
        """Whether a tune meets wish ``at``. False without a ride where a greater tune was too weak already, or where all the rides that a
        search may take (``left``) are used up."""
        key = _key(at, tune)
        if key not in self._ridden:
            weak = any(one.too_weak and _within(key, other) for other, one in self._ridden.items())
            if weak or self.left <= 0:
                return False
        return self.trial(at, tune).slack >= 0

    def ridden(self, at: int, bike: Bike, tune: Tune) -> Trial:
        """The same by another bike, kept nowhere; of several cases the worst."""
        charged = self.goals[at].least_end_charge is not None  # what shall be left is asked of the charge that is drawn
        cases = [case for case in self._cases if not (case.low and charged)]
        return min((self._in_case(case, at, bike, tune) for case in cases), key=lambda trial: trial.slack)

    def _in_case(self, case: Case, at: int, bike: Bike, tune: Tune) -> Trial:
        goal, way = self.goals[at], self._ways[at]
        journey = ride(case.bike(bike), tune, way, Held(goal.hold_kmh), self._setting(goal, bike, case), self._tick)
        went = 1.0 if journey.stalled_at_m is None else min(journey.distance_m / way.length_m, 0.999)
        figures = figures_of(journey, tune)
        if journey.stalled_at_m is not None:
            return Trial(figures, went, went - 1, None)
        slacks = [(_slack(demand, figures), demand) for demand in demands(goal)]
        worst = min(slacks, key=lambda pair: pair[0]) if slacks else (0.0, None)
        return Trial(figures, went, *worst)

    def _setting(self, goal: OnRoute, bike: Bike, case: Case) -> Setting:
        rested = self._rested_v
        if goal.start_charge is not None:
            rested = rested_or_typical_v(bike.battery, goal.start_charge)
        if case.low:
            rested = case.rested_v(bike, math.inf if rested is None else rested)
        return Setting(rested, case.ambient_c(goal.ambient_c), goal.headwind_kmh)


def _way(goal: OnRoute) -> Route:
    """The whole way of a wish. Raises :class:`ValueError` for one that is too long to be ridden again and again."""
    road = road_of(goal)
    if goal.times > 1 and len(road.points) * goal.times > MOST_WAY_POINTS:
        raise ValueError(f"{road.name}, {goal.times} times: the road has too many points for that, simplify it first")
    return repeated(road, goal.times)


def _slack(demand: Demand, figures: dict[str, float]) -> float:
    """By what share a demand is over-fulfilled; of derating what is spare of the way from 25 °C, or else the share of the time it took."""
    if demand.name != "fades":
        return demand.slack(figures[demand.figure])
    if figures["heat_fade_s"] > 0:
        return -figures["heat_fade_s"] / max(figures["time_s"], 1.0)
    return max(figures["spare_k"], 0.0) / HEAT_K


def _key(at: int, tune: Tune) -> tuple[int, float, float, float]:
    drive = tune.drive
    return at, drive.phase_current_a, drive.battery_current_a, drive.field_weakening_a


def _within(key: tuple[int, float, float, float], other: tuple[int, float, float, float]) -> bool:
    return key[0] == other[0] and all(one <= most for one, most in zip(key[1:], other[1:], strict=True))


def road_of(goal: OnRoute) -> Route:
    """The road of a wish. Raises :class:`ValueError` where only its name is given."""
    if isinstance(goal.route, str):
        raise ValueError(f"the road {goal.route} was not read")
    return goal.route
