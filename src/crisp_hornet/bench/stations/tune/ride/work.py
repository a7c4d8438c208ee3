"""What The ride works out beside the window, and when it is to stop."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from crisp_hornet.core.goal.cases import Case
from crisp_hornet.core.goal.on_road import Roads
from crisp_hornet.core.goal.parts import Instead, instead
from crisp_hornet.core.goal.reached import Reached, reached_by
from crisp_hornet.core.goal.seek import Answer, Seeker
from crisp_hornet.core.goal.wish_map import WishMap, wish_map, with_roads
from crisp_hornet.core.goal.words import title_of, wanted_of
from crisp_hornet.core.virtual_ride.band import Ends, Foreseen, foresee, foresee_both
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.ride import Setting, ride
from crisp_hornet.core.virtual_ride.wishes import Wish
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Goals
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune


class Turn:
    """Whose turn it is: work started earlier hears at its next tick that it is over. ``share``: how far it said it is (0 to 1), after so
    many ``calls``."""

    def __init__(self) -> None:
        self._now = object()
        self.share, self.calls = 0.0, 0

    def begin(self) -> Ticket:
        """A new turn; those before are over."""
        self._now = object()
        self.share, self.calls = 0.0, 0
        return Ticket(self, self._now)

    def is_on(self, mine: object) -> bool:
        """Whether a turn is still the newest."""
        return mine is self._now


@dataclass(frozen=True)
class Ticket:
    """One turn; called with how far the work is, it says whether to go on."""

    _turn: Turn
    _mine: object = field(repr=False)

    def __call__(self, share: float = 0.0) -> bool:
        on = self._turn.is_on(self._mine)
        if on:
            self._turn.share = share
            self._turn.calls += 1
        return on


@dataclass(frozen=True, eq=False)
class Asked:
    """All that a ride is worked out from; equal where the same is asked."""

    bike: Bike
    tune: Tune
    now: Tune | None
    road: Route
    wish: Wish
    setting: Setting

    @property
    def key(self) -> tuple[object, ...]:
        """To compare by."""
        return (self.bike, self.tune, self.now, self.road, self.wish, self.setting)


Quick = tuple[Journey, Journey | None]
Banded = tuple[Foreseen, dict[str, Ends] | None, Journey | None]


def quick(asked: Asked, before: Asked | None, known: Journey | None, ticket: Ticket) -> Quick:
    """The rides of draft and controller, without bands. ``known``: the controller's of what was asked ``before``; it is taken where nothing
    of it changed."""
    wish = asked.wish
    drafted = ride(asked.bike, asked.tune, asked.road, wish, asked.setting, ticket)
    if asked.now is None:
        return drafted, None
    if known is not None and before is not None and replace(asked, tune=before.tune).key == before.key:
        return drafted, known
    return drafted, ride(asked.bike, asked.now, asked.road, wish, asked.setting, ticket)


def banded(asked: Asked, ticket: Ticket) -> Banded:
    """The draft's ride with its band, and by how much it differs from the controller's."""
    wish = asked.wish
    if asked.now is None:
        return foresee(asked.bike, asked.tune, asked.road, wish, asked.setting, ticket), None, None
    return foresee_both(asked.bike, asked.tune, asked.now, asked.road, wish, asked.setting, ticket)


def reached(bike: Bike, tune: Tune, goals: Goals, rested_v: float, cases: Cases, ticket: Ticket) -> list[Reached]:
    """What a tune reaches of each wish."""
    return reached_by(bike, tune, goals.goals, rested_v, Roads(bike, goals.goals, rested_v, cases, ticket), cases)


def mapped(
    bike: Bike, tune: Tune, goals: Goals, rested_v: float, paths: tuple[str, str], cases: Cases, ticket: Ticket
) -> WishMap:
    """The map of all wishes, roads too."""
    made = wish_map(bike, tune, goals.goals, rested_v, *paths, cases=cases)
    return with_roads(made, bike, tune, goals.goals, rested_v, cases, ticket)


Cases = tuple[Case, ...]
Sought = tuple[Goals, Answer, list[Instead]]


def sought(
    bike: Bike,
    tune: Tune,
    goals: Goals,
    rested_v: float,
    steps: Mapping[str, float],
    cases: Cases,
    ticket: Ticket,
) -> Sought:
    """The answer to an ask, and parts where no settings do."""
    answer = Seeker(bike, tune, goals, rested_v, ticket, steps, cases).answer()
    parts = (
        []
        if answer.found or not answer.conflict
        else list(instead(bike, tune, goals, answer.conflict, rested_v, ticket, cases))
    )
    return goals, answer, parts


def told(answer: Answer, goals: Goals) -> str:
    """What an ask comes to, in a sentence or two."""
    names = [say("{title} {wanted}", title=title_of(one.goal), wanted=wanted_of(one.goal)) for one in answer.goals]
    amps = [f"{round(answer.tune.setting(path) or 0.0, 1):g} A {_SHORT[path]}" for path in goals.free]
    if answer.found:
        sure = sum(one.met == "yes" for one in answer.goals)
        return say(
            "{settings} meet all {count} wishes with the least strain, {sure} of them for sure, others likely.",
            settings=" and ".join(amps), count=quantity(len(names)), sure=quantity(sure),
        )  # fmt: skip
    if answer.conflict:
        fight = ", ".join(names[at] for at in answer.conflict)
        nearest = " and ".join(amps)
        if not answer.proved:
            words = "No settings were found for this: {fight}. Of a road only some are tried. Nearest: {nearest}."
            return say(words, fight=fight, nearest=nearest)
        if len(answer.conflict) == 1:
            return say("No settings reach this: {fight}. Nearest: {nearest}.", fight=fight, nearest=nearest)
        return say("These cannot be had together: {fight}. Nearest: {nearest}.", fight=fight, nearest=nearest)
    return say("The watch list forbids every setting: {ids}.", ids=", ".join(answer.against))


_SHORT = {
    "drive.phase_current_a": "phase", "drive.battery_current_a": "battery", "drive.field_weakening_a": "weakening",
}  # fmt: skip
