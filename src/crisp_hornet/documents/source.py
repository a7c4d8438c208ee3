"""Where a figure of a bike comes from, and what rides said of it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.base import NotNegative, Number, Part, Text

Origin = Literal["assumed", "entered", "measured", "learned"]


class LearnedFrom(Part):
    """What one ride said of a figure, with its spread, and what part of the spread is its sensors' (one standard deviation each): rides
    with the same sensors share it."""

    ride: Text
    value: Number
    spread: NotNegative
    of_sensors: NotNegative = 0.0


class Source(Part):
    """Where a figure comes from, and its spread (one standard deviation, in the figure's unit). A figure that was learned keeps what each
    ride said, and what stood there ``before``, so that it can be taken back."""

    origin: Annotated[Origin, Field(alias="from")]
    spread: NotNegative | None = None
    rides: list[LearnedFrom] = []
    before: Number | None = None
    before_from: Origin | None = None

    @property
    def shared(self) -> float:
        """What all its rides may be off by together, because their sensors are: the least of theirs."""
        return min((one.of_sensors for one in self.rides), default=0.0)
