"""The description of a controller: what it holds where, what it can do, what its faults mean. TOML, see ``docs/formats.md``.

Another controller is another file; nothing about a controller is coded.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from difflib import get_close_matches
from typing import Annotated, Literal, Self

from pydantic import Field, ValidationError, model_validator
from pydantic_core import PydanticCustomError

from crisp_hornet.documents.base import Count, Number, Part, Positive, Text
from crisp_hornet.documents.bike import ShareOf
from crisp_hornet.documents.channels import LIVE
from crisp_hornet.documents.register import CALIBRATION, INFORMATION, Address, Channel, Coded, Register, Word, clean
from crisp_hornet.documents.settings import FURTHER
from crisp_hornet.documents.tune import KNOWN, SETTINGS, Tune, may_be_unlimited

MAP_VERSION = 1
SERIAL_OBJECT = 6  # by the standard a free text, "user application name": many put the serial number there
NOT_DESCRIBED = "Not on this controller: set it where the bike has it, and note it under who is in charge"
Device = Annotated[int, Field(strict=True, ge=1, le=247)]
Uuid = Annotated[str, Field(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")]


class Telemetry(Part):
    """A run of input registers read in one question."""

    address: Address
    channel: Annotated[list[Channel], Field(min_length=1)]

    @property
    def length(self) -> int:
        """How many words the block spans."""
        return max(channel.at + channel.words for channel in self.channel)

    @property
    def names(self) -> set[str]:
        """The names of all channels."""
        return {channel.name for channel in self.channel}


class Keep(Part):
    """A word written to a register to make the controller keep what runs. ``unkept`` names the live value
    that reads 0 once everything that runs is kept."""

    address: Address
    word: Word
    unkept: Text


class Command(Part):
    """A word written to a register to make the controller do something."""

    address: Address
    word: Word


class Commands(Part):
    """What the controller does on request."""

    clear_faults: Command | None = None
    detect: Command | None = None
    zero: Command | None = None


class Inhibit(Part):
    """A register that holds the motor off. ``state`` names the live value that reads 1 while it does."""

    address: Address
    on: Word
    off: Word
    state: Text


class Fault(Part):
    """What a fault code means, what usually causes it, and what to check next."""

    code: Count
    name: Text
    meaning: Text
    causes: list[Text] = []
    check: Text


class Lack(Part):
    """A setting of the tune that this controller does not have: what it does instead (no ``value``: no limit), and why."""

    name: Text
    value: Number | None = None
    reason: Text


class Firmware(Part):
    """From which firmware version to which this description is known to work."""

    least: Text
    newest: Text


class Update(Part):
    """How a new firmware goes into the second slot: file records to ``file``, then ``activate``, then a power cycle."""

    hardware: Text
    file: Annotated[int, Field(strict=True, ge=1, le=0xFFFF)]
    record_words: Annotated[int, Field(strict=True, ge=1, le=100)] = 60
    activate: Command
    least_v: Positive | None = None


class LogColumn(Coded):
    """One value of a stored row; rows hold their columns one after the other."""

    name: Text


class StoredLogs(Part):
    """Rides the controller stores itself. ``count`` and, from ``lengths`` on, the rows of each are input registers (lengths
    one word each); log k is file ``first_file + k``."""

    count: Address
    lengths: Address
    first_file: Annotated[int, Field(strict=True, ge=1, le=0xFFFF)]
    interval_s: Positive
    column: Annotated[list[LogColumn], Field(min_length=1)]


class Bluetooth(Part):
    """A service like a serial line: one characteristic to write to, one that notifies."""

    service: Uuid
    write: Uuid
    notify: Uuid


class Identity(Part):
    """What the controller must answer to a device identification for this description to fit. ``serial_object``: which object of it is
    the serial number; 0 where none is."""

    vendor: Text
    product: Text
    serial_object: Annotated[int, Field(strict=True, ge=0, le=255)] = SERIAL_OBJECT


class Line(Part):
    """How to talk to it. ``word_order``: which word of a 32-bit number comes first. ``settle_s``: how long after its answer a
    write may take until it can be read."""

    baud: Annotated[int, Field(strict=True, ge=300, le=4_000_000)] = 115200
    device: Device = 1
    settle_s: Annotated[float, Field(strict=True, ge=0.0, le=5.0)] = 0.3
    word_order: Literal["high_first", "low_first"] = "high_first"


class ControllerMap(Part):
    """A whole description (``crisp-hornet/controller-map``). ``level_share``: what an assist level's power share is a share of, where
    there are levels."""

    format: Literal["crisp-hornet/controller-map"]
    version: Literal[1]
    name: Text
    identity: Identity
    line: Line = Line()
    firmware: Firmware | None = None
    bluetooth: Bluetooth | None = None
    register_list: Annotated[list[Register], Field(alias="register", min_length=1)]
    lacks: list[Lack] = []
    telemetry: Telemetry
    keep: Keep
    commands: Commands = Commands()
    inhibit: Inhibit | None = None
    fault: list[Fault] = []
    level_share: ShareOf | None = None
    update: Update | None = None
    logs: StoredLogs | None = None

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        _check_names(self)
        _check_places(self)
        _check_acts(self)
        _check_channels(self)
        return self

    def register(self, name: str) -> Register | None:
        """The register of a name, or ``None`` when this controller lacks it."""
        return next((register for register in self.register_list if register.name == name), None)

    def lack(self, name: str) -> Lack | None:
        """Why the controller has no such setting, or ``None`` where it has it."""
        listed = next((lack for lack in self.lacks if lack.name == name), None)
        if listed is None and name in FURTHER and self.register(name) is None:
            return Lack(name=name, reason=NOT_DESCRIBED)
        return listed

    def as_run(self, tune: Tune) -> Tune:
        """What a tune comes to on this controller: where it lacks a limit or a guard, what it does instead. A tune that is none
        with that (a fade pair crossed) stays as it is."""
        instead = {lack.name: lack.value for lack in self.lacks if lack.name in SETTINGS}
        try:
            return tune.with_settings(instead) if instead else tune
        except ValidationError:
            return tune

    def as_held(self, tune: Tune) -> Tune:
        """A tune as this controller can hold it: each setting in steps of its register, rounded to the safe side. One that it cannot
        hold at all stays as it is."""
        own = {name: tune.setting(name) for name in SETTINGS if self.register(name) is not None and tune.holds(name)}
        try:
            asked = self.as_registers(own)
            held = {one.name: one.decode(one.encode(asked[one.name])) for one in self.register_list if one.name in own}
            return tune.with_settings(self.as_settings(held))
        except (ValueError, ValidationError):
            return tune

    def step(self, name: str) -> float | None:
        """The smallest difference of a setting that the controller can hold, in its unit; None where it has none, or holds a share."""
        register = self.register(name)
        return None if register is None or register.share_of is not None else register.step

    def fault_of(self, code: float) -> Fault | None:
        """The meaning of a fault code, if the description knows it."""
        return next((fault for fault in self.fault if fault.code == int(code)), None)

    def raw_of(self, words: Sequence[int]) -> int:
        """The raw number of one or two words."""
        if len(words) == 1:
            return words[0]
        high, low = words if self.line.word_order == "high_first" else (words[1], words[0])
        return high << 16 | low

    def words_of(self, coded: Coded, raw: int) -> list[int]:
        """The words that hold a raw number, in the controller's order."""
        if coded.words == 1:
            return [raw]
        pair = [raw >> 16, raw & 0xFFFF]
        return pair if self.line.word_order == "high_first" else pair[::-1]

    def values(self, raws: Mapping[str, int]) -> dict[str, float | None]:
        """The values of raw numbers by register name."""
        return {
            register.name: register.decode(raws[register.name])
            for register in self.register_list
            if register.name in raws
        }

    def as_settings(self, values: Mapping[str, float | None]) -> dict[str, float | None]:
        """What registers' values by name mean as settings of a tune: shares of another current as amperes."""
        found = dict(values)
        for register, whole_name in self._shares:
            share, whole = values.get(register.name), values.get(whole_name)
            if share is not None and whole is not None:
                found[register.name] = clean(share / 100 * whole)
        return found

    def as_registers(self, settings: Mapping[str, float | None]) -> dict[str, float | None]:
        """What settings of a tune by name are in their registers: some currents are shares of another, as that one can be held.
        Raises :class:`ValueError` where that one cannot."""
        found = dict(settings)
        for register, whole_name in self._shares:
            amps, whole_register = settings.get(register.name), self.register(whole_name)
            if amps is not None and whole_register is not None and whole_name in settings:
                whole = whole_register.decode(whole_register.encode(settings[whole_name]))
                found[register.name] = clean(100 * amps / whole) if whole else 0.0
        return found

    @property
    def _shares(self) -> list[tuple[Register, str]]:
        return [(register, register.share_of) for register in self.register_list if register.share_of is not None]


def _fault(text: str, *place: str | int) -> PydanticCustomError:
    return PydanticCustomError("map", "{text}", {"text": text, "at": list(place)})


def _check_names(found: ControllerMap) -> None:
    names = [register.name for register in found.register_list]
    for index, name in enumerate(names):
        if names.index(name) < index:
            raise _fault(f"register name {name} stands twice", "register", index, "name")
        if name not in KNOWN and not name.startswith((CALIBRATION, INFORMATION)):
            raise _fault(
                f"register {name!r} names no setting of a tune; others start with calibration. or info.",
                "register",
                index,
                "name",
            )
        if name.startswith(INFORMATION) and found.register_list[index].access != "r":
            raise _fault(f'register {name}: information is read only: access = "r"', "register", index, "access")
        if found.register_list[index].none_raw is not None and _always_has_a_value(name):
            raise _fault(f"{name} always has a value: no none_raw", "register", index, "none_raw")
        _check_share(found.register_list[index], names, index)
        _check_range(found.register_list[index], index)
    for index, lack in enumerate(found.lacks):
        if lack.name not in KNOWN:
            raise _fault(f"lacks {lack.name!r} names no setting of a tune", "lacks", index, "name")
        if lack.name in names:
            raise _fault(f"{lack.name} stands both as register and under lacks", "lacks", index, "name")
        if lack.value is None and _always_has_a_value(lack.name):
            raise _fault(f"{lack.name} always has a value: say what this controller does", "lacks", index, "value")
    lacking = {lack.name for lack in found.lacks}
    if missing := [name for name in SETTINGS if name not in names and name not in lacking]:
        raise _fault(f"the setting {missing[0]} has neither a register nor an entry under lacks")


def _check_share(register: Register, names: list[str], index: int) -> None:
    if register.share_of is None:
        return
    if register.name != "drive.field_weakening_a":
        raise _fault(f"register {register.name} cannot be a share of another current", "register", index, "share_of")
    if register.share_of not in names:
        raise _fault(f"register {register.name} is a share of what has no register", "register", index, "share_of")


def _check_range(register: Register, index: int) -> None:
    """What the register must hold is inside what its word can hold, and "no limit" is no value."""
    if register.max < register.min:
        raise _fault(f"register {register.name}: max lies below min", "register", index, "max")
    low, high = (register.value_at(raw) for raw in register.raw_range)
    for key, value in (("min", register.min), ("max", register.max), ("default", register.default)):
        if value is not None and not low - register.step / 2 <= value <= high + register.step / 2:
            raise _fault(
                f"register {register.name}: {key} {value:g} does not fit its {register.type} (it holds {low:g} to {high:g})",
                "register", index, key,
            )  # fmt: skip
    if register.default is not None and not register.min <= register.default <= register.max:
        raise _fault(f"register {register.name}: default lies outside min and max", "register", index, "default")
    none = register.none_raw
    if none is None:
        return
    if none >> register.bits:
        raise _fault(
            f"register {register.name}: none_raw does not fit its {register.type}", "register", index, "none_raw"
        )
    if register.min <= register.value_of(none) <= register.max:
        raise _fault(
            f"register {register.name}: none_raw means {register.value_of(none):g} {register.unit} between min and max: a limit of that "
            "size would switch the limit off",
            "register", index, "none_raw",
        )  # fmt: skip


def _check_acts(found: ControllerMap) -> None:
    """A word that makes the controller do something lies nowhere else: writing a setting must never act, nor an act set anything."""
    settings = {
        address: register.name
        for register in found.register_list
        for address in range(register.address, register.address + register.words)
    }
    acts: list[tuple[tuple[str, ...], int, int]] = [(("keep",), found.keep.address, found.keep.word)]
    for name in ("clear_faults", "detect", "zero"):
        command: Command | None = getattr(found.commands, name)
        if command is not None:
            acts.append((("commands", name), command.address, command.word))
    if found.inhibit is not None:
        acts += [(("inhibit",), found.inhibit.address, word) for word in (found.inhibit.on, found.inhibit.off)]
        if found.inhibit.on == found.inhibit.off:
            raise _fault("inhibit.on and inhibit.off are the same word", "inhibit", "off")
    if found.update is not None:
        acts.append((("update", "activate"), found.update.activate.address, found.update.activate.word))
    taken: dict[tuple[int, int], tuple[str, ...]] = {}
    for place, address, word in acts:
        if address in settings:
            raise _fault(f"{'.'.join(place)} stands at {address:#06x}, where {settings[address]} is", *place, "address")
        if taken.setdefault((address, word), place) != place:
            raise _fault(
                f"{'.'.join(place)} writes the same word to {address:#06x} as {'.'.join(taken[address, word])}",
                *place, "word",
            )  # fmt: skip
    places: dict[int, tuple[str, ...]] = {}
    for place, address, _ in acts:
        if {place[0], places.setdefault(address, place)[0]} & {"keep", "inhibit", "update"} and places[
            address
        ] != place:
            raise _fault(
                f"{'.'.join(place)} stands at {address:#06x}, as {'.'.join(places[address])} does", *place, "address"
            )


def _always_has_a_value(name: str) -> bool:
    return name in KNOWN and not may_be_unlimited(name)


def _check_places(found: ControllerMap) -> None:
    taken: dict[int, str] = {}
    for index, register in enumerate(found.register_list):
        for address in range(register.address, register.address + register.words):
            if address > 0xFFFF:
                raise _fault(f"register {register.name} reaches beyond address 0xFFFF", "register", index, "address")
            if address in taken:
                raise _fault(f"register address {address:#06x} stands twice, for {taken[address]} and {register.name}",
                             "register", index, "address")  # fmt: skip
            taken[address] = register.name
    places: dict[int, str] = {}
    for index, channel in enumerate(found.telemetry.channel):
        for at in range(channel.at, channel.at + channel.words):
            if at in places:
                raise _fault(f"two telemetry channels stand at the same place: {places[at]} and {channel.name}",
                             "telemetry", "channel", index)  # fmt: skip
            places[at] = channel.name
    if found.telemetry.address + found.telemetry.length > 0x10000:
        raise _fault("the telemetry block reaches beyond address 0xFFFF", "telemetry", "address")
    if found.telemetry.length > 120:
        raise _fault("the telemetry block is longer than one question can read (120 words)", "telemetry")


def _check_channels(found: ControllerMap) -> None:
    names = found.telemetry.names
    for index, channel in enumerate(found.telemetry.channel):
        if channel.name not in LIVE:
            near = get_close_matches(channel.name, sorted(LIVE), 2)
            meant = f"; perhaps {' or '.join(near)}" if near else ""
            raise _fault(f"there is no live value {channel.name!r}{meant}", "telemetry", "channel", index)
    if found.keep.unkept not in names:
        raise _fault(f"keep.unkept names no telemetry channel: {found.keep.unkept!r}", "keep", "unkept")
    if found.inhibit is not None and found.inhibit.state not in names:
        raise _fault(f"inhibit.state names no telemetry channel: {found.inhibit.state!r}", "inhibit", "state")
    codes = Counter(fault.code for fault in found.fault)
    for index, fault in enumerate(found.fault):
        if codes[fault.code] > 1:
            raise _fault(f"fault code {fault.code} stands twice", "fault", index, "code")
