"""How packs age: the resistance that each ride shows, over the cycles a pack has had until then.

A cycle is its capacity drawn once, in however many rides. Resistances are brought to 25 °C by the air's temperature where that is known.
The growth is a weighted straight line; where rides differ by more than their own errors, that counts too (the weights of R. DerSimonian,
N. Laird, *Meta-analysis in clinical trials*, 1986, applied to the residuals).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import REACH, Estimate, around, refused
from crisp_hornet.core.evidence.pack_seen import resistance
from crisp_hornet.core.pack.cells import cold_factor
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

GAP_S = 5.0  # a hole in the log longer than this counts as no current
FEWEST, LEAST_CYCLES = 3, 5.0
COLD_SHARE = 0.03  # of a resistance that was brought to 25 °C: cells are not as cold as the air


@dataclass(frozen=True)
class PackReading:
    """What one ride says of the pack that was on the bike: the charge drawn (Ah) and its resistance as ridden (Ω)."""

    ride: str
    at: datetime
    pack: str
    drawn_ah: float
    ohm: Estimate
    air_c: float | None = None

    @property
    def ohm_at_25(self) -> Estimate:
        """The resistance as it would be at 25 °C, with the doubt of that; as ridden where the air's temperature is not known."""
        if self.air_c is None or not self.ohm.known:
            return self.ohm
        turned = self.ohm.times(1 / cold_factor(self.air_c))
        return turned.wider(COLD_SHARE * REACH * turned.value)


@dataclass(frozen=True, eq=False)
class PackLife:
    """A pack's rides in their order: cycles until the middle of each (n,), and how its resistance grew in 100 cycles (share of it)."""

    pack: str
    readings: tuple[PackReading, ...]
    cycles: Array
    growth: Estimate


def read_pack(ride: Ride, bike: Bike, name: str, at: datetime, pack: str, air_c: float | None) -> PackReading:
    """What a ride says of its pack; nothing drawn where the log has no battery current."""
    drawn = 0.0
    if ride.has("battery_a"):
        amps = np.clip(np.nan_to_num(ride.get("battery_a")), 0.0, None)
        seconds = np.diff(ride.time_s)
        drawn = float(np.sum(np.where(seconds <= GAP_S, seconds * (amps[1:] + amps[:-1]) / 2, 0.0))) / 3600
    return PackReading(name, at, pack, drawn, resistance(ride, bike), air_c)


def lives(readings: Sequence[PackReading], capacity_ah: dict[str, float]) -> list[PackLife]:
    """Each pack's life, in the order of the names in ``capacity_ah``; rides with another pack are left out."""
    found = []
    for pack, capacity in capacity_ah.items():
        own = sorted((reading for reading in readings if reading.pack == pack), key=lambda one: one.at)
        drawn = np.array([one.drawn_ah for one in own])
        cycles = (np.cumsum(drawn) - drawn / 2) / capacity
        found.append(PackLife(pack, tuple(own), cycles, _growth(own, cycles)))
    return found


def _growth(readings: list[PackReading], cycles: Array) -> Estimate:
    told = [at for at, reading in enumerate(readings) if reading.ohm.known]
    warm = [at for at in told if readings[at].air_c is not None]
    told = warm if len(warm) >= FEWEST else told
    if len(told) < FEWEST:
        return refused(
            say("{told} of {fewest} rides that show its resistance", told=len(told), fewest=FEWEST), "% in 100 cycles"
        )
    at = cycles[told]
    if float(np.ptp(at)) < LEAST_CYCLES:
        return refused(
            say("the rides lie within {cycles} cycles", cycles=quantity(float(np.ptp(at)), "", ".1f")),
            "% in 100 cycles",
        )
    seen = [readings[one].ohm_at_25 for one in told]
    # one bike's sensors err alike on every ride: what is left is what rides differ by
    ohm, spread = np.array([one.value for one in seen]), np.array([one.own_half_width / REACH for one in seen])
    variance = np.maximum(spread, 1e-4 * ohm) ** 2
    start, slope, error = _line(at, ohm, variance)
    freedom = len(told) - 2
    # what rides differ by beyond their own errors, from the weighted residuals
    beyond = float(np.sum((ohm - start - slope * at) ** 2 / variance)) - freedom
    weight = 1 / variance
    scale = float(weight.sum() - (weight**2).sum() / weight.sum())
    if beyond > 0 and scale > 0:
        start, slope, error = _line(at, ohm, variance + beyond / scale)
    now = start + slope * float(at[0])
    return around(10_000 * slope / now, 10_000 * error / now, max(freedom, 1), "% in 100 cycles")


def _line(x: Array, y: Array, variance: Array) -> tuple[float, float, float]:
    """(start, slope, standard error of the slope) of a straight line through points of known variance."""
    weight = 1 / variance
    middle_x, middle_y = float(weight @ x / weight.sum()), float(weight @ y / weight.sum())
    across = float(weight @ (x - middle_x) ** 2)
    slope = float(weight @ ((x - middle_x) * (y - middle_y))) / across
    return middle_y - slope * middle_x, slope, across**-0.5
