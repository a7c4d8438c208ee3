"""The watch list while settings are sought: no stop, and no warning that the tune given did not have.

The whole list is asked for only where the search would end; a rule that speaks there is asked from then on at each point that matters.
What one answer says of other points is used: where a rule forbids some limits it forbids greater ones, but for those of :data:`HELPED_BY`.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.goal.space import Space
from crisp_hornet.core.rules import RULES, Strength, Warning_
from crisp_hornet.core.rules.corners import worst_by_rule
from crisp_hornet.core.rules.kinds import Rule
from crisp_hornet.core.rules.watch import drawn, typical_v
from crisp_hornet.documents.goals import FREE
from crisp_hornet.documents.tune import Tune

# rules that greater settings of these paths ease
HELPED_BY: dict[str, tuple[str, ...]] = {"weakening-large": ("drive.phase_current_a",), "nothing-pulls": FREE}


@dataclass
class _Asked:
    """A rule that spoke once, with the points at which it is known to forbid and to allow."""

    rule: Rule
    signs: Array
    forbids: list[Array] = field(default_factory=list)
    allows: list[Array] = field(default_factory=list)

    def known(self, point: Array) -> bool | None:
        """Whether it allows a point, as far as other points tell."""
        at = point * self.signs
        if any(np.all(at >= other) for other in self.forbids):
            return False
        return True if any(np.all(at <= other) for other in self.allows) else None


class Watched:
    """The watch list of the tunes of a space."""

    def __init__(self, space: Space) -> None:
        self._space = space
        self._conditions = Conditions(typical_v(space.bike))
        self._asked: dict[Rule, _Asked] = {}
        self._whole: dict[tuple[float, ...], list[tuple[Rule, Warning_]]] = {}

    @cached_property
    def _had(self) -> set[str]:
        """The warnings of the tune that was given, by id."""
        return {one.id for _, one in self._say(self._space.tune, RULES) if one.strength is Strength.WARN}

    def _say(self, tune: Tune, rules: list[Rule]) -> list[tuple[Rule, Warning_]]:
        return worst_by_rule(drawn(self._space.bike, tune, self._conditions), self._conditions, rules)

    def _offences(self, tune: Tune, rules: list[Rule]) -> list[tuple[Rule, Warning_]]:
        said = self._say(tune, rules)
        return [
            (rule, one)
            for rule, one in said
            if one.strength is Strength.STOP or (one.strength is Strength.WARN and one.id not in self._had)
        ]

    def allows(self, point: Array) -> bool:
        """Whether the rules asked so far allow a point."""
        return self._all_allow(list(self._asked.values()), point)

    def _all_allow(self, asked: list[_Asked], point: Array) -> bool:
        known = [one.known(point) for one in asked]
        if False in known:
            return False
        open_ = [one for one, told in zip(asked, known, strict=True) if told is None]
        if not open_:
            return True
        spoke = {rule for rule, _ in self._offences(self._space.tune_at(point), [one.rule for one in open_])}
        for one in open_:
            (one.forbids if one.rule in spoke else one.allows).append(point * one.signs)
        return not spoke

    def may_hold(self, low: Array, high: Array) -> bool:
        """Whether each rule asked so far may allow some point between two corners."""
        by_corner: dict[tuple[float, ...], list[_Asked]] = {}
        for one in self._asked.values():
            by_corner.setdefault(tuple(np.where(one.signs > 0, low, high).tolist()), []).append(one)
        return all(self._all_allow(asked, np.array(corner)) for corner, asked in by_corner.items())

    def surely_forbids(self, low: Array, high: Array) -> bool:
        """Whether what is known already forbids all between two corners."""
        return any(one.known(np.where(one.signs > 0, low, high)) is False for one in self._asked.values())

    def learns(self, point: Array) -> bool:
        """Asks the whole list at a point; whether it allows it. A rule that speaks is asked from then on."""
        key = tuple(np.round(point, 9).tolist())
        if key not in self._whole:
            self._whole[key] = self._offences(self._space.tune_at(point), RULES)
        for rule, warning in self._whole[key]:
            if rule not in self._asked:
                helped = HELPED_BY.get(warning.id, ())
                self._asked[rule] = _Asked(
                    rule, np.array([-1.0 if path in helped else 1.0 for path in self._space.free])
                )
            self._asked[rule].forbids.append(point * self._asked[rule].signs)
        return not self._whole[key]

    def told(self, point: Array) -> list[str]:
        """What the watch list holds against a point, by id."""
        self.learns(point)
        return [warning.id for _, warning in self._whole[tuple(np.round(point, 9).tolist())]]
