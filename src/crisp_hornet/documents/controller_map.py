"""The description of a controller: which register holds which setting, read from TOML.

Another controller is another file; nothing about a controller is coded. See ``docs/formats.md``.
"""

from __future__ import annotations

import math
import tomllib
from collections import Counter
from pathlib import Path
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents import wire
from crisp_hornet.documents.base import Count, Number, Part, Positive, Text
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.store import parse
from crisp_hornet.documents.tune import SETTINGS

MAP_VERSION = 1
Address = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
Word = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]


class Register(Part):
    """One 16-bit register. ``value = raw · scale``; ``none_raw`` is the raw value for "no limit"."""

    name: Text
    label: Text
    address: Address
    type: Literal["u16", "i16"] = "u16"
    scale: Positive = 1.0
    unit: str = ""
    min: Number
    max: Number
    none_raw: Word | None = None
    safe: Literal["lower", "higher"] = "lower"
    default: Number | None = None

    @property
    def step(self) -> float:
        """The smallest difference the register can hold, in its unit."""
        return self.scale

    def decode(self, raw: int) -> float | None:
        """The value of a raw word (0 to 65535); ``None`` for "no limit"."""
        if self.none_raw is not None and raw == self.none_raw:
            return None
        signed = raw - 0x10000 if self.type == "i16" and raw >= 0x8000 else raw
        return clean(signed * self.scale)

    def encode(self, value: float | None) -> int:
        """The raw word of a value, rounded to the register's step towards its safe side, so that a limit
        never grows by rounding. Raises :class:`ValueError` outside the register's range."""
        if value is None:
            if self.none_raw is None:
                raise ValueError(f"{self.label} cannot be switched off on this controller")
            return self.none_raw
        if not self.min <= value <= self.max:
            raise ValueError(
                f"{self.label} {value:g} {self.unit} lies outside what this controller takes "
                f"({self.min:g} to {self.max:g} {self.unit})"
            )
        steps = value / self.scale
        dust = 1e-6  # 42.3 / 0.1 is 422.99999999999994: no reason to fall a whole step
        return (math.floor(steps + dust) if self.safe == "lower" else math.ceil(steps - dust)) & 0xFFFF


class Channel(Part):
    """One live value of the telemetry block; ``at`` counts registers from the block's start."""

    name: Text
    at: Address
    type: Literal["u16", "i16"] = "u16"
    scale: Positive = 1.0
    unit: str = ""

    def decode(self, raw: int) -> float:
        """The value of a raw word (0 to 65535)."""
        signed = raw - 0x10000 if self.type == "i16" and raw >= 0x8000 else raw
        return clean(signed * self.scale)


class Telemetry(Part):
    """A run of input registers read in one question."""

    address: Address
    channel: list[Channel]

    @property
    def length(self) -> int:
        """How many registers the block spans."""
        return max(channel.at for channel in self.channel) + 1


class Keep(Part):
    """A word written to a register to make the controller keep what runs. ``unkept`` names the live value
    that reads 0 once everything that runs is kept."""

    address: Address
    word: Word
    unkept: Text


class Identity(Part):
    """What the controller must answer to a device identification for this description to fit."""

    vendor: Text
    product: Text


class Line(Part):
    """How to talk to it."""

    baud: Count = 115200
    device: Annotated[int, Field(strict=True, ge=1, le=247)] = 1


class ControllerMap(Part):
    """A whole description (``crisp-hornet/controller-map``)."""

    format: Literal["crisp-hornet/controller-map"]
    version: Literal[1]
    name: Text
    identity: Identity
    line: Line = Line()
    register_list: Annotated[list[Register], Field(alias="register", min_length=1)]
    telemetry: Telemetry
    keep: Keep

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        names = [register.name for register in self.register_list]
        addresses = [register.address for register in self.register_list]
        for what, count in (("name", Counter(names)), ("address", Counter(addresses))):
            if twice := [str(thing) for thing, times in count.items() if times > 1]:
                raise ValueError(f"register {what} {twice[0]} stands twice")
        if unknown := [name for name in names if name not in SETTINGS]:
            raise ValueError(f"register {unknown[0]!r} names no setting of a tune")
        if self.keep.unkept not in {channel.name for channel in self.telemetry.channel}:
            raise ValueError(f"keep.unkept names no telemetry channel: {self.keep.unkept!r}")
        if len({channel.at for channel in self.telemetry.channel}) < len(self.telemetry.channel):
            raise ValueError("two telemetry channels stand at the same place")
        return self

    def register(self, name: str) -> Register | None:
        """The register of a setting, or ``None`` when this controller lacks it."""
        return next((register for register in self.register_list if register.name == name), None)


def read_map(path: Path) -> ControllerMap:
    """Read a controller description. Raises :class:`DocumentError`."""
    try:
        data = tomllib.loads(wire.read_bytes(path).decode("utf-8"))
    except UnicodeDecodeError as error:
        raise DocumentError(str(path), f"byte {error.start}", "not UTF-8 text", "Save it as UTF-8.") from None
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise DocumentError(str(path), "", f"not TOML: {error}", "Mend the text there.") from None
    return parse(ControllerMap, "crisp-hornet/controller-map", MAP_VERSION, data, str(path))


def clean(value: float) -> float:
    """Take out the dust of binary fractions (0.1 · 423 is 42.3, not 42.300000000000004)."""
    return float(f"{value:.9g}")
