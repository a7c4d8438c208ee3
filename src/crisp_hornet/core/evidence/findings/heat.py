"""Heat: fades at work, paths that differ from the document, climbing that cannot be held."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, beside, differs, finding, tells
from crisp_hornet.core.evidence.findings.suggestion import Suggestion, learn, lowered
from crisp_hornet.core.evidence.peaks import REACHED
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.saying import quantity, say

DIFFERS = 0.2
HOT_K_PER_MIN, SOON_MIN, OFTEN = 4.0, 6.0, 0.3


@finding
def motor_fade(e: Evidence) -> Finding | None:
    """The motor's heat fade: at work, or with room."""
    return _guard(e, "motor_c", "Motor derating")


@finding
def controller_fade(e: Evidence) -> Finding | None:
    """The controller's heat fade: at work, or with room."""
    return _guard(e, "controller_c", "Controller derating")


def _guard(e: Evidence, channel: str, what: str) -> Finding | None:
    peak = e.peaks.get(channel)
    if peak is None:
        return None
    words = say(
        "highest {value}, derating from {limit}",
        value=quantity(peak.value, "°C", ".1f"),
        limit=quantity(peak.limit, "°C"),
    )
    span = (peak.at_s, peak.at_s)
    if peak.reached:
        at_limit = quantity(peak.at_limit_s, "s", ".0f")
        return tells("heat-fade", as_id=f"{channel}-fade", what=what, words=words, at_limit=at_limit, span=span)
    return tells("heat-room", as_id=f"{channel}-room", what=what, words=words, span=span)


@finding
def fade_soon(e: Evidence) -> Finding | None:
    """It warmed so fast that the fade was minutes away."""
    peak = e.peaks.get("motor_c")
    if peak is None or peak.reached or peak.limit is None:
        return None
    warm = e.channel("motor_c")
    rows = round(60 / STEP_S)
    if len(warm) < 2 * rows:
        return None
    smooth = moving_mean(warm, round(10 / STEP_S))
    gained = smooth[rows:] - smooth[:-rows]
    if not np.isfinite(gained).any():
        return None
    at = int(np.nanargmax(gained))
    rate, left = float(gained[at]), peak.limit - float(smooth[at + rows])
    if rate < HOT_K_PER_MIN or not 0 < left / rate < SOON_MIN:
        return None
    start = float(e.smooth.time_s[at])
    cooler = _cooler(e, at, at + rows)
    why = (
        "The phase current limit set that current: less of it is cooler, and slower there."
        if cooler
        else "The climb needed that current and no limit held it: pedal along, carry less or cooler start help there."
    )
    return tells(
        "fade-soon",
        rate=quantity(rate, "K", ".0f"),
        rate_2=quantity(left / rate, "", ".1f"),
        rows=quantity(smooth[at + rows], "°C", ".0f"),
        limit=quantity(peak.limit, "°C"),
        why=why,
        span=(start, start + 60),
        suggest=cooler,
    )


def _cooler(e: Evidence, first: int, last: int) -> Suggestion | None:
    """A tenth less phase current where it was the limit in that minute. A battery limit only makes the climb slower: the force that a slope
    asks for, and with it the motor's current, stays."""
    most = e.tune.drive.phase_current_a
    if np.sum(e.channel("phase_a")[first:last] >= REACHED * most) < OFTEN * (last - first):
        return None
    return lowered(
        e.tune,
        "drive.phase_current_a",
        float(np.floor(0.9 * most)),
        "a tenth less current makes a fifth less heat in the winding",
    )


@finding
def housing_cools_differently(e: Evidence) -> Finding | None:
    """The motor gives its heat to the air otherwise than the document says."""
    told = e.bike.motor.thermal.housing_to_air_w_per_k
    return _path(
        e.verdict.heat.housing_to_air, told, "housing-cooling", "motor", "motor.thermal.housing_to_air_w_per_k"
    )


@finding
def winding_cools_differently(e: Evidence) -> Finding | None:
    """The winding gives its heat to the housing otherwise than the document says."""
    told = e.bike.motor.thermal.winding_to_housing_w_per_k
    return _path(
        e.verdict.heat.winding_to_housing,
        told,
        "winding-cooling",
        "winding",
        "motor.thermal.winding_to_housing_w_per_k",
    )


@finding
def controller_cools_differently(e: Evidence) -> Finding | None:
    """The controller gives its heat to the air otherwise than the document says."""
    told = e.bike.controller.thermal.to_air_w_per_k
    return _path(
        e.verdict.heat.controller_to_air, told, "controller-cooling", "controller", "controller.thermal.to_air_w_per_k"
    )


def _path(seen: Estimate, told: float, id_: str, what: str, path: str) -> Finding | None:
    if not differs(seen, told, DIFFERS):
        return None
    worse = seen.value < told
    return tells(
        "cooling-differs",
        as_id=id_,
        severity="warn" if worse else "note",
        what=what,
        worse="worse" if worse else "better",
        sooner="sooner" if worse else "later",
        **beside(seen, told, ".2g"),
        suggest=learn(path, seen.value, "minutes to derating are predicted as this ride showed", 3),
    )
