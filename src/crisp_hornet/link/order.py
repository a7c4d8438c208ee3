"""In which order changes are written, so that a cut in the middle never leaves a bike worse than before or after."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from pydantic import ValidationError

from crisp_hornet.core.pull import Conditions, pull_curve
from crisp_hornet.core.rules import Situation, Strength, judge
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import KNOWN, Tune
from crisp_hornet.link.difference import Change

NO_ORDER = (
    "There is no order of writing in which every state in between is as safe as both ends. Send it in two steps: what asks "
    "less of the bike first. Nothing was written."
)
RANKS = {Strength.NOTE: 1, Strength.WARN: 2, Strength.STOP: 3}
SPEEDS = np.linspace(0.0, 70.0, 36)
Values = Mapping[str, float | None]
Strengths = Callable[[Values], Mapping[str, int] | None]


def safe_order(bike: Bike, running: Tune, changes: list[Change], rested_v: float) -> list[Change] | None:
    """The changes in an order in which no rule of the watch list speaks louder in between than at both ends, and no fade pair is
    ever crossed; what eases first as far as that allows. None if there is none."""

    def strengths(values: Values) -> Mapping[str, int] | None:
        tune = with_values(running, values)
        if tune is None:
            return None
        curve = pull_curve(bike, tune, SPEEDS, Conditions(rested_v))
        return {found.id: RANKS[found.strength] for found in judge(Situation(bike, tune, curve, running))}

    return write_order(changes, strengths)


def with_values(tune: Tune, values: Values) -> Tune | None:
    """A tune with some settings changed; None where they make no valid tune. Other names are passed over."""
    try:
        return tune.with_settings({path: value for path, value in values.items() if path in KNOWN})
    except (ValidationError, KeyError):
        return None


def write_order(
    changes: list[Change], strengths: Callable[[Mapping[str, float | None]], Mapping[str, int] | None]
) -> list[Change] | None:
    """An order in which no state in between is worse than both ends; what eases first, as far as that allows.

    ``strengths`` gives, for the values after some of the changes, how strongly each rule speaks (by rule, the larger the
    stronger), or None where they make no tune at all (a fade pair crossed). None if there is no such order.
    """
    first, last = strengths({}), strengths(_values(changes))
    if first is None or last is None:
        return None
    allowed = {rule: max(first.get(rule, 0), last.get(rule, 0)) for rule in {*first, *last}}
    dead: set[frozenset[str]] = set()

    def go_on(done: list[Change], left: list[Change]) -> list[Change] | None:
        if not left:
            return done
        state = frozenset(change.register.name for change in done)
        if state in dead:
            return None
        for change in left:
            found = strengths(_values([*done, change]))
            if found is None or any(strength > allowed.get(rule, 0) for rule, strength in found.items()):
                continue
            order = go_on([*done, change], [one for one in left if one is not change])
            if order is not None:
                return order
        dead.add(state)
        return None

    return go_on([], sorted(changes, key=Change.turn))


def _values(changes: list[Change]) -> dict[str, float | None]:
    return {change.register.name: change.after for change in changes}
