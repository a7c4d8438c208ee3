"""How far each station is, and the one live figure under its name: what desk and link alone can tell, before anybody has looked at it.

A page that knows more (a report, an import under way) says that first.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.moments import time_words
from crisp_hornet.core.rules import Strength
from crisp_hornet.documents.calibration import SENSORS
from crisp_hornet.documents.saying import counted


@dataclass(frozen=True)
class Standing:
    """State and live figure of a station."""

    state: BoltState
    caption: str


def build(desk: Desk, _link: Link) -> Standing:
    """The bike, and how much of it is only assumed."""
    bike = desk.bike
    if bike is None:
        return Standing(BoltState.UNTOUCHED, "no bike yet")
    if not bike.assumed:
        return Standing(BoltState.DONE, bike.name)
    return Standing(BoltState.IN_WORK, f"{bike.name} · {len(bike.assumed)} assumed")


def hookup(desk: Desk, link: Link) -> Standing:
    """Whether a controller is there, and whether it is the bike's."""
    contact = link.contact
    if contact is not None:
        unsettled = contact.interrupted is not None and not contact.interrupted.settled
        unsaved = desk.held.backup_at is None
        look = contact.blocked or unsettled or contact.held_off or unsaved
        caption = f"{contact.identity.product} · {'no backup' if unsaved else 'backed up'}"
        if contact.is_another:
            caption = "another bike's controller"
        elif contact.held_off:
            caption = "motor disabled"
        return Standing(BoltState.NEEDS_A_LOOK if look else BoltState.DONE, caption)
    if link.busy:
        return Standing(BoltState.IN_WORK, "connecting")
    if link.waiting_for:
        return Standing(BoltState.NEEDS_A_LOOK, "lost · looking again")
    at = desk.story.backup_at
    if at is None:
        return Standing(BoltState.UNTOUCHED, "not connected")
    return Standing(BoltState.IN_WORK, f"not connected · backup {time_words(at)}")


def calibrate(desk: Desk, _link: Link) -> Standing:
    """How the sensors did."""
    verdicts = desk.watch.sensors
    if not verdicts:
        return Standing(BoltState.UNTOUCHED, "nothing calibrated")
    failed = [kind for kind, verdict in verdicts.items() if verdict == "failed"]
    if failed:
        return Standing(BoltState.NEEDS_A_LOOK, f"{failed[0]} failed")
    done = set(SENSORS) <= set(verdicts) and all(one == "passed" for one in verdicts.values())
    return Standing(BoltState.DONE if done else BoltState.IN_WORK, f"{len(verdicts)} of {len(SENSORS)} checked")


def tune(desk: Desk, _link: Link) -> Standing:
    """What is drafted, and whether something stops it."""
    draft, held = desk.draft.tune, desk.held.tune
    if draft is None:
        return Standing(BoltState.UNTOUCHED, "no draft")
    drafted = len(desk.draft.differing)
    caption = draft.name if held is None else f"{drafted} drafted" if drafted else "as on the controller"
    if any(warning.strength is Strength.STOP for warning in desk.watch.warnings):
        return Standing(BoltState.NEEDS_A_LOOK, caption)
    return Standing(BoltState.IN_WORK if drafted or held is None else BoltState.DONE, caption)


def send(desk: Desk, link: Link) -> Standing:
    """What there is to send."""
    drafted, unkept = len(desk.draft.differing), link.contact is not None and link.contact.unkept
    caption = f"{drafted} to send" if drafted else "active, not permanent" if unkept else "nothing to send"
    stops = any(warning.strength is Strength.STOP for warning in desk.watch.warnings)
    blocked = link.contact is not None and bool(link.contact.blocked)
    if (stops and drafted) or blocked:
        return Standing(BoltState.NEEDS_A_LOOK, caption)
    if drafted or unkept:
        return Standing(BoltState.IN_WORK if link.contact else BoltState.UNTOUCHED, caption)
    sent = desk.held.tune is not None and desk.held.was_sent
    return Standing(BoltState.DONE if sent else BoltState.UNTOUCHED, caption)


def rides(desk: Desk, _link: Link) -> Standing:
    """How many rides there are."""
    count = desk.ride.count
    if not count:
        return Standing(BoltState.UNTOUCHED, "no ride yet")
    return Standing(BoltState.DONE, counted(count, "ride"))


def verdict(desk: Desk, _link: Link) -> Standing:
    """Whether there is something to judge."""
    if not desk.ride.count:
        return Standing(BoltState.UNTOUCHED, "no ride yet")
    return Standing(BoltState.UNTOUCHED, "a ride to analyse")


def logbook(desk: Desk, _link: Link) -> Standing:
    """How much is written down."""
    length = desk.story.length
    if not length.count:
        return Standing(BoltState.UNTOUCHED, "empty")
    since = f" since {length.since.day} {length.since:%b}" if length.since is not None else ""
    return Standing(BoltState.DONE, counted(length.count, "line") + since)


STANDINGS: dict[str, Callable[[Desk, Link], Standing]] = {
    one.__name__: one for one in (build, hookup, calibrate, tune, send, rides, verdict, logbook)
}
