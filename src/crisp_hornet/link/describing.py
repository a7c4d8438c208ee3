"""A description begun at the controller itself: which registers it has and what they hold, read and never written.

Modbus only: there the addresses answer for themselves. What they mean is said by whoever sets one at the display and sees which moves.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from pydantic import ValidationError

from crisp_hornet.documents.channels import LIVE_ONLY, UNITS
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.kinds import Line
from crisp_hornet.documents.setting_words import label_of, unit_of
from crisp_hornet.documents.store import document_error
from crisp_hornet.documents.tune import SETTINGS, Tune, may_be_unlimited
from crisp_hornet.link.errors import AnsweredNo, Cancelled
from crisp_hornet.link.line import Identity
from crisp_hornet.link.lines.modbus import identity_of
from crisp_hornet.link.lines.modbus_wire import ModbusWire
from crisp_hornet.link.transports import transport_to

AT_ONCE, MOST_READ = 16, 512
NO_SUCH = (2, 3)  # what is answered where no register is
ASSUMED = "Not found yet. What it does is assumed to be what the tune says."


@dataclass(frozen=True)
class Found:
    """A register that answered: of the settings or of the live values, and its word."""

    address: int
    word: int
    live: bool


@dataclass(frozen=True)
class Named:
    """What somebody says a register is: a setting of the tune or a live value, how it is scaled and, of a setting, its ends."""

    found: Found
    name: str
    scale: float = 1.0
    least: float = 0.0
    most: float = 100.0
    signed: bool = False


def look(
    port: str,
    baud: int,
    device: int,
    ranges: Sequence[tuple[int, int, bool]],
    said: Callable[[str], None],
    cancelled: Callable[[], bool],
) -> tuple[Identity, list[Found]]:
    """Who answers, and what is in the ranges (first address, count, live). Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    wire = ModbusWire(transport_to(port, Line(baud=baud, device=device)), device)
    with wire:
        try:
            identity = identity_of(wire.identify())
        except AnsweredNo:
            identity = Identity("", "", "", "")  # it does not say who it is: then it cannot be connected to either
        found: list[Found] = []
        for first, count, live in ranges:
            read = wire.read_live if live else wire.read_settings
            for at in range(first, first + min(count, MOST_READ), AT_ONCE):
                if cancelled():
                    raise Cancelled("Reading registers", "you stopped it", "Nothing was written.")
                said(f"reading from {at:#06x}")
                length = min(AT_ONCE, first + count - at)
                found += [Found(place, word, live) for place, word in _there(read, at, length).items()]
        return identity, found


def _there(read: Callable[[int, int], list[int]], first: int, count: int) -> dict[int, int]:
    """The registers that exist in a run: where it is refused as a whole, each half is asked."""
    try:
        return dict(zip(range(first, first + count), read(first, count), strict=True))
    except AnsweredNo as error:
        if error.code not in NO_SUCH:
            raise
    if count == 1:
        return {}
    half = count // 2
    return _there(read, first, half) | _there(read, first + half, count - half)


def described(
    name: str,
    identity: Identity,
    baud: int,
    device: int,
    named: Sequence[Named],
    keep: Mapping[str, object],
    tune: Tune,
) -> ControllerMap:
    """A description of what was named. ``keep``: address and word, or ``at_once``; ``tune``: what is assumed of what was not found.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` that says what does not fit."""
    settings = [one for one in named if not one.found.live]
    lines = [one for one in named if one.found.live]
    if not lines:
        raise DocumentError(
            "The description",
            "",
            "names no live value",
            "Name at least wheel speed and throttle: they tell whether it may be written to.",
        )
    first = min(one.found.address for one in lines)
    have = {one.name for one in settings}
    unkept = {"unkept": "unkept"} if any(one.name == "unkept" for one in lines) else {}
    data = {
        "format": "crisp-hornet/controller-map",
        "version": 1,
        "name": name,
        "identity": {"vendor": identity.vendor, "product": identity.product},
        "line": {"baud": baud, "device": device},
        "register": [_register(one) for one in settings],
        "lacks": [_lack(path, tune) for path in SETTINGS if path not in have],
        "telemetry": {"address": first, "channel": [_channel(one, first) for one in lines]},
        "keep": {**keep, **unkept},
    }
    try:
        return ControllerMap.model_validate(data)
    except ValidationError as error:
        raise DocumentError("The description", "", document_error(error, "it").reason, "Correct that line.") from None


def _register(one: Named) -> dict[str, object]:
    kind = "i16" if one.signed else "u16"
    safe = {"safe": "higher"} if one.name.startswith("battery_guard") or "taper" in one.name else {}
    ends = {"min": one.least, "max": one.most}
    return {
        "name": one.name, "label": label_of(one.name), "address": one.found.address, "type": kind, "scale": one.scale,
        "unit": unit_of(one.name), **ends, **safe,
    }  # fmt: skip


def _channel(one: Named, first: int) -> dict[str, object]:
    unit = {**UNITS, **dict.fromkeys(LIVE_ONLY, "")}.get(one.name, "")
    kind = "i16" if one.signed else "u16"
    return {"name": one.name, "at": one.found.address - first, "type": kind, "scale": one.scale, "unit": unit}


def _lack(path: str, tune: Tune) -> dict[str, object]:
    value = tune.setting(path)
    assumed = {} if value is None and may_be_unlimited(path) else {"value": value or 0.0}
    return {"name": path, "reason": ASSUMED, **assumed}
