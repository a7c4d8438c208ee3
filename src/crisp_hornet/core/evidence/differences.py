"""What differs between a ride and another one, its prediction, or between two tunes: each with how sure it is, what matters first."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.compare import Compared
from crisp_hornet.core.evidence.consumption import parts_of
from crisp_hornet.core.evidence.dyno import DynoRuns, stronger
from crisp_hornet.core.evidence.estimate import Estimate, around, clustered_fit, refused
from crisp_hornet.core.evidence.findings.suggestion import Effect
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.core.ride.along_way import MOST_STEPS
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.core.ride.even import STEP_S, even
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Symbol, quantity, say

BLOCK_S, LEAST_W, LEAST_S, WINDOW_KM = 30.0, 20.0, 20.0, 0.4
SURE_STRETCH = 3.0
MATTERS, BESIDES = 2.0, 0.6


@dataclass(frozen=True)
class Difference:
    """One thing that differs, or may: ``change`` is a share (0.1: a tenth more), ``this`` and ``other`` what it is here and there, in
    words; ``at_s``: the moment of the ride that shows it; ``weight``: how much it matters to a builder, against others."""

    what: str
    change: Estimate
    this: str
    other: str
    at_s: float | None = None
    weight: float = 1.0

    @property
    def shown(self) -> bool:
        """Whether it can be told from chance."""
        return self.change.known and not self.change.low <= 0 <= self.change.high

    @property
    def in_words(self) -> str:
        """``11 ± 4 % less``, or that none can be shown."""
        one = self.change
        if not one.known:
            return say("not determined: {reason}", reason=one.reason)
        if math.isinf(one.value):
            return "with one of them only"
        reach = f" ± {100 * one.half_width:.{_digits(one.half_width)}f}" if one.half_width > 0 else ""
        if not self.shown:
            return f"no difference can be shown ({100 * one.value:+.{_digits(one.half_width)}f}{reach} %)"
        digits = _digits(one.half_width or abs(one.value))
        return f"{abs(100 * one.value):.{digits}f}{reach} % {'more' if one.value > 0 else 'less'}"


def _digits(share: float) -> int:
    return 1 if share < 0.01 else 0


def sorted_by_weight(found: Sequence[Difference]) -> list[Difference]:
    """What can be shown first, the greatest first; then what cannot; then what cannot be told."""
    return sorted(
        found, key=lambda one: (not one.shown, not one.change.known, -one.weight * abs(np.nan_to_num(one.change.value)))
    )


Take = Callable[[Verdict], Estimate]
FIGURES: tuple[tuple[str, Take, float, str, int], ...] = (
    ("pack resistance", lambda v: v.resistance_ohm, 1000.0, "mΩ", 3),
    ("range at this style", lambda v: v.range_km, 1.0, "km", 2),
    ("reaches the road, full throttle", lambda v: v.motor.efficiency, 100.0, "%", 2),
    ("motor constant", lambda v: v.motor.flux_linkage_wb, 1000.0, "mWb", 3),
    (say("winding at {at}", at=quantity(25, "°C")), lambda v: v.motor.winding_ohm, 1000.0, "mΩ", 3),
    ("wheel, rolled", lambda v: v.circumference_m, 1.0, "m", 4),
    ("regen share", lambda v: v.energy.regen_share, 100.0, "%", 2),
    ("rolling resistance, Crr", lambda v: v.road.crr, 1.0, "", 2),
    ("air drag, CdA", lambda v: v.road.cda_m2, 1.0, "m²", 2),
    ("winding to housing", lambda v: v.heat.winding_to_housing, 1.0, "W/K", 2),
)


def between_rides(
    verdicts: tuple[Verdict, Verdict],
    rides: tuple[Ride, Ride],
    compared: Compared,
    runs: tuple[DynoRuns | None, DynoRuns | None],
) -> list[Difference]:
    """This ride against the other."""
    first, second = verdicts
    wh = [verdict.energy.wh_per_km.in_words(3) for verdict in verdicts]
    found = [
        Difference("consumption, same road, pace, load and day", compared.same_road, wh[0], wh[1], weight=MATTERS),
        Difference("consumption as ridden", compared.plain, wh[0], wh[1]),
    ]
    for words, take, factor, unit, digits in FIGURES:
        pair = [take(verdict) for verdict in verdicts]
        if all(one.known for one in pair):
            told = [one.times(factor, unit).in_words(digits) for one in pair]
            found.append(Difference(words, _relative(pair[0], pair[1]), told[0], told[1]))
    found += _levels(first, second)
    if runs[0] is not None and runs[1] is not None:
        told = [
            say(
                "{peak} at {peak_2}, {runs} pulls",
                peak=quantity(run.peak[0], "W", ".0f"),
                peak_2=quantity(run.peak[1], "km/h", ".0f"),
                runs=len(run.runs),
            )
            for run in runs
            if run is not None
        ]
        found.append(
            Difference(
                "power at the wheel, full throttle", stronger(runs[0], runs[1]), told[0], told[1], weight=MATTERS
            )
        )
    return sorted_by_weight([*found, *_plain_facts(rides)])


def _levels(first: Verdict, second: Verdict) -> list[Difference]:
    others = {level.level: level for level in second.levels}
    found = []
    for level in first.levels:
        other = others.get(level.level)
        if other is not None and level.watts_per_watt.known and other.watts_per_watt.known:
            words = [each.watts_per_watt.in_words(2) for each in (level, other)]
            change = _relative(level.watts_per_watt, other.watts_per_watt)
            found.append(
                Difference(say("level {level}, watts for a watt", level=level.level), change, words[0], words[1])
            )
    return found


def _relative(first: Estimate, second: Estimate) -> Estimate:
    if second.value == 0:
        return refused("the other is nothing")
    value = first.value / second.value
    reach = abs(value) * math.hypot(
        first.own_half_width / max(abs(first.value), 1e-12), second.own_half_width / abs(second.value)
    )
    return Estimate(value - 1, value - 1 - reach, value - 1 + reach)


FACTS = (
    ("pack voltage at the start", "pack_v", lambda v: float(np.median(v[:10])), "V", 0.003),
    (
        "mean speed while moving",
        "wheel_speed_kmh",
        lambda v: float(np.mean(v[v > 2])) if (v > 2).any() else math.nan,
        "km/h",
        0.01,
    ),
    ("greatest speed", "wheel_speed_kmh", np.max, "km/h", 0.01),
    ("battery current, peak", "battery_a", np.max, "A", 0.02),
    ("phase current, peak", "phase_a", np.max, "A", 0.02),
    ("lowest pack voltage", "pack_v", np.min, "V", 0.005),
    ("motor warmed by", "motor_c", lambda v: float(v.max() - v[0]), "K", 0.05),
    ("controller warmed by", "controller_c", lambda v: float(v.max() - v[0]), "K", 0.08),
)
"""Extremes read off the logs: words, channel, how, unit, and what a sensor is taken to be sure to, as a share."""


def _plain_facts(rides: tuple[Ride, Ride]) -> list[Difference]:
    found = []
    for words, channel, take, unit, sure in FACTS:
        if not all(ride.has(channel) for ride in rides):
            continue
        values = [float(take(ride.get(channel)[np.isfinite(ride.get(channel))])) for ride in rides]
        if all(math.isfinite(value) and value > 0 for value in values):  # a share of nothing tells nothing
            share, reach = values[0] / values[1] - 1, sure * math.sqrt(2)
            told = [say("{value}", value=quantity(value, unit, ".1f")) for value in values]
            found.append(
                Difference(words, Estimate(share, share - reach, share + reach), told[0], told[1], weight=BESIDES)
            )
    return found


def between_tunes(effects: Sequence[Effect]) -> list[Difference]:
    """One tune against another by what is predicted of both; ``effects`` go from the other to this."""
    found = []
    for effect in effects:
        told_of_both = effect.before.value != 0 and math.isfinite(effect.share)
        share = effect.after.value / effect.before.value - 1 if told_of_both else math.inf
        found.append(
            Difference(effect.after.label, Estimate(share, share, share), effect.after.told, effect.before.told)
        )
    return sorted_by_weight(found)


def against_prediction(ride: Ride, bike: Bike) -> list[Difference]:
    """Electric energy while driving against what the bike document predicts for the same speeds, slopes and rider: in all, by grade and by
    speed, and the stretch of the way that differs most."""
    smooth = even(ride, tuple(ride.channels))
    channels = derived(smooth, bike)
    if "predicted_w" not in channels or not ride.has("wheel_speed_kmh"):
        return []
    used, told = channels["battery_w"], channels["predicted_w"]
    speed = smooth.get("wheel_speed_kmh")
    with np.errstate(invalid="ignore"):
        drives = (
            np.isfinite(used)
            & np.isfinite(told)
            & (speed > 1)
            & ~(smooth.get("brake") > 0)
            & ((told > LEAST_W) | (used > LEAST_W))
        )
    block = np.floor(smooth.time_s / BLOCK_S)
    parts = [("energy while driving", drives)]
    for kind in ("grade", "speed"):
        parts += [
            (say("on {words}", words=words) if kind == "grade" else say("at {words}", words=words), drives & rows)
            for words, rows in parts_of(smooth, kind)
        ]
    found = [one for words, rows in parts if (one := _part(words, used, told, block, rows)) is not None]
    stretch = _worst_stretch(smooth, used, told, drives, channels["distance_km"])
    return sorted_by_weight([*found, *([stretch] if stretch is not None else [])])


def _part(words: str, used: Array, told: Array, block: Array, rows: np.ndarray) -> Difference | None:
    if rows.sum() * STEP_S < LEAST_S:
        return None
    wh = [float(one[rows].sum()) * STEP_S / 3600 for one in (used, told)]
    fit = clustered_fit(told[rows][:, None], used[rows], block[rows])
    if fit is None or wh[1] < 0.5:
        return None
    value = wh[0] / wh[1] - 1
    return Difference(
        words,
        around(value, fit.error(0), fit.freedom),
        say("{wh}", wh=quantity(wh[0], "Wh", ".0f")),
        say("{wh} predicted", wh=quantity(wh[1], "Wh", ".0f")),
    )


def _worst_stretch(ride: Ride, used: Array, told: Array, drives: np.ndarray, way_km: Array) -> Difference | None:
    """The stretch whose energy differs most from its prediction, in Wh, if it stands out from what the others do."""
    if not float(way_km[-1]) < MOST_STEPS * WINDOW_KM:
        return None
    place = np.floor(way_km / WINDOW_KM).astype(int)
    count = int(place[-1]) + 1
    wh = [np.bincount(place[drives], one[drives], count) * STEP_S / 3600 for one in (used, told)]
    off = wh[0] - wh[1]
    if count < 6:
        return None
    middle = float(np.median(off))
    spread = 1.4826 * float(np.median(np.abs(off - middle)))
    at = int(np.argmax(np.abs(off - middle)))
    if spread == 0 or abs(off[at] - middle) < SURE_STRETCH * spread or wh[1][at] < 0.3:
        return None
    share, reach = float(wh[0][at] / wh[1][at]) - 1, 1.96 * spread / float(wh[1][at])
    begins = float(ride.time_s[int(np.argmax(place == at))])
    words = say(
        "stands out: {unit} {window} to {window_2}",
        unit=Symbol("km"),
        window=quantity(at * WINDOW_KM, "", ".1f"),
        window_2=quantity((at + 1) * WINDOW_KM, "", ".1f"),
    )
    return Difference(
        words,
        Estimate(share, share - reach, share + reach),
        say("{at}", at=quantity(wh[0][at], "Wh", ".1f")),
        say("{at} predicted", at=quantity(wh[1][at], "Wh", ".1f")),
        begins,
    )
