"""The motor: another constant or winding than the document's, and what field weakening gave for its heat."""

from __future__ import annotations

from crisp_hornet.core.evidence.findings.kinds import (
    SAME_FLUX,
    Evidence,
    Finding,
    apart,
    beside,
    differs,
    finding,
    how_sure,
    tells,
)
from crisp_hornet.core.evidence.findings.suggestion import learn, lowered
from crisp_hornet.documents.saying import quantity, say

OHM_OFF, EFFICIENCY_OFF = 0.15, 0.06
POOR_KMH, POOR_N = 0.5, 2.0


@finding
def motor_constant_differs(e: Evidence) -> Finding | None:
    """Another flux linkage than the document's, or a battery current sensor that makes it look so: pull from motion tells which, where it
    is known well enough."""
    seen, told = e.verdict.motor.flux_linkage_wb, e.bike.motor.flux_linkage_wb
    if not differs(seen, told, SAME_FLUX):
        return None
    moved = e.verdict.motor.flux_by_motion_wb
    as_told, as_seen = (moved.known and moved.low <= one <= moved.high for one in (told, seen.value))
    more = seen.value > told
    severity = how_sure(seen, told, e.spread("motor.flux_linkage_wb"))
    if as_told and not as_seen and severity == "warn":
        return tells(
            "battery-gain",
            share=apart(seen, told),
            little="much" if more else "little",
            **beside(seen, told, ".1f", 1000)
            | beside(moved, told, ".1f", 1000)
            | {"value": quantity(1000 * seen.value, "", ".1f")},
        )
    sure = e.by_motion_it_is_the_motor
    return tells(
        "motor-constant",
        share=apart(seen, told),
        more="greater" if more else "smaller",
        pull="more" if more else "less",
        speed="lower" if more else "higher",
        causes=_sure_causes(more) if sure else _causes(more),
        **beside(seen, told, ".1f", 1000),
        severity=severity,
        suggest=learn("motor.flux_linkage_wb", seen.value, "pull and base speed as this ride showed them")
        if sure or e.bike.sensors.gain_checked("battery_a") or severity == "note"
        else None,
    )


def _sure_causes(more: bool) -> str:
    return (
        "Pull from motion says the same: another winding, or a kV measured another way."
        if more
        else "Pull from motion says the same: another winding, hot or weakened magnets, or a kV measured another way."
    )


def _causes(more: bool) -> str:
    return (
        "Another winding, a kV measured another way, or a battery current sensor that reads too much: a clamp meter tells."
        if more
        else "Another winding, hot or weakened magnets, or a battery current sensor that reads too little: a clamp meter tells."
    )


@finding
def winding_differs(e: Evidence) -> Finding | None:
    """Another resistance of the winding than the document's."""
    seen, told = e.verdict.motor.winding_ohm, e.bike.motor.phase_resistance_ohm
    if not differs(seen, told, OHM_OFF):
        return None
    more = seen.value > told
    return tells(
        "winding-resistance",
        share=apart(seen, told),
        more="more" if more else "less",
        at=quantity(25, "°C"),
        advice=": feel whether one of them is hot" if more else "",
        **beside(seen, told, ".1f", 1000),
        severity=how_sure(seen, told, e.spread("motor.phase_resistance_ohm"))
        if more and not e.battery_doubtful
        else "note",
        suggest=learn("motor.phase_resistance_ohm", seen.value, "heat and losses as this ride showed them"),
    )


@finding
def less_reaches_the_road(e: Evidence) -> Finding | None:
    """Less of the pack's power reaches the road than predicted."""
    seen, told = e.verdict.motor.efficiency, e.verdict.motor.efficiency_told
    if not (seen.known and told > 0) or seen.high >= told or told - seen.value < EFFICIENCY_OFF:
        return None
    return tells(
        "lost-on-the-way",
        value=quantity(100 * seen.value, "%", ".0f"),
        told=quantity(100 * told, "%", ".0f"),
        low=quantity(100 * seen.low, "", ".0f"),
        high=quantity(100 * seen.high, "%", ".0f"),
    )


@finding
def weakening_gain(e: Evidence) -> Finding | None:
    """What field weakening gave, and what it cost."""
    one = e.verdict.weakening
    if one is None or not one.gain_n.known:
        return None
    faster = ""
    if one.gain_kmh.known:
        faster = say(
            ", {value} at the top ({low} to {high})",
            value=quantity(one.gain_kmh.value, "km/h", "+.1f"),
            low=quantity(one.gain_kmh.low, "", "+.1f"),
            high=quantity(one.gain_kmh.high, "", "+.1f"),
        )
    heat = (
        say(" for {value} more heat in the winding", value=quantity(one.heat_w.value, "W", ".0f"))
        if one.heat_w.known
        else ""
    )
    reason = say(
        "{low} to {high}{faster}{heat}, in the {seconds} it was at work at full throttle.",
        low=quantity(one.gain_n.low, "N", "+.0f", bare=True),
        high=quantity(one.gain_n.high, "N", "+.0f"),
        faster=faster,
        heat=heat,
        seconds=quantity(one.seconds, "s", ".0f"),
    )
    if one.gain_n.high < POOR_N or (one.gain_kmh.known and one.gain_kmh.high < POOR_KMH):
        return tells(
            "weakening-poor",
            reason=reason,
            span=(one.at_s, one.at_s),
            suggest=lowered(
                e.tune, "drive.field_weakening_a", 0.0, "the same pull, cooler, and no braking should weakening fail"
            ),
        )
    return tells(
        "weakening-gain", value=quantity(one.gain_n.value, "N", ".0f"), reason=reason, span=(one.at_s, one.at_s)
    )


@finding
def timed_worse(e: Evidence) -> Finding | None:
    """A stopwatch says that it is slower than predicted."""
    worse = [one for one in e.verdict.timed if one.worse]
    if not worse:
        return None
    one = max(worse, key=lambda each: abs(each.seen.value / each.predicted - 1))
    return tells("timed-slower", in_words=one.in_words)
