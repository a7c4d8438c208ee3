"""Which limit was reached, which never was, and how the pull stands to the predicted edge."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import ROOM, Evidence, Finding, finding, tells
from crisp_hornet.core.evidence.findings.suggestion import Suggestion, lowered, raised
from crisp_hornet.core.evidence.peaks import REACHED, sample_seconds
from crisp_hornet.core.ride.measured_pull import FULL_THROTTLE
from crisp_hornet.documents.saying import quantity, say

OFF_EDGE = 0.04  # so much off the predicted force is worth saying
SELDOM, MOSTLY, BRIEFLY = 0.02, 0.4, 0.005  # shares of the ride, of full throttle
STEP, BOARD_SHARE, HOT_K, LOW_V = 1.1, 0.95, 20.0, 1.0


@finding
def battery_limit(e: Evidence) -> Finding | None:
    """The battery current limit: reached, or not proven."""
    return _limit(e, "battery_a", "battery current", "drive.battery_current_a")


@finding
def phase_limit(e: Evidence) -> Finding | None:
    """The phase current limit: reached, or not proven."""
    return _limit(e, "phase_a", "phase current", "drive.phase_current_a")


def _limit(e: Evidence, channel: str, what: str, path: str) -> Finding | None:
    peak = e.peaks.get(channel)
    if peak is None or peak.limit is None:
        return None
    head = say(
        "{what} peak {value}, limit {limit}",
        what=what.capitalize(),
        value=quantity(peak.value, "A", ".1f"),
        limit=quantity(peak.limit, "A"),
    )
    if not peak.reached:
        return Finding(
            f"{channel}-not-reached",
            "note",
            say("{head}: never reached", head=head),
            "Raising it would change nothing on a ride like this.",
            peak.at_s,
            peak.at_s,
        )
    seconds = sample_seconds(e.log.time_s)
    with np.errstate(invalid="ignore"):
        full = e.log.get("throttle") >= FULL_THROTTLE
        at_limit = e.log.get(channel) >= REACHED * (peak.limit or np.inf)
    full_s = float(seconds[full].sum())
    share = float(seconds[full & at_limit].sum()) / full_s if full_s > 0 else 0.0
    reason: str = say(
        "It was the limit for {share} of full throttle ({at_limit} in all).",
        share=quantity(100 * share, "%", ".0f"),
        at_limit=quantity(peak.at_limit_s, "s", ".0f"),
    )
    if share < BRIEFLY:
        reason = "For a moment only: it hardly held the bike back."
    more = _next_step(e, path) if share > MOSTLY else None
    return Finding(f"{channel}-reached", "note", say("{head}: reached", head=head), reason, peak.at_s, peak.at_s, more)


def _next_step(e: Evidence, path: str) -> Suggestion | None:
    """A tenth more of a current that held the bike back; none where heat or voltage were near their fades, or a part allows no more."""
    near = [
        peak.limit is not None and abs(peak.limit - peak.value) < room
        for name, room in (("motor_c", HOT_K), ("controller_c", HOT_K), ("pack_v", LOW_V))
        if (peak := e.peaks.get(name))
    ]
    battery, controller = e.bike.battery, e.bike.controller
    parts: tuple[float | None, ...]
    if path == "drive.battery_current_a":
        parts = (
            controller.max_battery_current_a,
            BOARD_SHARE * battery.bms_discharge_a,
            battery.fuse_a,
            battery.wiring_a,
        )
        effective = effective_limits(e.bike, e.tune).battery_current_a
    else:
        parts = (controller.max_phase_current_a, e.bike.motor.demagnetising_a)
        effective = effective_limits(e.bike, e.tune).phase_current_a
    now = e.tune.setting(path)
    step = float(round(STEP * (now or 0.0)))
    if any(near) or now is None or effective.owner != "tune" or step > min(part for part in parts if part is not None):
        return None
    return raised(
        e.tune, path, step, "a tenth more is the next step, if more pull is wanted; heat and sag had room on this ride"
    )


@finding
def speed_cap(e: Evidence) -> Finding | None:
    """The speed limit held the bike back."""
    peak = e.peaks.get("wheel_speed_kmh")
    if peak is None or not peak.reached or peak.at_limit_s < 5:
        return None
    return tells(
        "speed-cap-reached",
        limit=quantity(peak.limit, "km/h"),
        at_limit=quantity(peak.at_limit_s, "s", ".0f"),
        span=(peak.at_s, peak.at_s),
    )


@finding
def hardly_full(e: Evidence) -> Finding | None:
    """Full throttle was hardly used: nothing about the limits is proven."""
    if not e.has("throttle", "wheel_speed_kmh"):
        return None
    moving = e.channel("wheel_speed_kmh") > 2
    throttle = e.channel("throttle")
    if moving.sum() < 600 or not np.nanmax(throttle) > 0.3:
        return None
    share = float(np.mean(throttle[moving] >= FULL_THROTTLE))
    if share >= SELDOM:
        return None
    return tells("hardly-full", share=quantity(100 * share, "%", ".1f"))


@finding
def under_edge(e: Evidence) -> Finding | None:
    """Less pull than predicted where the currents limit."""
    return _off_edge(e, under=True)


@finding
def over_edge(e: Evidence) -> Finding | None:
    """More pull than predicted where the currents limit."""
    return _off_edge(e, under=False)


def _off_edge(e: Evidence, under: bool) -> Finding | None:
    if e.verdict.pull is None or e.curve is None:
        return None
    motion = e.verdict.pull.by_speed
    for limit, share in (("battery", e.verdict.pull.battery), ("phase", e.verdict.pull.phase)):
        if f"drive.{limit}_current_a" in e.tune.unknown or not share.known or not _clear(share, under):
            continue
        less = "less" if under else "more"
        why = (
            "A tired pack, a longer wheel or a weaker motor than set on Build would do this."
            if under
            else "A current sensor that reads too little, or a stronger motor than set on Build, would do this."
        )
        at = _first_full(e)
        return Finding(
            f"{'under' if under else 'over'}-edge",
            "warn" if under else "note",
            say(
                "{value} {less} pull from current than predicted where the {limit} current limits",
                value=quantity(100 * abs(1 - share.value), "%", ".0f"),
                less=less,
                limit=limit,
            ),
            say(
                "{low} to {high} of the predicted force with 95 % confidence. {motion} {why}",
                low=quantity(100 * share.low, "", ".0f"),
                high=quantity(100 * share.high, "%", ".0f"),
                motion=_from_motion(motion),
                why=why,
            ),
            at,
            at,
        )
    return None


def _from_motion(share: Estimate) -> str:
    """The independent word on it: pull from current counts with the motor constant on Build."""
    if not share.known:
        return "This counts with the motor constant on Build; from motion alone the ride does not tell it."
    return say(
        "From motion, without any current or motor constant: {low} to {high}.",
        low=quantity(100 * share.low, "", ".0f"),
        high=quantity(100 * share.high, "%", ".0f"),
    )


def _clear(share: Estimate, under: bool) -> bool:
    off = (1 - share.value) if under else (share.value - 1)
    return off > OFF_EDGE and off > ROOM * share.half_width


def _first_full(e: Evidence) -> float | None:
    rows = np.flatnonzero(e.channel("throttle") >= FULL_THROTTLE)
    return float(e.smooth.time_s[rows[len(rows) // 2]]) if rows.size else None


@finding
def weakening_unused(e: Evidence) -> Finding | None:
    """Field weakening is set, and the d-current never went there."""
    set_a = e.tune.drive.field_weakening_a
    if set_a <= 0 or not e.has("d_axis_a", "wheel_speed_kmh"):
        return None
    most = float(-np.nanmin(e.channel("d_axis_a")))
    if most > 0.25 * set_a:
        return None
    return tells(
        "weakening-unused",
        set=quantity(set_a, "A"),
        most=quantity(max(most, 0), "A", ".1f"),
        suggest=lowered(
            e.tune,
            "drive.field_weakening_a",
            0.0,
            "no change on a ride like this, and no braking should weakening fail",
        ),
    )
