"""The pack: tired or stiff, close to what its board cuts at, charged by regen."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding
from crisp_hornet.core.evidence.findings.suggestion import Suggestion
from crisp_hornet.core.pack.cells import full_v, rested_or_typical_v, tiredness
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

TIRED, STIFF = 0.15, -0.12
NEAR_TRIP_V, LOW_CHARGE = 1.5, 0.25
FULL_SHARE = 1.004


@finding
def low_voltage_fade(e: Evidence) -> Finding | None:
    """The low-voltage fade: at work, or with room."""
    peak = e.peaks.get("pack_v")
    if peak is None:
        return None
    words = say(
        "lowest {value}, fade from {limit}", value=quantity(peak.value, "V", ".1f"), limit=quantity(peak.limit, "V")
    )
    if peak.reached:
        return Finding(
            "pack_v-fade",
            "warn",
            "The low-voltage fade was at work",
            say("{words}, for {at_limit}.", words=words, at_limit=quantity(peak.at_limit_s, "s", ".0f")),
            peak.at_s,
            peak.at_s,
        )
    return Finding(
        "pack_v-room",
        "settled",
        "The low-voltage fade had room",
        say("{words}: not proven on this ride.", words=words),
        peak.at_s,
        peak.at_s,
    )


@finding
def pack_tired(e: Evidence) -> Finding | None:
    """More resistance than the document says."""
    seen, told = e.verdict.resistance_ohm, e.bike.battery.resistance_ohm
    if not seen.known or tiredness(seen.value, told) < TIRED or seen.low <= told:
        return None
    sag = (e.tune.drive.battery_current_a or 0) * (seen.value - told)
    return Finding(
        "pack-tired",
        "warn",
        say(
            "The pack resists {told} more than the bike document says",
            told=quantity(100 * tiredness(seen.value, told), "%", ".0f"),
        ),
        say(
            "{value} ({low} to {high}), not {told}: at the set current it sags {sag} deeper. Age, "
            "cold or a poor joint do this; a warm plug shows which.",
            value=_milliohm(seen.value),
            low=_milliohm(seen.low),
            high=_milliohm(seen.high),
            told=_milliohm(told),
            sag=quantity(sag, "V", ".1f"),
        ),
        suggest=_learn(e.bike, seen.value),
    )


@finding
def pack_stiffer(e: Evidence) -> Finding | None:
    """Less resistance than the document says."""
    seen, told = e.verdict.resistance_ohm, e.bike.battery.resistance_ohm
    if not seen.known or tiredness(seen.value, told) > STIFF or seen.high >= told:
        return None
    return Finding(
        "pack-stiffer",
        "note",
        say(
            "The pack resists {told} less than the bike document says",
            told=quantity(-100 * tiredness(seen.value, told), "%", ".0f"),
        ),
        say(
            "{value} ({low} to {high}), not {told}: it sags less than predicted.",
            value=_milliohm(seen.value),
            low=_milliohm(seen.low),
            high=_milliohm(seen.high),
            told=_milliohm(told),
        ),
        suggest=_learn(e.bike, seen.value),
    )


def _learn(bike: Bike, ohm: float) -> Suggestion:
    return Suggestion(
        "battery.resistance_ohm",
        float(f"{ohm:.4g}"),
        say("predictions for {name} sag as the pack really does", name=bike.name),
        bike=True,
    )


def _milliohm(ohm: float) -> str:
    return say("{ohm}", ohm=quantity(1000 * ohm, "mΩ", ".0f"))


@finding
def trip_near(e: Evidence) -> Finding | None:
    """The pack came close to the voltage at which its board switches off."""
    peak, trip = e.peaks.get("pack_v"), e.bike.battery.bms_trip_v
    if peak is None or not trip < peak.value < trip + NEAR_TRIP_V:
        return None
    start = trip + NEAR_TRIP_V + 2
    return Finding(
        "trip-near",
        "warn",
        say(
            "The pack fell to {value}; its board switches off at {trip}",
            value=quantity(peak.value, "V", ".1f"),
            trip=quantity(trip, "V"),
        ),
        "A cut at that moment takes drive and lights. Start the low-voltage fade earlier, or ask for less current.",
        peak.at_s,
        peak.at_s,
        Suggestion(
            "battery_guard.fade_start_v",
            start,
            say("the current is eased from {start} on, before the board cuts", start=quantity(start, "V")),
        ),
    )


@finding
def sag_when_low(e: Evidence) -> Finding | None:
    """With the resistance seen, the set current would pull a nearly empty pack under the board's trip."""
    seen, battery, current = e.verdict.resistance_ohm, e.bike.battery, e.tune.drive.battery_current_a
    if not seen.known or e.tune.battery_guard.fade_start_v > battery.bms_trip_v + 1:
        return None
    rested = rested_or_typical_v(battery, LOW_CHARGE)
    loaded = rested - current * seen.value
    if loaded > battery.bms_trip_v:
        return None
    most = float(np.floor((rested - battery.bms_trip_v - 1) / seen.value))
    return Finding(
        "sag-when-low",
        "warn",
        say(
            "At a quarter of its charge {current} would pull the pack to {loaded}",
            current=quantity(current, "A"),
            loaded=quantity(loaded, "V", ".1f"),
        ),
        say(
            "Its board switches off at {bms_trip}, and no fade begins before. By the resistance this "
            "ride showed ({value}).",
            bms_trip=quantity(battery.bms_trip_v, "V"),
            value=_milliohm(seen.value),
        ),
        suggest=Suggestion(
            "drive.battery_current_a", max(most, 1.0), "stays a volt above the trip down to a quarter of the charge"
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
    return Finding(
        "pack-cut",
        "warn",
        "The pack's voltage vanished while riding",
        "A board that tripped or a plug that lost contact: look at both before the next ride. What is said of this ride ends before it.",
        at,
        float(e.smooth.time_s[np.flatnonzero(gone)[-1]]),
    )


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
    return Finding(
        "regen-over-charge",
        "warn",
        say(
            "Regen charged with up to {most}; the pack's board allows {allowed}",
            most=quantity(most, "A", ".1f"),
            allowed=quantity(allowed, "A"),
        ),
        say(
            "For {where} in all. A board that opens then lets the voltage jump.",
            where=quantity(where.sum() * 0.2, "s", ".0f"),
        ),
        *stretch,
        Suggestion(
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
    return Finding(
        "over-full",
        "warn",
        say(
            "Regen lifted the pack to {channel}; full it has {most}",
            channel=quantity(np.nanmax(e.channel("pack_v")), "V", ".1f"),
            most=quantity(most, "V", ".1f"),
        ),
        "Cells above their full voltage age at once. Let regen fade earlier.",
        *stretch,
        Suggestion("regen.fade_end_v", float(f"{most:.1f}"), "no braking current into a full pack"),
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
    return Finding(
        "regen-useless",
        "note",
        say("Regen is on and gave back {value} of what was drawn", value=quantity(100 * share.value, "%", ".1f")),
        "Never used, faded away by a full pack, or no lever calls for it. It wears no brake pads only where it is used.",
    )
