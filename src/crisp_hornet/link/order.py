"""In which order changes are written, so that a cut in the middle never leaves a bike worse than before or after."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from pydantic import ValidationError

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.rules import Situation, Strength, judge
from crisp_hornet.core.rules.watch import typical_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import KNOWN, Tune
from crisp_hornet.link.difference import Change

RANKS = {Strength.NOTE: 1, Strength.WARN: 2, Strength.STOP: 3}
MOST_TRIED = 2000  # states looked at before giving up: with n changes there are 2^n
SPEEDS = np.linspace(0.0, 70.0, 36)
Values = Mapping[str, float | None]
Strengths = Callable[[Values], Mapping[str, int] | None]


class NoOrder(Exception):
    """There is no order of writing in which every state in between is as safe as both ends; says what stands in its way."""

    def __init__(self, bars: list[str]) -> None:
        self.bars = bars
        why = f" In between this would hold: {'; '.join(bars)}." if bars else ""
        super().__init__(
            "No write order keeps every intermediate state safe."
            f"{why} Send it in two steps: what asks less of the bike first."
        )


def crossing_order(running: Tune, changes: list[Change]) -> list[Change]:
    """An order in which no fade pair is ever crossed, what eases first; for where the bike is not known. Raises :class:`NoOrder`."""
    return write_order(changes, lambda values: None if with_values(running, values) is None else {})


def safe_order(bike: Bike, running: Tune, changes: list[Change], rested_v: float | None = None) -> list[Change]:
    """The changes in an order in which no rule of the watch list speaks louder in between than at both ends, and no fade pair is
    ever crossed; what eases first as far as that allows. Where there is none, mere notes may speak in between: what is useless
    for a moment harms nobody. Raises :class:`NoOrder` where even then there is none."""
    said: dict[str, str] = {}
    at_v = typical_v(bike) if rested_v is None else rested_v

    def strengths(values: Values) -> Mapping[str, int] | None:
        tune = with_values(running, values)
        if tune is None:
            return None
        curve = pull_curve(bike, tune, SPEEDS, Conditions(at_v))
        found = judge(Situation(bike, tune, curve, running))
        said.update({one.id: one.text for one in found})
        return {one.id: RANKS[one.strength] for one in found}

    for harmless in (0, RANKS[Strength.NOTE]):
        try:
            return write_order(changes, strengths, harmless)
        except NoOrder as none:
            bars = none.bars
    raise NoOrder([said[bar] for bar in bars])


def with_values(tune: Tune, values: Values) -> Tune | None:
    """A tune with some settings changed; None where they make no valid tune. Other names are passed over."""
    try:
        return tune.with_settings({path: value for path, value in values.items() if path in KNOWN})
    except (ValidationError, KeyError):
        return None


def write_order(changes: list[Change], strengths: Strengths, harmless: int = 0) -> list[Change]:
    """An order in which no state in between is worse than both ends; what eases first, as far as that allows.

    ``strengths`` gives, for the values after some of the changes, how strongly each rule speaks (by rule, the larger the
    stronger), or None where they make no tune at all (a fade pair crossed); up to ``harmless`` it may speak anywhere. Raises
    :class:`NoOrder` with the rules that barred the way where it led furthest.
    """
    first, last = strengths({}), strengths(_values(changes))
    if first is None or last is None:
        raise NoOrder([])
    allowed = {rule: max(first.get(rule, 0), last.get(rule, 0)) for rule in {*first, *last}}
    dead: set[frozenset[str]] = set()
    furthest, bars, tried = 0, set[str](), 0

    def go_on(done: list[Change], left: list[Change]) -> list[Change] | None:
        nonlocal furthest, tried
        if not left:
            return done
        state = frozenset(change.register.name for change in done)
        if state in dead or tried > MOST_TRIED:
            return None
        if len(done) > furthest:
            furthest = len(done)
            bars.clear()
        for change in left:
            found, tried = strengths(_values([*done, change])), tried + 1
            louder = [
                rule for rule, strength in (found or {}).items() if strength > max(allowed.get(rule, 0), harmless)
            ]
            if found is None or louder:
                bars.update(louder if len(done) == furthest else ())
                continue
            order = go_on([*done, change], [one for one in left if one is not change])
            if order is not None:
                return order
        dead.add(state)
        return None

    order = go_on([], sorted(changes, key=Change.turn))
    if order is None:
        raise NoOrder(sorted(bars))
    return order


def _values(changes: list[Change]) -> dict[str, float | None]:
    return {change.register.name: change.means for change in changes}
