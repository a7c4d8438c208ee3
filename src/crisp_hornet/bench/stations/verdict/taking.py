"""What a verdict speaks for, taken: a change into the draft, a figure into the bike, each with the ride it comes from."""

from __future__ import annotations

from pydantic import ValidationError

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings import Finding
from crisp_hornet.core.evidence.learning import forget, learn
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import capital, say
from crisp_hornet.documents.setting_words import in_words, label_of


def into_draft(desk: Desk, finding: Finding) -> None:
    """Put a finding's change into the draft, undoably, and write down which ride spoke for it."""
    change = finding.suggest
    if change is None or change.bike or desk.draft.tune is None or desk.ride.cleaned is None:
        return
    before = desk.draft.tune.setting(change.path)
    desk.draft.try_change(change.path, change.value)
    after = desk.draft.tune.setting(change.path)
    setting, was, now = label_of(change.path), in_words(change.path, before), in_words(change.path, after)
    if after == before:
        desk.said.emit("note", say("The draft has it already: {setting} {now}.", setting=setting, now=now))
        return
    told = say("{setting} {was} to {now}", setting=setting, was=was, now=now)
    desk.log("finding", f"Into the draft: {told}", f"{finding.text}. By the ride {desk.ride.cleaned.name}")
    desk.said.emit("settled", say("Into the draft: {told}. {effect}.", told=told, effect=capital(change.effect)))


def learn_figure(desk: Desk, path: str, estimate: Estimate) -> None:
    """Take what the open ride says of a figure into the bike, combined with what other rides said."""
    if desk.bike is None or desk.ride.cleaned is None:
        return
    try:
        bike = learn(_ridden(desk, path), path, desk.ride.cleaned.name, estimate)
    except (KeyError, ValueError) as error:  # ValidationError is a ValueError
        reason = error.errors()[0]["msg"] if isinstance(error, ValidationError) else str(error)
        desk.said.emit("stop", f"{path} cannot be learned: {reason}. Nothing was changed.")
        return
    _changed(
        desk,
        _with_pack_as_before(desk.bike, bike),
        path,
        f"{estimate.in_words(4)} by the ride {desk.ride.cleaned.name}",
    )


def forget_figure(desk: Desk, path: str) -> None:
    """Take back what the open ride said of a figure."""
    if desk.bike is not None and desk.ride.cleaned is not None:
        name = desk.ride.cleaned.name
        bike = _with_pack_as_before(desk.bike, forget(_ridden(desk, path), path, name))
        _changed(desk, bike, path, f"without the ride {name}")


def _ridden(desk: Desk, path: str) -> Bike:
    """The bike as it was on the ride, as far as a figure goes: a pack's is the one of the pack that was on it."""
    assert desk.bike is not None
    return desk.bike.with_pack(desk.ride.card.pack) if path.startswith("battery.") else desk.bike


def _with_pack_as_before(now: Bike, changed: Bike) -> Bike:
    return changed if now.packs is None else changed.with_pack(now.packs.each[now.packs.in_use].name)


def _changed(desk: Desk, bike: Bike, path: str, why: str) -> None:
    assert desk.bike is not None
    before, after = desk.bike.figure(path), bike.figure(path)
    desk.active.change(bike, path)
    desk.log("bike", f"{path}: {before:.5g} to {after:.5g}", why)
    desk.said.emit("settled", f"{path} is {after:.5g} now, before {before:.5g}: {why}.")
