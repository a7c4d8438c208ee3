"""A device that is set by hand: what its display shows, read by eyes; what is to be entered, in which order; what differs afterwards.

There is no line, so nothing is proved: what was typed counts as *on the controller, entered by hand*, with its date.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

from pydantic import ValidationError

from crisp_hornet.core.rules import Warning_
from crisp_hornet.documents.backup import BackedUpRegister, Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.register import Register, Shown
from crisp_hornet.documents.tune import KNOWN, Tune
from crisp_hornet.link.difference import Change, changes_to
from crisp_hornet.link.operations import Watched
from crisp_hornet.link.order import NoOrder, safe_order

OFF_WORDS = ("off", "none", "no limit", "-", "–")
CLOSE = 1e-6


@dataclass(frozen=True)
class HandPlan:
    """What is to be entered: ``changes`` in their order, ``tune``: what the draft comes to in the display's steps, ``warnings``: its watch
    list, ``ordered``: whether every state in between is safe; ``misfit``: why it cannot be entered at all."""

    changes: list[Change] = field(default_factory=list)
    tune: Tune | None = None
    warnings: list[Warning_] = field(default_factory=list)
    ordered: bool = True
    misfit: str = ""


def shown_text(register: Register, raw: int) -> str:
    """What the display shows for a raw number: figure, level or word, with its unit."""
    if register.choices and raw < len(register.choices):
        return register.choices[raw]
    shown = _shown(register)
    if register.none_raw == raw:
        return f"{_number(_signed(register, raw), shown)} (no limit)"
    return f"{_number(_signed(register, raw), shown)} {shown.unit}".strip()


def read_shown(register: Register, text: str) -> int:
    """The raw number of what somebody reads off the display. Raises :class:`ValueError` that says why it cannot be that."""
    said = text.strip().lower()
    if register.choices:
        fits = [at for at, word in enumerate(register.choices) if said and word.lower().startswith(said)]
        if len(fits) != 1:
            raise ValueError(f"{register.label}: one of {', '.join(register.choices)}")
        return fits[0]
    shown = _shown(register)
    if register.none_raw is not None and said in OFF_WORDS:
        return register.none_raw
    number = said.removesuffix(shown.unit.lower()).strip().replace(",", ".")
    try:
        steps = (float(number) - shown.offset) / shown.scale
    except ValueError:
        raise ValueError(f"{register.label}: {text.strip() or 'nothing'} is no figure") from None
    outside = f"{register.label}: {text.strip()} lies outside what the sheet says the display takes"
    if not abs(steps) < 2**31:
        raise ValueError(outside)
    raw = round(steps)
    if abs(steps - raw) > CLOSE * max(1.0, abs(steps)):
        raise ValueError(
            f"{register.label}: {text.strip()} lies between the display's steps of {shown.scale:g} {shown.unit}".rstrip()
        )
    bits = raw & ((1 << register.number_bits) - 1)
    if register.none_raw is not None and bits == register.none_raw:
        return bits
    low, high = register.raw_range
    inside = 0 <= raw < len(register.table) if register.table else low <= raw <= high
    if not inside or not register.min - CLOSE <= register.value_at(raw) <= register.max + CLOSE:
        raise ValueError(outside)
    return bits


def backup_of_hand(sheet: ControllerMap, raws: Mapping[str, int], taken: datetime | None = None) -> Backup:
    """What was typed, as a document. The figures are what the display showed, at a date, by nobody's proof."""
    taken = taken or datetime.now().astimezone()
    return Backup(
        taken=taken.isoformat(timespec="seconds"),
        vendor=sheet.identity.vendor,
        product=sheet.identity.product,
        firmware="",
        serial="",
        by_hand=True,
        registers=[
            BackedUpRegister(
                name=one.name, word=raws[one.name], value=one.decode(raws[one.name]), unit=one.unit, type=one.type
            )
            for one in sheet.register_list
            if one.name in raws
        ],
    )


def with_hand(sheet: ControllerMap, raws: Mapping[str, int], base: Tune) -> Tune:
    """A tune with what the display shows in the place of its own settings. Raises :class:`ValueError` where that makes no tune."""
    held = {path: value for path, value in sheet.as_settings(sheet.values(raws)).items() if path in KNOWN}
    try:
        return base.with_settings(held)
    except (ValidationError, KeyError) as error:
        why = error.errors()[0]["msg"] if isinstance(error, ValidationError) else f"no choice {error}"
        raise ValueError(f"what the display shows makes no valid tune: {why}") from None


def in_steps(sheet: ControllerMap, tune: Tune) -> tuple[Tune, dict[str, float | None]]:
    """A tune as the display can hold it, each setting rounded to its safe side, and the settings of the sheet as they would then be.

    Raises :class:`ValueError` naming a setting that the display does not take."""
    own = {one.name: tune.setting(one.name) for one in sheet.register_list if tune.holds(one.name)}
    asked = sheet.as_registers(own)
    held = {one.name: one.decode(one.encode(asked[one.name])) for one in sheet.register_list if one.name in own}
    return tune.with_settings(sheet.as_settings(held)), held


def plan_by_hand(
    sheet: ControllerMap, raws: Mapping[str, int], draft: Tune, running: Tune, bike: Bike, watched: Watched
) -> HandPlan:
    """What leads from what the display shows to the draft, judged as rounded."""
    try:
        rounded, held = in_steps(sheet, draft)
        changes = changes_to(sheet, raws, held)
    except (ValueError, ValidationError) as error:
        return HandPlan(misfit=str(error))
    warnings = watched.warnings(sheet, rounded, running)
    asked = {one.name: draft.setting(one.name) for one in sheet.register_list if draft.holds(one.name)}
    changes = [_asked_for(change, asked.get(change.register.name)) for change in changes]
    try:
        return HandPlan(safe_order(bike, running, changes, None), rounded, warnings)
    except NoOrder:
        return HandPlan(sorted(changes, key=Change.turn), rounded, warnings, ordered=False)


def differing(sheet: ControllerMap, wanted: Mapping[str, int], typed: Mapping[str, int]) -> list[str]:
    """Where what the display shows is not what it should: each named with both."""
    return [
        f"{one.label} shows {shown_text(one, typed[one.name])}, not {shown_text(one, wanted[one.name])}"
        for one in sheet.register_list
        if one.name in wanted and one.name in typed and typed[one.name] != wanted[one.name]
    ]


def _asked_for(change: Change, asked: float | None) -> Change:
    return replace(change, asked=asked)


def _shown(register: Register) -> Shown:
    if register.shown is not None:
        return register.shown
    return Shown(
        scale=register.scale, offset=register.offset, digits=2 if register.scale < 1 else 0, unit=register.unit
    )


def _signed(register: Register, raw: int) -> int:
    return raw - (1 << register.number_bits) if register.signed and raw >> (register.number_bits - 1) else raw


def _number(raw: int, shown: Shown) -> str:
    return f"{raw * shown.scale + shown.offset:.{shown.digits}f}"
