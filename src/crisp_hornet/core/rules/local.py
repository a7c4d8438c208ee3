"""What the local rules that the rider entered say of the draft and each of its road modes."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.modes import in_mode
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule, says
from crisp_hornet.core.rules.local_examples import judged_modes
from crisp_hornet.documents.mode import Mode
from crisp_hornet.documents.saying import quantity, say

DECIDES = "The local code decides; this is what was entered."


def _where(mode: Mode | None) -> str:
    return "" if mode is None else say(" in {name}", name=mode.name)


def _setting(s: Situation, mode: Mode | None, of_tune: str, of_mode: str) -> str:
    return of_tune if mode is None else f"modes.{s.draft.modes.index(mode) + 1}.{of_mode}"


@rule
def assist_beyond_local(s: Situation) -> Warning_ | None:
    """Assist goes on beyond the speed at which it must end."""
    rules = s.bike.local
    if rules is None or rules.assist_ends_kmh is None or s.curve is None:
        return None
    for mode in judged_modes(s.draft):
        tune = in_mode(s.draft, mode) if mode is not None else s.draft
        limits = [
            one for one in (tune.assist.speed_kmh, effective_limits(s.bike, tune).speed_kmh.value) if one is not None
        ]
        ends = min(limits) if limits else steady_speed_kmh(s.curve, 0.0)
        if ends > rules.assist_ends_kmh + 0.05:
            return says(
                "local-assist-speed",
                ends=quantity(ends, "km/h", ".0f"),
                mode=_where(mode),
                assist_ends=quantity(rules.assist_ends_kmh, "km/h", bare=True),
                reason=DECIDES,
                assist_ends_2=quantity(rules.assist_ends_kmh, "km/h"),
                setting=_setting(s, mode, "assist.speed_kmh", "speed_kmh"),
                value=rules.assist_ends_kmh,
            )
    return None


@rule
def throttle_beyond_local(s: Situation) -> Warning_ | None:
    """The throttle works when, or faster than, it may."""
    rules, throttle = s.bike.local, s.draft.throttle
    if rules is None or (rules.throttle == "any" and rules.throttle_ends_kmh is None):
        return None
    modes = [mode for mode in judged_modes(s.draft) if mode is None or mode.throttle_maximum != 0]
    if not modes or throttle.maximum == 0:
        return None
    if rules.throttle in ("walk", "none"):
        text = (
            "The throttle drives; local rules do not allow it"
            if rules.throttle == "none"
            else "The throttle drives beyond walk assist"
        )
        return says(
            "local-throttle",
            text=text,
            mode=_where(modes[0]),
            reason=DECIDES,
            setting=None if modes[0] is None else _setting(s, modes[0], "", "throttle_maximum"),
            value=None if modes[0] is None else 0.0,
        )
    if rules.throttle == "pedalling" and throttle.start != "pedalling":
        return Warning_(
            "local-throttle",
            Strength.WARN,
            "The throttle works without pedalling",
            DECIDES,
            "Let it work only while pedalling",
            "throttle.start",
            1.0,
        )
    for mode in modes:
        drive = effective_limits(s.bike, in_mode(s.draft, mode) if mode is not None else s.draft).speed_kmh.value
        given = [one for one in (drive, throttle.speed_kmh) if one is not None]
        ends = min(given) if given else None
        if rules.throttle_ends_kmh is not None and (ends is None or ends > rules.throttle_ends_kmh + 0.05):
            return Warning_(
                "local-throttle",
                Strength.WARN,
                say(
                    "The throttle works beyond {throttle_ends}{mode}",
                    throttle_ends=quantity(rules.throttle_ends_kmh, "km/h"),
                    mode=_where(mode),
                ),
                DECIDES,
                say(
                    "A throttle speed limit of {throttle_ends}", throttle_ends=quantity(rules.throttle_ends_kmh, "km/h")
                ),
                "throttle.speed_kmh",
                rules.throttle_ends_kmh,
            )
    return None


@rule
def power_beyond_local(s: Situation) -> Warning_ | None:
    """More power at the wheel than allowed."""
    rules = s.bike.local
    if rules is None or rules.power_w is None or s.curve is None:
        return None
    for mode in judged_modes(s.draft):
        curve = s.curve
        if mode is not None:
            curve = pull_curve(s.bike, in_mode(s.draft, mode), curve.speed_kmh[::4], Conditions(curve.rested_v))
        most = float(np.max(curve.wheel_w, initial=0.0))
        if most > 1.02 * rules.power_w:
            return says(
                "local-power",
                most=quantity(most, "W", ".0f"),
                mode=_where(mode),
                power=quantity(rules.power_w, "W"),
                reason=DECIDES,
                setting=_setting(s, mode, "drive.power_w", "power_w"),
            )
    return None


@rule
def walk_beyond_local(s: Situation) -> Warning_ | None:
    """Walk assist faster than allowed."""
    rules, walk = s.bike.local, s.draft.throttle.walk_kmh
    if rules is None or rules.walk_kmh is None or walk is None or walk <= rules.walk_kmh:
        return None
    return says(
        "local-walk",
        walk=quantity(walk, "km/h"),
        walk_2=quantity(rules.walk_kmh, "km/h", bare=True),
        reason=DECIDES,
        walk_3=quantity(rules.walk_kmh, "km/h"),
        value=rules.walk_kmh,
    )


@rule
def off_road_at_start(s: Situation) -> Warning_ | None:
    """A mode for off the road is on after power-on."""
    found = next((mode for mode in s.draft.modes if mode.starts and mode.off_road), None)
    if found is None or s.bike.local is None:
        return None
    return says(
        "off-road-at-start",
        name=found.name,
        name_2=s.bike.local.name,
        setting=f"modes.{s.draft.modes.index(found) + 1}.starts",
        value=0.0,
    )
