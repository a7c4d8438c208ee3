"""The road: how the wheel really rolls, what resists, and whether the log can be trusted."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding
from crisp_hornet.core.evidence.findings.suggestion import Suggestion

WHEEL_OFF, ROAD_OFF = 0.007, 0.12
GAPS = 0.05


@finding
def wheel_off(e: Evidence) -> Finding | None:
    """The wheel rolls another way than the bike is told."""
    seen, told = e.verdict.circumference_m, e.bike.drivetrain.wheel_circumference_m
    if not seen.known or abs(seen.value / told - 1) < WHEEL_OFF or seen.low <= told <= seen.high:
        return None
    off = 100 * (told / seen.value - 1)
    return Finding(
        "wheel-off", "warn" if abs(off) > 3 else "note", f"The speed shown is {abs(off):.1f} % too {'high' if off > 0 else 'low'}",
        f"By GPS the wheel rolls {seen.value:.3f} m ({seen.low:.3f} to {seen.high:.3f}), not {told:.3f} m. Speed limits, ranges and "
        "predictions are off by as much.",
        suggest=Suggestion(
            "drivetrain.wheel_circumference_m", float(f"{seen.value:.4g}"), "speeds, limits and ranges as they really are", bike=True
        ),
    )  # fmt: skip


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
        id_, "note",
        f"The {what} is {100 * abs(seen.value / told - 1):.0f} % {'greater' if more else 'smaller'} than the bike document says",
        f"{seen.value:.3g} {seen.unit} ({seen.low:.3g} to {seen.high:.3g}), not {told:.3g}. It depends on {causes}.".replace("  ", " "),
        suggest=Suggestion(path, float(f"{seen.value:.3g}"), "speeds on hills and ranges are predicted as this ride rolled", bike=True),
    )  # fmt: skip


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
    return Finding(
        "log-gaps", "note", f"{100 * missing:.0f} % of the ride was not recorded",
        f"{len(holes)} gaps, the longest {steps[at]:.0f} s. Energy and distance are those of the rest.",
        float(e.log.time_s[at]), float(e.log.time_s[at + 1]),
    )  # fmt: skip
