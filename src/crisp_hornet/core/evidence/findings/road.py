"""The road: how the wheel really rolls, what resists, and whether the log can be trusted."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding, tells
from crisp_hornet.core.evidence.findings.suggestion import Suggestion
from crisp_hornet.documents.saying import quantity, say

WHEEL_OFF, ROAD_OFF = 0.007, 0.12
GAPS = 0.05


@finding
def wheel_off(e: Evidence) -> Finding | None:
    """The wheel rolls another way than the bike is told."""
    seen, told = e.verdict.circumference_m, e.bike.drivetrain.wheel_circumference_m
    if not seen.known or abs(seen.value / told - 1) < WHEEL_OFF or seen.low <= told <= seen.high:
        return None
    off = 100 * (told / seen.value - 1)
    return tells(
        "wheel-off",
        off=quantity(abs(off), "%", ".1f"),
        off_2="high" if off > 0 else "low",
        value=quantity(seen.value, "m", ".3f"),
        low=quantity(seen.low, "", ".3f"),
        high=quantity(seen.high, "", ".3f"),
        told=quantity(told, "m", ".3f"),
        severity="warn" if abs(off) > 3 else "note",
        suggest=Suggestion(
            "drivetrain.wheel_circumference_m",
            float(f"{seen.value:.4g}"),
            "speeds, limits and ranges as they really are",
            bike=True,
        ),
    )


@finding
def rolls_differently(e: Evidence) -> Finding | None:
    """Rolling resistance differs from the document."""
    return _road(
        e.verdict.road.crr,
        e.bike.chassis.crr,
        "rolling-differs",
        "rolling resistance",
        "chassis.crr",
        "tyre pressure, a rubbing brake",
    )


@finding
def air_differently(e: Evidence) -> Finding | None:
    """Air resistance differs from the document."""
    return _road(
        e.verdict.road.cda_m2,
        e.bike.chassis.cda_m2,
        "air-differs",
        "air resistance",
        "chassis.cda_m2",
        "seat, bags and clothes",
    )


def _road(seen: Estimate, told: float, id_: str, what: str, path: str, causes: str) -> Finding | None:
    if not seen.known or abs(seen.value / told - 1) < ROAD_OFF or seen.low <= told <= seen.high:
        return None
    more = seen.value > told
    return Finding(
        id_,
        "note",
        say(
            "The {what} is {told} {more} than the bike document says",
            what=what,
            told=quantity(100 * abs(seen.value / told - 1), "%", ".0f"),
            more="greater" if more else "smaller",
        ),
        say(
            "{value} {unit} ({low} to {high}), not {told}. It depends on {causes}.",
            value=quantity(seen.value, "", ".3g"),
            unit=seen.unit,
            low=quantity(seen.low, "", ".3g"),
            high=quantity(seen.high, "", ".3g"),
            told=quantity(told, "", ".3g"),
            causes=causes,
        ).replace("  ", " "),
        suggest=Suggestion(
            path, float(f"{seen.value:.3g}"), "speeds on hills and ranges are predicted as this ride rolled", bike=True
        ),
    )


@finding
def gaps(e: Evidence) -> Finding | None:
    """A log with holes proves less."""
    steps = np.diff(e.log.time_s)
    if len(steps) < 10:
        return None
    holes = steps[steps > max(6 * float(np.median(steps)), 2.0)]
    missing = float(holes.sum()) / float(e.log.time_s[-1])
    if missing < GAPS:
        return None
    at = int(np.argmax(steps))
    return tells(
        "log-gaps",
        missing=quantity(100 * missing, "%", ".0f"),
        holes=len(holes),
        at=quantity(steps[at], "s", ".0f"),
        span=(float(e.log.time_s[at]), float(e.log.time_s[at + 1])),
    )
