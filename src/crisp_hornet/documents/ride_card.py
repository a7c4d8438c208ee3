"""What is known of a ride besides its log: tyres, wind, load, the pack at rest before and after."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from crisp_hornet.documents.base import Part, Positive

Words = Annotated[str, Field(max_length=200)]


class RideCard(Part):
    """``wheel_m``: the circumference by which the log's wheel speed was shown (m); ``rested_start_v`` and ``rested_end_v``: the pack's
    voltage at rest (V)."""

    tyres: Words = ""
    wind: Words = ""
    air: Words = ""
    load: Words = ""
    purpose: Words = ""
    programme: Words = ""
    rested_start_v: Positive | None = None
    rested_end_v: Positive | None = None
    wheel_m: Positive | None = None

    @property
    def rested_v(self) -> tuple[float, float] | None:
        """The pack's voltages at rest before and after (V), where both are known."""
        return (self.rested_start_v, self.rested_end_v) if self.rested_start_v and self.rested_end_v else None

    def in_words(self) -> str:
        """In one line, what is known of it."""
        words = [
            f"{name} {value}"
            for name in ("tyres", "wind", "air", "load", "purpose", "programme")
            if (value := getattr(self, name))
        ]
        rested = [
            f"{value:g} V rested {when}"
            for when, value in (("before", self.rested_start_v), ("after", self.rested_end_v))
            if value
        ]
        return ", ".join([*words, *rested])
