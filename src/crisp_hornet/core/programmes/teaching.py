"""The run that would teach most: how far each programme would narrow what a builder asks.

What is asked (top speed, minutes on a hill, range, sag in the cold) moves with each figure of the bike; by how much, and how well each
figure is known, gives its band (linear propagation of independent errors, ISO/IEC Guide 98-3). What a programme would tell of each figure
is read off its rehearsal by the very estimates that judge a real run; pooled by their errors with what is known it gives the band after it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.estimate import REACH, Estimate
from crisp_hornet.core.evidence.figures import CDA, CRR, PATHS, told_by
from crisp_hornet.core.heat.endurance import seconds_of_full_pull
from crisp_hornet.core.pack.cells import cold_factor, rested_or_typical_v, usable
from crisp_hornet.core.programmes.rehearsal import PLANS, minutes, rehearsed
from crisp_hornet.core.road.consequences import HILL
from crisp_hornet.core.road.performance import steady_ride, steady_speed_kmh
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

GUESSED = {
    CRR: 0.3,
    CDA: 0.2,
}  # share by which what nobody measured is usually off: tyres, their pressure, the road; seat, clothes, bags
COLD_C, PACE_KMH, USUAL_W, SPEEDS, HEAT_EVERY = 0.0, 30.0, 500.0, 81, 4
WORTH = 0.12  # share by which an answer must narrow to be worth a run
PER_MIN = 0.005  # what a minute counts against a narrowing
CLAMP_GAIN, CLAMP_MIN = 0.005, 3.0  # of a clamp meter, one standard deviation; how long it takes to hold it against one


@dataclass(frozen=True)
class Asked:
    """What a builder asks, and the answer."""

    label: str
    value: float
    unit: str
    digits: int


@dataclass(frozen=True)
class Lesson:
    """What a run would do: ``programme`` (its id, or "current gain" for the instrument on Calibrate), how long it takes, and of the answer
    that it narrows most half its 95 % band before and after."""

    programme: str
    minutes: float
    asked: Asked
    before: float
    after: float

    @property
    def in_words(self) -> str:
        """``top speed ± 1.4 → 0.6 km/h``."""
        digits = self.asked.digits + (1 if self.before < 3 * 10.0**-self.asked.digits else 0)
        before, after = (
            quantity(one, self.asked.unit, f".{digits}f", bare=first, difference=True)
            for one, first in ((self.before, True), (self.after, False))
        )
        return say("{label} ± {before} → {after}", label=self.asked.label, before=before, after=after)


@dataclass(frozen=True)
class Telling:
    """The ``programme`` that would tell a figure best, how long it takes, and half its 95 % interval before and after, as shares."""

    programme: str
    minutes: float
    before: float
    after: float


def telling(bike: Bike, tune: Tune, path: str) -> Telling | None:
    """The run that would tell a figure of :data:`~crisp_hornet.core.evidence.figures.PATHS`; None where none would by enough."""
    value, known = abs(bike.figure(path)), math.hypot(*spread_of(bike, path))
    if value == 0 or known == 0:
        return None
    found = [
        (after(bike, path, told_by(rehearsed(bike, tune, name), bike)[path]), minutes(name), name) for name in PLANS
    ]
    then, lasts, name = min(found, key=lambda one: one[0] / known + PER_MIN * one[1])
    if then > (1 - WORTH) * known:
        return None
    return Telling(name, lasts, REACH * known / value, REACH * then / value)


def spread_of(bike: Bike, path: str) -> tuple[float, float]:
    """One standard deviation of a figure, (its own part, what rides with the same sensors share), in its unit."""
    value, source = bike.figure(path), bike.sources.get(path)
    known = relative_spread(bike, path) * abs(value)
    if path in GUESSED and (source is None or source.origin not in ("measured", "learned")):
        known = max(known, GUESSED[path] * abs(value))
    shared = source.shared if source is not None and source.origin == "learned" else 0.0
    return math.sqrt(max(known**2 - shared**2, 0.0)), min(shared, known)


def after(bike: Bike, path: str, seen: Estimate) -> float:
    """What a figure would be known to (one standard deviation) once a ride has said so much of it: never surer than its sensors."""
    own, shared = spread_of(bike, path)
    if not seen.known:
        return math.hypot(own, shared)
    ride_own = seen.own_half_width / REACH
    ride_shared = math.sqrt(seen.of_sensors) * seen.half_width / REACH
    if shared == 0:  # nothing was learned before: both are independent
        whole = math.hypot(ride_own, ride_shared)
        return own * whole / math.hypot(own, whole) if own > 0 else 0.0
    pooled = own * ride_own / math.hypot(own, ride_own) if own > 0 and ride_own > 0 else 0.0
    return math.hypot(pooled, min(shared, ride_shared))


def answers(bike: Bike, tune: Tune, mean_v: float, rested_v: float) -> tuple[Asked, ...]:
    """What a builder asks of a bike; ``mean_v``: energy over charge of its pack."""
    conditions = Conditions(rested_v)
    curve = pull_curve(bike, tune, np.linspace(0.0, 90.0, SPEEDS), conditions)
    uphill = steady_speed_kmh(curve, HILL)
    seconds = seconds_of_full_pull(curve, tune, HEAT_EVERY)
    hot = float(np.interp(uphill, curve.speed_kmh[::HEAT_EVERY], np.minimum(seconds, 1e5))) / 60
    cold = bike.battery.resistance_ohm * cold_factor(COLD_C) * tune.drive.battery_current_a
    used = steady_ride(bike, PACE_KMH, rested_v).wh_per_km
    return (
        Asked("top speed", steady_speed_kmh(curve, 0.0), "km/h", 0),
        Asked(say("derating, {hill} hill", hill=quantity(100 * HILL, "%", ".0f")), hot, "min", 1),
        Asked(
            say("range at {pace}", pace=quantity(PACE_KMH, "km/h")),
            bike.battery.capacity_ah * mean_v / used if used > 0 else math.nan,
            "km",
            0,
        ),
        Asked(say("sag at {cold}", cold=quantity(COLD_C, "°C")), cold, "V", 1),
    )


def lessons(bike: Bike, tune: Tune) -> list[Lesson]:
    """Each programme that would narrow an answer, the one that narrows most first; an answer is given to one programme only."""
    rested = rested_or_typical_v(bike.battery, 0.6)
    mean_v = usable(bike.battery, 1.0, tune.battery_guard.fade_end_v, USUAL_W).wh / bike.battery.capacity_ah
    plain = answers(bike, tune, mean_v, rested)
    spreads = {path: math.hypot(*spread_of(bike, path)) for path in PATHS}
    moved = {path: _moved(bike, tune, mean_v, rested, path, spread) for path, spread in spreads.items()}
    found = []
    for name in PLANS:
        told = told_by(rehearsed(bike, tune, name), bike)
        shares = {path: after(bike, path, told[path]) / spreads[path] if spreads[path] > 0 else 1.0 for path in PATHS}
        found += _narrowed(name, minutes(name), plain, moved, shares)
    if not bike.sensors.gain_checked("battery_a"):
        gain = math.hypot(bike.sensors.off("battery_a").gain_spread, bike.sensors.off("pack_v").gain_spread)
        checked = math.hypot(CLAMP_GAIN, bike.sensors.off("pack_v").gain_spread)
        asked = Asked("every energy figure", math.nan, "%", 1)
        found.append(Lesson("current gain", CLAMP_MIN, asked, 100 * REACH * gain, 100 * REACH * checked))
    return _each_once(found)


def _each_once(found: list[Lesson]) -> list[Lesson]:
    """The best of each programme and of each answer; of two that narrow alike the shorter one."""
    chosen: list[Lesson] = []
    for one in sorted(found, key=lambda one: one.after / one.before + PER_MIN * one.minutes):
        if all(one.programme != other.programme and one.asked.label != other.asked.label for other in chosen):
            chosen.append(one)
    return chosen


def _moved(bike: Bike, tune: Tune, mean_v: float, rested: float, path: str, spread: float) -> tuple[float, ...]:
    """By how much each answer moves where a figure is one standard deviation otherwise."""
    value = bike.figure(path)
    ends = [
        answers(bike.with_figure(path, max(value + way * spread, 0.05 * value), "entered"), tune, mean_v, rested)
        for way in (1, -1)
    ]
    return tuple((high.value - low.value) / 2 for high, low in zip(*ends, strict=True))


def _narrowed(
    name: str,
    lasts_min: float,
    plain: tuple[Asked, ...],
    moved: Mapping[str, tuple[float, ...]],
    shares: Mapping[str, float],
) -> list[Lesson]:
    """The answers that a programme narrows by enough."""
    found = []
    for at, asked in enumerate(plain):
        before = REACH * math.sqrt(sum(moved[path][at] ** 2 for path in PATHS))
        left = REACH * math.sqrt(sum((moved[path][at] * shares[path]) ** 2 for path in PATHS))
        if math.isfinite(before) and before > 0 and left < (1 - WORTH) * before:
            found.append(Lesson(name, lasts_min, asked, before, left))
    return found
