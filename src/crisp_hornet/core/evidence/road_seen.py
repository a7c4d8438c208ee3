"""Rolling and air resistance as a ride shows them: from its roll-outs and from all the rest of it, taken together.

The whole ride is evidence: what the motor gave, what was climbed, gained and lost. Roll-outs both ways on one stretch tell more, for there
neither the motor nor heights nor wind are needed. Which is worth how much follows from their errors (:mod:`road_balance`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.estimate import REACH, Estimate, around, refused, told_well
from crisp_hornet.core.evidence.road_balance import CDA, CRR, MASS, WIND_E, WIND_N, Balance, balanced
from crisp_hornet.core.evidence.road_pieces import CHANNELS, LEAST_S, Cut, cut
from crisp_hornet.core.evidence.zero_seen import battery_zero
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even
from crisp_hornet.core.road.vehicle import AIR_KGPM3, G_MPS2
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

WIDEST, LEANS = (
    0.75,
    0.35,
)  # of the value; of the usual spread: what is no narrower than that hardly comes from the ride
LEAST_MIN = 2.0
MOST_ROWS = 45_000
CONTRADICTS = 2.5  # standard deviations of the roll-outs
AIR_SPREAD = 0.025  # of the air's density, by weather and height


@dataclass(frozen=True)
class RoadLoad:
    """``crr`` and ``cda_m2``; ``load_20_n``: both together at 20 km/h (N), known where they cannot be told apart; ``wind_kmh`` along the
    stretch, positive against the first run; ``runs`` that were rolled out; ``leans``: whether what is usual counts as much as the ride."""

    crr: Estimate
    cda_m2: Estimate
    load_20_n: Estimate
    wind_kmh: Estimate
    runs: int
    leans: bool = False


def road_load(ride: Ride, bike: Bike, wheel: Estimate) -> RoadLoad:
    """Crr and CdA of a ride; ``wheel`` is the circumference (m) it showed."""
    if not ride.has("wheel_speed_kmh"):
        return _unknown("the wheel's speed is needed")
    smooth = _first_hours(even(ride, CHANNELS))
    if len(smooth) * STEP_S < LEAST_S:
        return _unknown(say("less than {least}", least=quantity(LEAST_S, "s", ".0f")))
    told = bike.drivetrain.wheel_circumference_m
    stretch = wheel.value / told if wheel.known else 1.0
    spread = (
        wheel.half_width / REACH / wheel.value
        if wheel.known
        else relative_spread(bike, "drivetrain.wheel_circumference_m")
    )
    zero = battery_zero(smooth, bike)
    if zero.zero_a and smooth.has("battery_a"):
        channels = smooth.channels | {"battery_a": smooth.get("battery_a") - zero.zero_a}
        smooth = Ride(smooth.name, smooth.time_s, channels)
    found = cut(smooth, bike, stretch)
    if why := _lacks(found, smooth):
        return _unknown(why, found.runs)
    balance = _balance(found, bike, spread, zero.spread_a)
    if balance is None:
        return _unknown("too few undisturbed stretches: a few minutes without the brake are needed", found.runs)
    return _told(balance, bike, found)


def _first_hours(smooth: Ride) -> Ride:
    """Of a very long ride the first hours tell enough."""
    if len(smooth) <= MOST_ROWS:
        return smooth
    return Ride(
        smooth.name, smooth.time_s[:MOST_ROWS], {name: values[:MOST_ROWS] for name, values in smooth.channels.items()}
    )


def _balance(found: Cut, bike: Bike, wheel_spread: float, zero_a: float) -> Balance | None:
    """From all pieces; from the roll-outs alone, where what the motor gave contradicts them: then its figures are not those of the
    document."""
    whole = balanced(found, bike, wheel_spread, zero_a)
    if not found.both_ways or whole is None:
        return whole
    rolled = balanced(found.only(found.pieces.coasts), bike, wheel_spread, zero_a)
    if rolled is None:
        return whole
    apart = [abs(rolled.values[at] - whole.values[at]) / max(rolled.error(at), 1e-9) for at in (CRR, CDA)]
    return rolled if max(apart) > CONTRADICTS else whole


def _unknown(why: str, runs: int = 0) -> RoadLoad:
    return RoadLoad(refused(why), refused(why, "m²"), refused(why, "N"), refused(why, "km/h"), runs)


def _lacks(found: Cut, smooth: Ride) -> str:
    """What the ride lacks to tell anything, or ""."""
    heights, coasts = smooth.has("altitude_m"), found.pieces.coasts
    if not heights and not found.both_ways:
        return say(
            "without heights it takes roll-outs both ways on one stretch, with positions; {runs} rolled out",
            runs=found.runs,
        )
    if not found.driven and not found.both_ways and float(found.pieces.seconds[coasts].sum()) < 60 * LEAST_MIN / 2:
        return say("without currents only rolling counts, and {runs} roll-outs are too few", runs=found.runs)
    if not found.both_ways and float(found.pieces.seconds.sum()) < 60 * LEAST_MIN:
        return say("less than {least} min without the brake", least=quantity(LEAST_MIN, "", ".0f"))
    return ""


def _told(balance: Balance, bike: Bike, found: Cut) -> RoadLoad:
    def weights(**at: float) -> np.ndarray:
        one = np.zeros(len(balance.values))
        for name, value in at.items():
            one[{"crr": CRR, "cda": CDA, "mass": MASS, "north": WIND_N, "east": WIND_E}[name]] = value
        return one

    def estimate(one: np.ndarray, unit: str = "", value: float | None = None) -> Estimate:
        seen, error = balance.combined(one)
        share = balance.of_sensors(one)
        plain = around(seen if value is None else value, error * (1 - share) ** 0.5, balance.freedom, unit)
        return plain.wider(REACH * error * share**0.5, of_sensors=True)

    v = 20 / 3.6
    weight, crr, cda = bike.mass_kg * G_MPS2, float(balance.values[CRR]), float(balance.values[CDA])
    heavy = weight * (1 + float(balance.values[MASS]))
    air = 0.5 * AIR_KGPM3 * v**2
    load = estimate(weights(crr=heavy, cda=air, mass=weight * crr), "N", heavy * crr + air * cda)
    wind = refused("it was not rolled out both ways", "km/h")
    if found.both_ways:
        wind = estimate(weights(north=np.cos(found.direction), east=np.sin(found.direction)), "km/h").times(3.6)
    leans = any(balance.error(at) > LEANS * balance.prior[at] for at in (CRR, CDA))
    alone = estimate(weights(crr=1.0)), estimate(weights(cda=1.0), "m²").wider(REACH * AIR_SPREAD * cda)
    apart = [
        told_well(one, WIDEST, f"from this ride {name} is known", ".3g")
        for name, one in zip(("crr", "cda"), alone, strict=True)
    ]
    return RoadLoad(apart[0], apart[1], told_well(load, WIDEST, "from this ride it is known"), wind, found.runs, leans)
