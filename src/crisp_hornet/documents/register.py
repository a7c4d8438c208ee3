"""Settings and live values of a controller: where they are, and how a raw number means a value in a unit."""

from __future__ import annotations

import itertools
import math
from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.base import Number, Part, Positive, Text

Address = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
Word = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
Raw = Annotated[int, Field(strict=True, ge=0, le=0xFFFF_FFFF)]
CALIBRATION, INFORMATION = "calibration.", "info."
Type = Literal["u8", "i8", "u16", "i16", "u24", "i24", "u32", "i32"]
Byte = Annotated[int, Field(strict=True, ge=0, le=0xFF)]
Place = Annotated[int, Field(strict=True, ge=0, le=4095)]  # a byte of a block or of a frame's payload
Object = tuple[Word, Byte]  # index and sub-index in an object dictionary
Hex = Annotated[str, Field(strict=True, pattern=r"^([0-9A-Fa-f]{2}( ?[0-9A-Fa-f]{2})*)?$", max_length=768)]


class Coded(Part):
    """A whole number and its value: ``value = raw · scale + offset``, raw signed for ``i`` types; or, with a ``table``, the raw number's
    entry of it. ``bit`` and ``bits``: it takes that many bits of its bytes, from ``bit`` (0: the lowest) on."""

    type: Type = "u16"
    scale: Positive = Field(default=1.0, ge=1e-9)
    offset: Number = 0.0
    unit: str = ""
    table: Annotated[list[Number], Field(max_length=256)] = []
    bit: Annotated[int, Field(strict=True, ge=0, le=31)] | None = None
    bits: Annotated[int, Field(strict=True, ge=1, le=32)] = 1

    @property
    def size_bits(self) -> int:
        """How many bits its type has: 8, 16, 24 or 32."""
        return int(self.type[1:])

    @property
    def number_bits(self) -> int:
        """How many of them are its own."""
        return self.size_bits if self.bit is None else self.bits

    @property
    def size(self) -> int:
        """How many bytes it takes."""
        return self.size_bits // 8

    @property
    def words(self) -> int:
        """How many 16-bit words it takes."""
        return (self.size_bits + 15) // 16

    @property
    def signed(self) -> bool:
        """Whether its raw number may be below 0."""
        return self.type[0] == "i"

    @property
    def raw_range(self) -> tuple[int, int]:
        """Least and greatest signed raw number."""
        bits = self.number_bits
        return (-(1 << bits - 1), (1 << bits - 1) - 1) if self.signed else (0, (1 << bits) - 1)

    def value_of(self, raw: int) -> float:
        """The value of a raw number (its bits, 0 upwards); of one beyond the table the nearest entry."""
        bits = self.number_bits
        return self.value_at(raw - (1 << bits) if self.signed and raw >> (bits - 1) else raw)

    def value_at(self, signed: int) -> float:
        """The value of a signed raw number."""
        if self.table:
            return self.table[min(max(signed, 0), len(self.table) - 1)]
        return clean(signed * self.scale + self.offset)

    def bits_of(self, signed: int) -> int:
        """A signed raw number as its bits, held inside its range."""
        low, high = self.raw_range
        return min(max(signed, low), high) & ((1 << self.number_bits) - 1)


class Shown(Part):
    """How a display shows a setting: the raw number times ``scale`` plus ``offset``, with so many ``digits`` behind the point and its
    ``unit``; ``menu``: where on the display it stands."""

    scale: Positive = Field(default=1.0, ge=1e-9)
    offset: Number = 0.0
    digits: Annotated[int, Field(strict=True, ge=0, le=4)] = 0
    unit: str = ""
    menu: Text | None = None


class Register(Coded):
    """One setting the controller holds. ``none_raw`` is the raw number for "no limit".

    Where it is, depends on the kind of line: ``address`` (Modbus), ``object`` (CANopen), ``block`` and ``at`` (frames), ``place`` (a
    plug-in's own words).
    ``name`` is a setting of the tune, or starts with ``calibration.`` (what belongs to this bike's motor and sensors) or
    ``info.`` (read only). ``share_of``: it holds a current of the tune as percent of another one. ``choices``: what its numbers mean,
    from 0, where it chooses.
    """

    name: Text
    label: Text
    address: Address | None = None
    object: Object | None = None
    block: Text | None = None
    at: Place | None = None
    place: Text | None = None
    shown: Shown | None = None
    min: Number
    max: Number
    none_raw: Raw | None = None
    safe: Literal["lower", "higher"] = "lower"
    default: Number | None = None
    access: Literal["rw", "r"] = "rw"
    group: Text | None = None
    since: Text | None = None
    needs_power_cycle: bool = False
    share_of: Literal["drive.phase_current_a"] | None = None
    choices: Annotated[list[Text], Field(max_length=40)] = []

    @property
    def step(self) -> float:
        """The smallest difference the register can hold, in its unit."""
        if len(self.table) > 1:
            inside = sorted(set(self.table))
            return (
                max(clean(min(b - a for a, b in itertools.pairwise(inside))), 1e-9) if len(inside) > 1 else self.scale
            )
        return self.scale

    @property
    def is_calibration(self) -> bool:
        """Whether it belongs to this very motor and its sensors rather than to a tune."""
        return self.name.startswith(CALIBRATION)

    def decode(self, raw: int) -> float | None:
        """The value of a raw number; ``None`` for "no limit"."""
        return None if self.none_raw is not None and raw == self.none_raw else self.value_of(raw)

    def encode(self, value: float | None) -> int:
        """The raw number of a value, rounded to the register's step towards its safe side, so that a limit
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
        if self.table:
            return self._nearest_entry(value)
        steps = (value - self.offset) / self.scale
        dust = 1e-6  # 42.3 / 0.1 is 422.99999999999994: no reason to fall a whole step
        raw = math.floor(steps + dust) if self.safe == "lower" else math.ceil(steps - dust)
        return self.bits_of(raw)

    def _nearest_entry(self, value: float) -> int:
        """The entry of the table next to a value on its safe side."""
        safe = [one for one in self.table if (one <= value + 1e-9 if self.safe == "lower" else one >= value - 1e-9)]
        if not safe:
            end = f"least {min(self.table):g}" if self.safe == "lower" else f"greatest {max(self.table):g}"
            raise ValueError(
                f"{self.label} {value:g} {self.unit} lies outside what this controller takes ({end} {self.unit})"
            )
        return self.table.index(max(safe) if self.safe == "lower" else min(safe))


class Channel(Coded):
    """One live value. ``at`` counts words from the block's start (Modbus) or bytes of the frame's payload; ``object`` is where CANopen
    has it, ``place`` a plug-in's own words."""

    name: Text
    at: Address | None = None
    object: Object | None = None
    place: Text | None = None

    def encode(self, value: float) -> int:
        """The raw number nearest to a value."""
        if self.table:
            return self.table.index(min(self.table, key=lambda one: abs(one - value)))
        return self.bits_of(round((value - self.offset) / self.scale))


def clean(value: float) -> float:
    """Take out the dust of binary fractions (0.1 · 423 is 42.3, not 42.300000000000004)."""
    return float(f"{value:.9g}")
