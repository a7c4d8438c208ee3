"""What the day of a ride did to its road load: cold air is denser, cold tyres roll harder, wind costs on a round, bread weighs.

Wind: over a round that goes every way, the drag along the way of a rider at ``v`` in a wind ``w`` is the mean over all directions of
``|u|·(v + w·cos φ)`` with ``|u|² = v² + 2·v·w·cos φ + w²``. Wind as one reads or feels it is that above the hedges; at a rider's height
about :data:`AT_RIDER` of it is left (the logarithmic profile of any textbook on wind). Rolling resistance falls by 0.86 % for a kelvin
(SAE J1263, its correction for temperature).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.road.vehicle import AIR_KGPM3, G_MPS2
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.saying import joined, quantity, say

REFERENCE_C, ROLLS_PER_K, AT_RIDER = 20.0, 0.0086, 0.6
DIRECTIONS = np.cos(np.linspace(0, np.pi, 25))
UNKNOWN_AIR, UNKNOWN_WIND, REST = 0.012, 0.013, 0.008  # worth on a usual round, one standard deviation, as a share
CORRECTED = 0.5  # of a correction that was made, so much stays in doubt


@dataclass(frozen=True)
class Day:
    """What was written down of a ride: air temperature (°C), wind (m/s), load (kg), the pack's voltages at rest before and after (V), None
    where it was not; ``timed``: what a stopwatch said, in words."""

    air_c: float | None = None
    wind_mps: float | None = None
    load_kg: float | None = None
    rested_v: tuple[float, float] | None = None
    timed: str = ""

    @classmethod
    def of(cls, card: RideCard) -> Day:
        """As far as a ride's card says it in figures."""
        return cls(card.air_c, card.wind_mps, card.load_kg, card.rested_v, card.timed)

    def beside(self, other: Day) -> Day:
        """This day as far as it can be held against another: a load that is known for one of them only is left out."""
        return self if self.load_kg is None or other.load_kg is not None else replace(self, load_kg=None)

    @property
    def doubt(self) -> float:
        """What is not known of the day, as a share of the energy (one standard deviation)."""
        air = UNKNOWN_AIR if self.air_c is None else 0.0
        wind = UNKNOWN_WIND if self.wind_mps is None else 0.0
        return float(np.sqrt(air**2 + wind**2 + REST**2))

    @property
    def in_words(self) -> str:
        """What was taken into account."""
        words: list[str] = []
        if self.air_c is not None:
            words.append(say("{air}", air=quantity(self.air_c, "°C")))
        if self.wind_mps is not None:
            words.append(
                say("wind {wind_mps}", wind_mps=quantity(3.6 * self.wind_mps, "km/h", ".0f"))
                if self.wind_mps
                else "no wind"
            )
        if self.load_kg is not None:
            words.append(say("{load} loaded", load=quantity(self.load_kg, "kg")))
        return joined(", ", words) or "nothing written down"


UNKNOWN = Day()


def loaded(bike: Bike, day: Day) -> Bike:
    """The bike with the load of the day, or with the document's."""
    if day.load_kg is None:
        return bike
    chassis = bike.chassis.model_copy(update={"cargo_kg": day.load_kg})
    return bike.model_copy(update={"chassis": chassis})


def resistance_n(bike: Bike, speed_mps: Array, day: Day) -> Array:
    """Road load (N, (n,)) on the flat on that day; ``bike`` is loaded already."""
    chassis = bike.chassis
    warmer = (REFERENCE_C if day.air_c is None else day.air_c) - REFERENCE_C
    density = AIR_KGPM3 * (REFERENCE_C + 273.15) / (REFERENCE_C + warmer + 273.15)
    rolls = bike.mass_kg * G_MPS2 * chassis.crr * max(1 - ROLLS_PER_K * warmer, 0.5)
    found: Array = rolls + 0.5 * density * chassis.cda_m2 * mean_drag(speed_mps, AT_RIDER * (day.wind_mps or 0.0))
    return found


def mean_drag(speed_mps: Array, wind_mps: float) -> Array:
    """``|u|·(v + w·cos φ)`` (m²/s²), its mean over all directions of the wind, (n,)."""
    if wind_mps == 0:
        return speed_mps**2
    grid = np.linspace(0.0, max(float(np.nanmax(speed_mps, initial=0.0)), 1.0), 60)[:, None]
    along = grid + wind_mps * DIRECTIONS
    whole = np.sqrt(np.maximum(grid**2 + 2 * grid * wind_mps * DIRECTIONS + wind_mps**2, 0.0))
    means = np.trapezoid(whole * along, dx=1.0, axis=1) / (len(DIRECTIONS) - 1)
    return np.interp(speed_mps, grid[:, 0], means)
