"""The road: how the wheel really rolls, what resists, and whether the log can be trusted."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, apart, beside, differs, finding, tells
from crisp_hornet.core.evidence.findings.suggestion import learn
from crisp_hornet.documents.saying import quantity

WHEEL_OFF, ROAD_OFF = 0.007, 0.12
GAPS, LONG_GAP_S = 0.05, 10.0


@finding
def wheel_off(e: Evidence) -> Finding | None:
    """The wheel rolls another way than the bike is told."""
    seen, told = e.verdict.circumference_m, e.bike.drivetrain.wheel_circumference_m
    if not differs(seen, told, WHEEL_OFF):
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
        suggest=learn("drivetrain.wheel_circumference_m", seen.value, "speeds, limits and ranges as they really are"),
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
    if not differs(seen, told, ROAD_OFF):
        return None
    more = seen.value > told
    return tells(
        "road-differs",
        as_id=id_,
        what=what,
        share=apart(seen, told),
        more="greater" if more else "smaller",
        unit=f" {seen.unit}" if seen.unit else "",
        causes=causes,
        **beside(seen, told, ".3g"),
        suggest=learn(path, seen.value, "speeds on hills and ranges are predicted as this ride rolled", 3),
    )


@finding
def gaps(e: Evidence) -> Finding | None:
    """A log with holes proves less."""
    steps = np.diff(e.log.time_s)
    if len(steps) < 10:
        return None
    holes = steps[steps > max(6 * float(np.median(steps)), 2.0)]
    missing = float(holes.sum()) / float(e.log.time_s[-1])
    if missing < GAPS and not (holes.size and float(holes.max()) >= LONG_GAP_S):
        return None
    at = int(np.argmax(steps))
    return tells(
        "log-gaps",
        missing=quantity(100 * missing, "%", ".0f" if missing >= 0.01 else ".1f"),
        holes="1 gap" if len(holes) == 1 else f"{len(holes)} gaps",
        at=quantity(steps[at], "s", ".0f"),
        span=(float(e.log.time_s[at]), float(e.log.time_s[at + 1])),
    )
