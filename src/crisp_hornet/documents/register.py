"""Registers and live values of a controller: how a raw number means a value in a unit."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.base import Number, Part, Positive, Text

Address = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
Word = Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
Raw = Annotated[int, Field(strict=True, ge=0, le=0xFFFF_FFFF)]
CALIBRATION, INFORMATION = "calibration.", "info."
_BITS = {"u16": 16, "i16": 16, "u32": 32, "i32": 32}


class Coded(Part):
    """A number in one or two 16-bit words: ``value = raw · scale + offset``, raw signed for ``i`` types."""

    type: Literal["u16", "i16", "u32", "i32"] = "u16"
    scale: Positive = Field(default=1.0, ge=1e-9)
    offset: Number = 0.0
    unit: str = ""

    @property
    def bits(self) -> int:
        """16 or 32."""
        return _BITS[self.type]

    @property
    def words(self) -> int:
        """How many 16-bit words it takes."""
        return self.bits // 16

    @property
    def raw_range(self) -> tuple[int, int]:
        """Least and greatest signed raw number."""
        return (-(1 << self.bits - 1), (1 << self.bits - 1) - 1) if self.type[0] == "i" else (0, (1 << self.bits) - 1)

    def value_of(self, raw: int) -> float:
        """The value of a raw number (its bits, 0 upwards)."""
        return self.value_at(raw - (1 << self.bits) if self.type[0] == "i" and raw >> (self.bits - 1) else raw)

    def value_at(self, signed: int) -> float:
        """The value of a signed raw number."""
        return clean(signed * self.scale + self.offset)


class Register(Coded):
    """One holding register, of one or two words. ``none_raw`` is the raw number for "no limit".

    ``name`` is a setting of the tune, or starts with ``calibration.`` (what belongs to this bike's motor and sensors) or
    ``info.`` (read only). ``share_of``: it holds a current of the tune as percent of another one. ``choices``: what its numbers mean,
    from 0, where it chooses.
    """

    name: Text
    label: Text
    address: Address
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
        steps = (value - self.offset) / self.scale
        dust = 1e-6  # 42.3 / 0.1 is 422.99999999999994: no reason to fall a whole step
        raw = math.floor(steps + dust) if self.safe == "lower" else math.ceil(steps - dust)
        low, high = self.raw_range
        return min(max(raw, low), high) & ((1 << self.bits) - 1)


class Channel(Coded):
    """One live value; ``at`` counts words from the block's start."""

    name: Text
    at: Address

    def encode(self, value: float) -> int:
        """The raw number nearest to a value."""
        low, high = self.raw_range
        return min(max(round((value - self.offset) / self.scale), low), high) & ((1 << self.bits) - 1)


def clean(value: float) -> float:
    """Take out the dust of binary fractions (0.1 · 423 is 42.3, not 42.300000000000004)."""
    return float(f"{value:.9g}")
