"""Heat: fades at work, paths that differ from the document, climbing that cannot be held."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, beside, differs, finding, how_sure, tells
from crisp_hornet.core.evidence.findings.suggestion import Suggestion, learn, lowered
from crisp_hornet.core.evidence.heat_seen import peak_again
from crisp_hornet.core.evidence.peaks import REACHED
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.saying import quantity, say

DIFFERS = 0.2
HOT_K_PER_MIN, SOON_MIN, OFTEN = 4.0, 1.5, 0.3
LEAST_RISE_K, CLIMB_S = 12.0, 300.0
FOOT = 0.1  # of the rise: until then the climb has not begun


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
    if peak is None or peak.limit is None:
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
    """The way, or the same climb once more, would have reached the fade."""
    peak = e.peaks.get("motor_c")
    if peak is None or peak.reached or peak.limit is None:
        return None
    warm = moving_mean(e.channel("motor_c"), round(10 / STEP_S))
    rows = round(60 / STEP_S)
    if len(warm) < 2 * rows or not np.isfinite(warm).all():
        return None
    first, top = _hardest(warm)
    end, rise = float(warm[-1]), float(warm[top] - warm[first])
    rate = float(warm[-1] - warm[-1 - rows])
    goes_on = rate >= HOT_K_PER_MIN and (peak.limit - end) / rate < SOON_MIN
    if rise < LEAST_RISE_K or not (goes_on or end + rise >= peak.limit):
        return None
    start, stop = (float(e.smooth.time_s[at]) for at in (first, top))
    if not goes_on and min(peak_again(e.smooth, e.bike, start, stop, end), end + rise) < peak.limit:
        return None
    cooler = _cooler(e, first, top)
    why = (
        "The phase current limit set that current: less of it is cooler, and slower there."
        if cooler
        else "The climb needed that current and no limit held it: pedal along, carry less or cooler start help there."
    )
    return tells(
        "fade-soon",
        rise=quantity(rise, "K", ".0f"),
        minutes=quantity((stop - start) / 60, "min", ".0f" if stop - start > 90 else ".1f"),
        again="a little more of it" if goes_on else "the same again",
        end=quantity(end, "°C", ".0f"),
        limit=quantity(peak.limit, "°C"),
        why=why,
        span=(start, stop),
        suggest=cooler,
    )


def _hardest(warm: Array) -> tuple[int, int]:
    """(first, last) row of the climb that warmed the winding most within :data:`CLIMB_S`."""
    step = round(5 / STEP_S)
    sparse = warm[::step]
    reach = round(CLIMB_S / STEP_S / step)
    padded = np.concatenate((np.full(reach, np.inf), sparse))
    windows = np.lib.stride_tricks.sliding_window_view(padded, reach + 1)
    coldest = np.argmin(windows, axis=1)
    gained = sparse - windows[np.arange(len(sparse)), coldest]
    top = int(np.argmax(gained))
    foot = top - reach + int(coldest[top])
    barely = np.flatnonzero(sparse[foot : top + 1] <= sparse[foot] + FOOT * gained[top])
    return (foot + int(barely[-1])) * step, top * step


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
    return _path(e, e.verdict.heat.housing_to_air, "housing-cooling", "motor", "motor.thermal.housing_to_air_w_per_k")


@finding
def winding_cools_differently(e: Evidence) -> Finding | None:
    """The winding gives its heat to the housing otherwise than the document says."""
    path = "motor.thermal.winding_to_housing_w_per_k"
    return _path(e, e.verdict.heat.winding_to_housing, "winding-cooling", "winding", path)


@finding
def controller_cools_differently(e: Evidence) -> Finding | None:
    """The controller gives its heat to the air otherwise than the document says."""
    path = "controller.thermal.to_air_w_per_k"
    return _path(e, e.verdict.heat.controller_to_air, "controller-cooling", "controller", path)


def _path(e: Evidence, seen: Estimate, id_: str, what: str, path: str) -> Finding | None:
    told = e.bike.figure(path)
    if not differs(seen, told, DIFFERS):
        return None
    worse = seen.value < told
    return tells(
        "cooling-differs",
        as_id=id_,
        severity=how_sure(seen, told, e.spread(path)) if worse and not e.battery_doubtful else "note",
        what=what,
        worse="worse" if worse else "better",
        sooner="sooner" if worse else "later",
        **beside(seen, told, ".2g"),
        suggest=learn(path, seen.value, "minutes to derating are predicted as this ride showed", 3),
    )
