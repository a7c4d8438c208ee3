"""The pack: tired or stiff, close to what its board cuts at, charged by regen."""

from __future__ import annotations

from typing import Any

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding, fine_enough, tells
from crisp_hornet.core.evidence.findings.suggestion import Suggestion, lowered, raised
from crisp_hornet.core.pack.cells import full_v, rested_or_typical_v, tiredness
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

TIRED, STIFF = 0.15, -0.12
NEAR_TRIP_V, LOW_CHARGE = 1.5, 0.25
FULL_SHARE = 1.004
GONE = 0.5


@finding
def low_voltage_fade(e: Evidence) -> Finding | None:
    """The low-voltage fade: at work, or with room."""
    peak = e.peaks.get("pack_v")
    if peak is None or peak.limit is None:
        return None
    words = say(
        "lowest {value}, cutoff from {limit}", value=quantity(peak.value, "V", ".1f"), limit=quantity(peak.limit, "V")
    )
    if peak.reached:
        return tells(
            "pack_v-fade", words=words, at_limit=quantity(peak.at_limit_s, "s", ".0f"), span=(peak.at_s, peak.at_s)
        )
    return tells("pack_v-room", words=words, span=(peak.at_s, peak.at_s))


@finding
def pack_tired(e: Evidence) -> Finding | None:
    """More resistance than the document says."""
    seen, told = e.verdict.resistance_ohm, e.bike.battery.resistance_ohm
    if not seen.known or tiredness(seen.value, told) < TIRED or seen.low <= told:
        return None
    sag = (e.tune.drive.battery_current_a or 0) * (seen.value - told)
    return tells(
        "pack-tired",
        share=quantity(100 * tiredness(seen.value, told), "%", ".0f"),
        **_milliohms(seen, told),
        sag=quantity(sag, "V", ".1f"),
        severity="note" if e.battery_doubtful else "warn",
        suggest=_learn(e.bike, seen.value),
    )


@finding
def pack_stiffer(e: Evidence) -> Finding | None:
    """Less resistance than the document says."""
    seen, told = e.verdict.resistance_ohm, e.bike.battery.resistance_ohm
    if not seen.known or tiredness(seen.value, told) > STIFF or seen.high >= told:
        return None
    return tells(
        "pack-stiffer",
        share=quantity(-100 * tiredness(seen.value, told), "%", ".0f"),
        **_milliohms(seen, told),
        suggest=_learn(e.bike, seen.value),
    )


def _learn(bike: Bike, ohm: float) -> Suggestion:
    return Suggestion(
        "battery.resistance_ohm",
        float(f"{ohm:.4g}"),
        say("predictions for {name} sag as the pack really does", name=bike.name),
        bike=True,
    )


def _milliohms(seen: Estimate, told: float) -> dict[str, Any]:
    """What was seen, its interval and what the document tells, as the places of the wording."""
    spec = fine_enough(seen, ".0f", 1000)
    figures = {"value": seen.value, "low": seen.low, "high": seen.high, "told": told}
    return {name: _milliohm(ohm, spec) for name, ohm in figures.items()}


def _milliohm(ohm: float, spec: str = ".0f") -> str:
    return say("{ohm}", ohm=quantity(1000 * ohm, "mΩ", spec))


@finding
def trip_near(e: Evidence) -> Finding | None:
    """The pack came close to the voltage at which its board switches off."""
    peak, trip = e.peaks.get("pack_v"), e.bike.battery.bms_trip_v
    if peak is None or not trip * GONE < peak.value < trip + NEAR_TRIP_V:  # far below it the voltage vanished
        return None
    start = trip + NEAR_TRIP_V + 2
    return tells(
        "trip-near",
        value=quantity(peak.value, "V", ".1f"),
        trip=quantity(trip, "V"),
        span=(peak.at_s, peak.at_s),
        suggest=raised(
            e.tune,
            "battery_guard.fade_start_v",
            start,
            say("the current is reduced from {start} on, before the BMS cuts off", start=quantity(start, "V")),
        )
        or lowered(
            e.tune,
            "drive.battery_current_a",
            float(np.floor(0.9 * e.tune.drive.battery_current_a)),
            "a tenth less current sags a tenth less",
        ),
    )


@finding
def sag_when_low(e: Evidence) -> Finding | None:
    """With the resistance seen, the set current would pull a nearly empty pack under the board's trip."""
    seen, battery, current = e.verdict.resistance_ohm, e.bike.battery, e.tune.drive.battery_current_a
    if {"drive.battery_current_a", "battery_guard.fade_start_v"} & set(e.tune.unknown):
        return None
    if not seen.known or e.tune.battery_guard.fade_start_v > battery.bms_trip_v + 1:
        return None
    rested = rested_or_typical_v(battery, LOW_CHARGE)
    loaded = rested - current * seen.value
    if loaded > battery.bms_trip_v:
        return None
    most = float(np.floor((rested - battery.bms_trip_v - 1) / seen.value))
    return tells(
        "sag-when-low",
        current=quantity(current, "A"),
        loaded=quantity(loaded, "V", ".1f"),
        bms_trip=quantity(battery.bms_trip_v, "V"),
        value=_milliohm(seen.value),
        suggest=lowered(
            e.tune, "drive.battery_current_a", max(most, 1.0), "stays 1 V above the BMS cutoff down to a quarter charge"
        ),
    )


@finding
def pack_cut(e: Evidence) -> Finding | None:
    """The voltage vanished under load: a board that tripped, or a plug that lost contact."""
    if not e.has("pack_v"):
        return None
    volts = e.channel("pack_v")
    gone = volts < 0.4 * np.nanmedian(volts)
    if not gone.any() or not np.nanmedian(volts) > 10:
        return None
    at = float(e.smooth.time_s[int(np.argmax(gone))])
    return tells("pack-cut", span=(at, float(e.smooth.time_s[np.flatnonzero(gone)[-1]])))


@finding
def regen_over_charge(e: Evidence) -> Finding | None:
    """Regen charged harder than the board allows."""
    if not e.has("battery_a"):
        return None
    allowed, amps = e.bike.battery.bms_charge_a, e.channel("battery_a")
    where = amps < -allowed * 1.03
    stretch = e.longest(where, 0.6)
    if stretch is None:
        return None
    most = float(-np.nanmin(amps))
    return tells(
        "regen-over-charge",
        most=quantity(most, "A", ".1f"),
        allowed=quantity(allowed, "A"),
        where=quantity(where.sum() * 0.2, "s", ".0f"),
        span=stretch,
        suggest=lowered(
            e.tune,
            "regen.battery_current_a",
            min(e.tune.regen.battery_current_a, allowed),
            say("braking charges with {allowed} at most", allowed=quantity(allowed, "A")),
        ),
    )


@finding
def over_full(e: Evidence) -> Finding | None:
    """Regen on a pack that was full."""
    if not e.has("pack_v", "battery_a"):
        return None
    most = full_v(e.bike.battery)
    stretch = e.longest((e.channel("pack_v") > most * FULL_SHARE) & (e.channel("battery_a") < -0.5), 0.6)
    if stretch is None:
        return None
    return tells(
        "over-full",
        channel=quantity(np.nanmax(e.channel("pack_v")), "V", ".1f"),
        most=quantity(most, "V", ".1f"),
        span=stretch,
        suggest=lowered(e.tune, "regen.fade_end_v", float(f"{most:.1f}"), "no braking current into a full pack"),
    )


@finding
def regen_useless(e: Evidence) -> Finding | None:
    """Regen is on, and hardly anything came back."""
    share = e.verdict.energy.regen_share
    if (
        e.tune.regen.battery_current_a <= 0
        or not share.known
        or share.high > 0.01
        or e.verdict.energy.distance_km.value < 2
    ):
        return None
    return tells("regen-useless", value=quantity(100 * share.value, "%", ".1f"))
