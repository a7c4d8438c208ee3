"""The worst corner of each rule: full and nearly empty, worn and cold, hot, loaded and bare, flat, steep and down a hill."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import astuple, dataclass, replace
from itertools import product

import numpy as np

from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.pack.cells import cold_factor, rested_or_typical_v
from crisp_hornet.core.rules.kinds import OVER, RULES, Axis, Rule, Situation, Strength, Warning_, on_its_device
from crisp_hornet.documents.bike import Bike, Mass
from crisp_hornet.documents.saying import say

WORN, COLD_C = 1.4, 0.0
STEEP, DOWNHILL = 0.15, -0.12
SPEED_STEP_KMH = 1.0
CASES: dict[Axis, tuple[str, ...]] = {
    Axis.CHARGE: ("", "full", "nearly empty"),
    Axis.PACK: ("", "worn and cold pack"),
    Axis.HEAT: ("", "hot winding"),
    Axis.LOAD: ("", "without cargo"),
    Axis.SLOPE: ("", "on a 15 % slope"),
    Axis.DESCENT: ("", "down a 12 % hill"),
}


@dataclass(frozen=True)
class _Case:
    charge: str = ""
    pack: str = ""
    heat: str = ""
    load: str = ""
    slope: str = ""
    descent: str = ""

    @property
    def words(self) -> str:
        return ", ".join(one for one in astuple(self) if one)

    def grade(self, drawn: float) -> float:
        """The slope it stands on; ``drawn`` where the case says nothing."""
        return STEEP if self.slope else DOWNHILL if self.descent else drawn


def worst_of(situation: Situation, conditions: Conditions) -> list[Warning_]:
    """All open warnings, each at the worst corner its rule names, the strongest first. As drawn counts too.

    Among equally strong warnings of a rule the greatest ``amount`` wins, and the case drawn before others.
    """
    found = [warning for _, warning in worst_by_rule(situation, conditions, RULES)]
    return sorted(found, key=lambda one: list(Strength).index(one.strength))


def worst_by_rule(situation: Situation, conditions: Conditions, rules: Iterable[Rule]) -> list[tuple[Rule, Warning_]]:
    """Of some rules those that warn, with what each says at its worst corner."""
    corners = _Corners(situation, conditions)
    chosen = ((rule, _worst(rule, corners)) for rule in rules)
    return [(rule, on_its_device(situation.bike, warning)) for rule, warning in chosen if warning is not None]


def _worst(rule: Rule, corners: _Corners) -> Warning_ | None:
    worst: tuple[int, float] | None = None
    chosen: Warning_ | None = None
    for corner in corners.of(OVER.get(rule, ())):
        warning = rule(corner)
        if warning is None:
            continue
        rank = (-list(Strength).index(warning.strength), warning.amount)
        if worst is None or rank > (worst[0], worst[1] * 1.02 + 1e-9 if rank[0] == worst[0] else worst[1]):
            worst = rank
            reason = (
                say("{reason} Worst case: {corner}.", reason=warning.reason, corner=corner.corner)
                if corner.corner
                else warning.reason
            )
            chosen = replace(warning, reason=reason, corner=corner.corner)
    return chosen


class _Corners:
    """The situations of all corners, each curve computed once."""

    def __init__(self, drawn: Situation, conditions: Conditions) -> None:
        self._drawn, self._conditions = drawn, conditions
        self._curves: dict[tuple[str, str, str], PullCurve | None] = {}
        last = float(drawn.curve.speed_kmh[-1]) if drawn.curve is not None else 60.0
        self._speeds = np.arange(0.0, last + SPEED_STEP_KMH, SPEED_STEP_KMH)
        charges = {"": conditions.rested_v}
        for word, charge in (("full", 1.0), ("nearly empty", 0.12)):
            charges[word] = rested_or_typical_v(drawn.bike.battery, charge)
        self._volts = charges

    def of(self, axes: tuple[Axis, ...]) -> Iterator[Situation]:
        yield self._drawn
        if not axes or self._drawn.curve is None:
            return
        for words in product(*(CASES[axis] for axis in axes)):
            case = _Case(**{axis.value: word for axis, word in zip(axes, words, strict=True)})
            if case.words:
                yield self._situation(case)

    def _situation(self, case: _Case) -> Situation:
        bike = self._drawn.bike
        if case.pack:
            worn = bike.battery.resistance_ohm * WORN * cold_factor(COLD_C)
            bike = bike.model_copy(update={"battery": bike.battery.model_copy(update={"resistance_ohm": worn})})
        key = (case.charge, case.pack, case.heat)
        if key == ("", "", ""):
            curve = self._drawn.curve
        else:
            if key not in self._curves:
                self._curves[key] = self._curve(bike, case)
            curve = self._curves[key]
        if case.load and curve is not None:
            bike = unloaded(bike)
            curve = replace(curve, bike=unloaded(curve.bike))
        return replace(self._drawn, bike=bike, curve=curve, grade=case.grade(self._drawn.grade), corner=case.words)

    def _curve(self, bike: Bike, case: _Case) -> PullCurve:
        guard = self._drawn.draft.heat_guard
        winding = max(self._conditions.winding_c, guard.motor_fade_start_c) if case.heat else self._conditions.winding_c
        conditions = replace(self._conditions, rested_v=self._volts[case.charge], winding_c=winding)
        return pull_curve(bike, self._drawn.draft, self._speeds, conditions)


def unloaded(bike: Bike) -> Bike:
    """The bike without its cargo; of listed masses the one that weighs just as much goes with it."""
    chassis = bike.chassis
    if not chassis.cargo_kg:
        return bike
    changed: dict[str, object] = {"cargo_kg": 0.0}
    if chassis.masses:
        left: list[Mass] = list(chassis.masses)
        same = [mass for mass in left if mass.kg == chassis.cargo_kg]
        if len(same) == 1 and len(left) > 1:
            left.remove(same[0])
            changed["masses"] = left
    return bike.model_copy(update={"chassis": chassis.model_copy(update=changed)})
