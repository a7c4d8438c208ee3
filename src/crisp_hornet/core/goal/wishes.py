"""What settings reach of each wish, and by how much they miss it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.goal.cases import DRAWN, Case
from crisp_hornet.core.goal.pulls import Pulls, pulls
from crisp_hornet.core.heat.nodes import HeldHeat, losses
from crisp_hornet.core.road.performance import launch_times_s, operating_point, settles_kmh
from crisp_hornet.core.road.vehicle import lift_force_n, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Climb, FrontWheel, Goal, Launch, Minutes, OnRoute, Power, Sag, Top
from crisp_hornet.documents.tune import Tune

HOLDS = 1.001  # a speed is held where it would be passed by a hair: on the very edge rounding alone decides
COARSE, FEW, FINE = 25, 17, 121  # speeds of a curve, while searching (for sag alone) and at the end


def wanted(goal: Goal) -> float:
    """The figure that a wish asks for; of a road see :mod:`~crisp_hornet.core.goal.on_road`."""
    for name in ("least_kmh", "most_s", "least_share", "least_v", "least_min", "most_w"):
        if not isinstance(goal, OnRoute) and (value := getattr(goal, name, None)) is not None:
            return float(value)
    raise TypeError(goal)


def asks_for_most(goal: Goal) -> bool:
    """Whether a wish is met at its figure or below it."""
    return isinstance(goal, (Launch, Power))


def rises(goal: Goal) -> bool | None:
    """Whether greater limits come nearer to a wish (True) or farther from it (False): force never falls as a limit rises. None where
    neither holds, as on a road."""
    return None if isinstance(goal, OnRoute) else not isinstance(goal, (FrontWheel, Sag, Power))


def slack(goal: Goal, reached: Array) -> Array:
    """By what share a wish is over-fulfilled; below 0 it is missed, at -1 not begun."""
    figure = wanted(goal)
    if asks_for_most(goal):
        return figure / np.maximum(reached, 1e-9) - 1
    return reached / figure - 1


@dataclass(frozen=True, eq=False)
class Measured:
    """What tunes on a bike reach: those that differ in their currents only. ``rested_v``: for all wishes that name no voltage (V);
    ``cases``: in which they shall hold besides."""

    bike: Bike
    goals: Sequence[Goal]
    rested_v: float
    speeds: int = COARSE
    cases: tuple[Case, ...] = ()

    def reached(self, tunes: Sequence[Tune]) -> Array:
        """The figure of each wish for each tune, (k, goals), in the worst of the cases; NaN for a road."""
        worst = self._in_case(DRAWN, tunes)
        for case in self.cases:
            found = self._in_case(case, tunes)
            for at, goal in enumerate(self.goals):
                if not isinstance(goal, OnRoute):
                    nearer = slack(goal, found[:, at]) < slack(goal, worst[:, at])
                    worst[nearer, at] = found[nearer, at]
        return worst

    def _in_case(self, case: Case, tunes: Sequence[Tune]) -> Array:
        bike, drawn_v, winding_c = (
            case.bike(self.bike),
            case.rested_v(self.bike, self.rested_v),
            case.winding_c(tunes[0]),
        )
        found = np.full((len(tunes), len(self.goals)), np.nan)
        by_volts: dict[float, list[int]] = {}
        for at, goal in enumerate(self.goals):
            if not isinstance(goal, OnRoute):
                by_volts.setdefault(goal.rested_v if isinstance(goal, Sag) else drawn_v, []).append(at)
        for volts, members in by_volts.items():
            curves = pulls(bike, tunes, self._speeds([self.goals[at] for at in members]), volts, winding_c)
            for at in members:
                found[:, at] = _reached(self.goals[at], bike, curves, drawn_v, tunes[0])
        return found

    def slacks(self, tunes: Sequence[Tune]) -> Array:
        """By what share each tune over-fulfils each wish, (k, goals); NaN for a road."""
        reached = self.reached(tunes)
        for at, goal in enumerate(self.goals):
            if not isinstance(goal, OnRoute):
                reached[:, at] = slack(goal, reached[:, at])
        return reached

    def _speeds(self, goals: Sequence[Goal]) -> Array:
        """From standstill on, each speed that is asked for among them, as far as the wishes reach."""
        asked = [speed for goal in goals for speed in _asked_kmh(goal)]
        last = fastest_kmh(self.bike)
        beyond = any(isinstance(goal, (Sag, Power)) for goal in goals) or self.speeds == FINE
        top = max(asked, default=last)
        few = self.speeds == COARSE and all(isinstance(goal, Sag) for goal in goals)  # power is level beyond its corner
        grid = [np.linspace(0.0, top, FEW if few else self.speeds), asked]
        if beyond and last > top:
            grid.append(np.linspace(top, last, self.speeds // 2))
        return np.unique(np.concatenate([np.asarray(one, float) for one in grid]))


def _asked_kmh(goal: Goal) -> list[float]:
    if isinstance(goal, Minutes):
        return [goal.kmh, goal.kmh * HOLDS]
    return [float(value) for name in ("least_kmh", "to_kmh") if (value := getattr(goal, name, None)) is not None]


def _settles(bike: Bike, curves: Pulls, grade: float) -> Array:
    return settles_kmh(curves.speed_kmh, curves.force_n - road_load_n(bike, curves.speed_kmh, grade))


def _reached(goal: Goal, bike: Bike, curves: Pulls, rested_v: float, tune: Tune) -> Array:
    """The figure of a wish for each of the curves, (k,)."""
    match goal:
        case Climb():
            return _settles(bike, curves, goal.grade)
        case Top():
            return _settles(bike, curves, 0.0)
        case Launch():
            return launch_times_s(bike, curves.speed_kmh, curves.force_n, curves.turns, goal.to_kmh)
        case FrontWheel():
            lift = max(lift_force_n(bike), 1e-9)
            kept: Array = np.maximum(0.0, 1 - curves.force_n.max(axis=1) / lift)
            return kept
        case Sag():
            lowest: Array = curves.pack_v.min(axis=1)
            return lowest
        case Power():
            greatest: Array = (curves.force_n * curves.speed_kmh / 3.6).max(axis=1)
            return greatest
        case Minutes():
            holds = _settles(bike, curves, goal.grade) >= goal.kmh * HOLDS
            return np.where(holds, held_minutes(bike, tune, goal, rested_v), 0.0)
        case _:
            raise TypeError(goal)


def held_minutes(bike: Bike, tune: Tune, goal: Minutes, rested_v: float) -> float:
    """How long the speed may be held from cold until a derating starts, with the least current that holds it; infinite if for good."""
    force = max(float(road_load_n(bike, goal.kmh, goal.grade)), 0.0)
    most, guard = 0.0, tune.heat_guard
    for geared in bike.in_each_gear() if bike.drivetrain.gears else [bike]:
        point = operating_point(geared, goal.kmh, force, rested_v)
        if not math.isfinite(point.phase_current_a):
            continue
        heat = HeldHeat(geared, losses(geared, point.phase_current_a, goal.kmh))
        winding = heat.seconds_until_winding(guard.motor_fade_start_c) if guard.motor_fade_start_c > 25 else 0.0
        stage = (
            heat.seconds_until_controller(guard.controller_fade_start_c) if guard.controller_fade_start_c > 25 else 0.0
        )
        most = max(most, min(float(winding), float(stage)) / 60)
    return most
