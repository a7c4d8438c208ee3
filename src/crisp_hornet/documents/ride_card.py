"""What is known of a ride besides its log: tyres, wind, load, the pack at rest before and after."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import Field

from crisp_hornet.documents.base import Part, Positive

NUMBER = r"([+-]?\d{1,4}(?:[.,]\d{1,3})?)\s*"
TEMPERATURES = {"°?C": (1.0, 0.0), "°?F": (5 / 9, -160 / 9)}  # unit: factor, offset
SPEEDS = {"m/s": (1.0, 0.0), "km/h": (1 / 3.6, 0.0), "mph": (0.44704, 0.0)}
WEIGHTS = {"kg": (1.0, 0.0), "lbs?": (0.45359237, 0.0)}
NO_WIND, NO_LOAD = ("calm", "none", "no wind", "still", "0"), ("empty", "none", "no load", "0")
Words = Annotated[str, Field(max_length=200)]


class RideCard(Part):
    """``timed``: what a stopwatch said, as ``100 m in 9.8 s and 10.4 s; 0 to 25 km/h in 6.2 s``; ``wheel_m``: the circumference by which
    the log's wheel speed was shown (m); ``pack``: which of its packs was on the bike;
    ``rested_start_v`` and ``rested_end_v``: the pack's voltage at rest (V)."""

    tyres: Words = ""
    wind: Words = ""
    air: Words = ""
    load: Words = ""
    purpose: Words = ""
    timed: Words = ""
    programme: Words = ""
    pack: Words = ""
    rested_start_v: Positive | None = None
    rested_end_v: Positive | None = None
    wheel_m: Positive | None = None

    @property
    def rested_v(self) -> tuple[float, float] | None:
        """The pack's voltages at rest before and after (V), where both are known."""
        return (self.rested_start_v, self.rested_end_v) if self.rested_start_v and self.rested_end_v else None

    @property
    def air_c(self) -> float | None:
        """The air's temperature (°C) where the words hold one, as ``18 °C``."""
        return _figure(self.air, TEMPERATURES, ())

    @property
    def wind_mps(self) -> float | None:
        """The wind (m/s) where the words hold one, as ``12 km/h from the west`` or ``calm``."""
        return _figure(self.wind, SPEEDS, NO_WIND)

    @property
    def load_kg(self) -> float | None:
        """The load (kg) where the words hold one, as ``40 kg of bread`` or ``empty``."""
        return _figure(self.load, WEIGHTS, NO_LOAD)

    def in_words(self) -> str:
        """In one line, what is known of it."""
        words = [
            f"{name} {value}"
            for name in ("tyres", "wind", "air", "load", "purpose", "timed", "programme", "pack")
            if (value := getattr(self, name))
        ]
        rested = [
            f"{value:g} V at rest {when}"
            for when, value in (("before", self.rested_start_v), ("after", self.rested_end_v))
            if value
        ]
        return ", ".join([*words, *rested])


def _figure(words: str, units: dict[str, tuple[float, float]], nothing: tuple[str, ...]) -> float | None:
    """The first figure with one of the units, in SI units."""
    if words.strip().lower() in nothing:
        return 0.0
    for unit, (factor, offset) in units.items():
        found = re.search(rf"{NUMBER}(?:{unit})(?![\w/])", words, re.IGNORECASE)
        if found is not None:
            return float(found[1].replace(",", ".")) * factor + offset
    return None
