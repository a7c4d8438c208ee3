"""The motor: another constant or winding than the document's, and what field weakening gave for its heat."""

from __future__ import annotations

from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding
from crisp_hornet.core.evidence.findings.suggestion import Suggestion

FLUX_OFF, OHM_OFF, EFFICIENCY_OFF = 0.04, 0.15, 0.06
POOR_KMH, POOR_N = 0.5, 2.0


@finding
def motor_constant_differs(e: Evidence) -> Finding | None:
    """Another flux linkage than the document's."""
    seen, told = e.verdict.motor.flux_linkage_wb, e.bike.motor.flux_linkage_wb
    if not _off(seen, told, FLUX_OFF):
        return None
    more = seen.value > told
    return Finding(
        "motor-constant", "warn",
        f"The motor's constant is {100 * abs(seen.value / told - 1):.0f} % {'greater' if more else 'smaller'} than the bike document says",
        f"{1000 * seen.value:.1f} mWb ({1000 * seen.low:.1f} to {1000 * seen.high:.1f}), not {1000 * told:.1f}: "
        f"{'more' if more else 'less'} pull for an ampere, {'lower' if more else 'higher'} base speed. Another winding, "
        f"{'a' if more else 'hot or weakened magnets, a'} current sensor with a wrong gain, or a kV measured another way.",
        suggest=Suggestion("motor.flux_linkage_wb", float(f"{seen.value:.4g}"), "pull and base speed as this ride showed them", bike=True),
    )  # fmt: skip


@finding
def winding_differs(e: Evidence) -> Finding | None:
    """Another resistance of the winding than the document's."""
    seen, told = e.verdict.motor.winding_ohm, e.bike.motor.phase_resistance_ohm
    if not _off(seen, told, OHM_OFF):
        return None
    more = seen.value > told
    return Finding(
        "winding-resistance", "warn" if more else "note",
        f"The winding resists {100 * abs(seen.value / told - 1):.0f} % {'more' if more else 'less'} than the bike document says",
        f"{1000 * seen.value:.1f} mΩ at 25 °C ({1000 * seen.low:.1f} to {1000 * seen.high:.1f}), not {1000 * told:.1f}. Phase leads and "
        f"their plugs are in it{': feel whether one of them is hot' if more else ''}.",
        suggest=Suggestion("motor.phase_resistance_ohm", float(f"{seen.value:.4g}"), "heat and losses as this ride showed them", bike=True),
    )  # fmt: skip


def _off(seen: Estimate, told: float, share: float) -> bool:
    return seen.known and abs(seen.value / told - 1) > share and not seen.low <= told <= seen.high


@finding
def less_reaches_the_road(e: Evidence) -> Finding | None:
    """Less of the pack's power reaches the road than predicted."""
    seen, told = e.verdict.motor.efficiency, e.verdict.motor.efficiency_told
    if not (seen.known and told > 0) or seen.high >= told or told - seen.value < EFFICIENCY_OFF:
        return None
    return Finding(
        "lost-on-the-way", "warn",
        f"{100 * seen.value:.0f} % of the pack's power reached the road at full throttle, {100 * told:.0f} % were predicted",
        f"{100 * seen.low:.0f} to {100 * seen.high:.0f} %. More weight than the document has, a rubbing brake, a dry chain or a soft tyre "
        "takes it, or head wind did.",
    )  # fmt: skip


@finding
def weakening_gain(e: Evidence) -> Finding | None:
    """What field weakening gave, and what it cost."""
    one = e.verdict.weakening
    if one is None or not one.gain_n.known:
        return None
    faster = ""
    if one.gain_kmh.known:
        faster = f", {one.gain_kmh.value:+.1f} km/h at the top ({one.gain_kmh.low:+.1f} to {one.gain_kmh.high:+.1f})"
    heat = f" for {one.heat_w.value:.0f} W more heat in the winding" if one.heat_w.known else ""
    reason = f"{one.gain_n.low:+.0f} to {one.gain_n.high:+.0f} N{faster}{heat}, in the {one.seconds:.0f} s it was at work at full throttle."
    if one.gain_n.high < POOR_N or (one.gain_kmh.known and one.gain_kmh.high < POOR_KMH):
        return Finding(
            "weakening-poor", "note", "Field weakening was at work and gave next to nothing", f"{reason} Another limit binds there.",
            one.at_s, one.at_s, Suggestion("drive.field_weakening_a", 0.0, "the same pull, cooler, and no braking should weakening fail"),
        )  # fmt: skip
    return Finding(
        "weakening-gain", "note", f"Field weakening gave {one.gain_n.value:.0f} N", reason, one.at_s, one.at_s
    )


@finding
def timed_worse(e: Evidence) -> Finding | None:
    """A stopwatch says that it is slower than predicted."""
    worse = [one for one in e.verdict.timed if one.worse]
    if not worse:
        return None
    one = max(worse, key=lambda each: abs(each.seen.value / each.predicted - 1))
    return Finding(
        "timed-slower", "note", f"By the stopwatch it is slower than predicted: {one.in_words}",
        "If it was at full throttle: more weight than the document has, a tired pack, a rubbing brake or a soft tyre do this; so does a "
        "limit that something else in the chain imposes.",
    )  # fmt: skip
