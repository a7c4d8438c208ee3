"""The pack: tired or stiff, close to what its board cuts at, charged by regen."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding
from crisp_hornet.core.evidence.findings.suggestion import Suggestion
from crisp_hornet.core.pack.cells import full_v, rested_or_typical_v, tiredness
from crisp_hornet.documents.bike import Bike

TIRED, STIFF = 0.15, -0.12
NEAR_TRIP_V, LOW_CHARGE = 1.5, 0.25
FULL_SHARE = 1.004


@finding
def low_voltage_fade(e: Evidence) -> Finding | None:
    """The low-voltage fade: at work, or with room."""
    peak = e.peaks.get("pack_v")
    if peak is None:
        return None
    words = f"lowest {peak.value:.1f} V, fade from {peak.limit:g} V"
    if peak.reached:
        return Finding(
            "pack_v-fade",
            "warn",
            "The low-voltage fade was at work",
            f"{words}, for {peak.at_limit_s:.0f} s.",
            peak.at_s,
            peak.at_s,
        )
    return Finding(
        "pack_v-room",
        "settled",
        "The low-voltage fade had room",
        f"{words}: not proven on this ride.",
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
        "pack-tired", "warn", f"The pack resists {100 * tiredness(seen.value, told):.0f} % more than the bike document says",
        f"{_milliohm(seen.value)} ({_milliohm(seen.low)} to {_milliohm(seen.high)}), not {_milliohm(told)}: at the set current it sags "
        f"{sag:.1f} V deeper. Age, cold or a poor joint do this; a warm plug shows which.",
        suggest=_learn(e.bike, seen.value),
    )  # fmt: skip


@finding
def pack_stiffer(e: Evidence) -> Finding | None:
    """Less resistance than the document says."""
    seen, told = e.verdict.resistance_ohm, e.bike.battery.resistance_ohm
    if not seen.known or tiredness(seen.value, told) > STIFF or seen.high >= told:
        return None
    return Finding(
        "pack-stiffer", "note", f"The pack resists {-100 * tiredness(seen.value, told):.0f} % less than the bike document says",
        f"{_milliohm(seen.value)} ({_milliohm(seen.low)} to {_milliohm(seen.high)}), not {_milliohm(told)}: it sags less than predicted.",
        suggest=_learn(e.bike, seen.value),
    )  # fmt: skip


def _learn(bike: Bike, ohm: float) -> Suggestion:
    return Suggestion(
        "battery.resistance_ohm",
        float(f"{ohm:.4g}"),
        f"predictions for {bike.name} sag as the pack really does",
        bike=True,
    )


def _milliohm(ohm: float) -> str:
    return f"{1000 * ohm:.0f} mΩ"


@finding
def trip_near(e: Evidence) -> Finding | None:
    """The pack came close to the voltage at which its board switches off."""
    peak, trip = e.peaks.get("pack_v"), e.bike.battery.bms_trip_v
    if peak is None or not trip < peak.value < trip + NEAR_TRIP_V:
        return None
    start = trip + NEAR_TRIP_V + 2
    return Finding(
        "trip-near", "warn", f"The pack fell to {peak.value:.1f} V; its board switches off at {trip:g} V",
        "A cut at that moment takes drive and lights. Start the low-voltage fade earlier, or ask for less current.", peak.at_s, peak.at_s,
        Suggestion("battery_guard.fade_start_v", start, f"the current is eased from {start:g} V on, before the board cuts"),
    )  # fmt: skip


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
        "sag-when-low", "warn", f"At a quarter of its charge {current:g} A would pull the pack to {loaded:.1f} V",
        f"Its board switches off at {battery.bms_trip_v:g} V, and no fade begins before. By the resistance this ride showed "
        f"({_milliohm(seen.value)}).",
        suggest=Suggestion("drive.battery_current_a", max(most, 1.0), "stays a volt above the trip down to a quarter of the charge"),
    )  # fmt: skip


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
        "pack-cut", "warn", "The pack's voltage vanished while riding",
        "A board that tripped or a plug that lost contact: look at both before the next ride. What is said of this ride ends before it.",
        at, float(e.smooth.time_s[np.flatnonzero(gone)[-1]]),
    )  # fmt: skip


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
        "regen-over-charge", "warn", f"Regen charged with up to {most:.1f} A; the pack's board allows {allowed:g} A",
        f"For {where.sum() * 0.2:.0f} s in all. A board that opens then lets the voltage jump.", *stretch,
        Suggestion("regen.battery_current_a", min(e.tune.regen.battery_current_a, allowed), f"braking charges with {allowed:g} A at most"),
    )  # fmt: skip


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
        "over-full", "warn", f"Regen lifted the pack to {np.nanmax(e.channel('pack_v')):.1f} V; full it has {most:.1f} V",
        "Cells above their full voltage age at once. Let regen fade earlier.", *stretch,
        Suggestion("regen.fade_end_v", float(f"{most:.1f}"), "no braking current into a full pack"),
    )  # fmt: skip


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
        "regen-useless", "note", f"Regen is on and gave back {100 * share.value:.1f} % of what was drawn",
        "Never used, faded away by a full pack, or no lever calls for it. It wears no brake pads only where it is used.",
    )  # fmt: skip
