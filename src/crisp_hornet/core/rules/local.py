"""What the local rules that the rider entered say of the draft and each of its road modes."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.modes import in_mode
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule
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
            return Warning_(
                "local-assist-speed",
                Strength.WARN,
                say(
                    "It helps up to {ends}{mode}; here {assist_ends} is the end",
                    ends=quantity(ends, "km/h", ".0f"),
                    mode=_where(mode),
                    assist_ends=quantity(rules.assist_ends_kmh, "km/h", bare=True),
                ),
                DECIDES,
                say(
                    "End it at {assist_ends}, or say that the mode is for off the road",
                    assist_ends=quantity(rules.assist_ends_kmh, "km/h"),
                ),
                _setting(s, mode, "assist.speed_kmh", "speed_kmh"),
                rules.assist_ends_kmh,
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
            "The throttle drives, and here it may not"
            if rules.throttle == "none"
            else "The throttle drives beyond walk assist"
        )
        return Warning_(
            "local-throttle",
            Strength.WARN,
            say("{text}{mode}", text=text, mode=_where(modes[0])),
            DECIDES,
            "Full twist 0 % in the modes for the road",
            None if modes[0] is None else _setting(s, modes[0], "", "throttle_maximum"),
            None if modes[0] is None else 0.0,
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
        ends = effective_limits(s.bike, in_mode(s.draft, mode) if mode is not None else s.draft).speed_kmh.value
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
                say("A speed limit of {throttle_ends}", throttle_ends=quantity(rules.throttle_ends_kmh, "km/h")),
                _setting(s, mode, "drive.speed_kmh", "speed_kmh"),
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
            return Warning_(
                "local-power",
                Strength.WARN,
                say(
                    "It gives {most} at the wheel{mode}; here {power} is the most",
                    most=quantity(most, "W", ".0f"),
                    mode=_where(mode),
                    power=quantity(rules.power_w, "W"),
                ),
                DECIDES,
                "A power limit in the modes for the road",
                _setting(s, mode, "drive.power_w", "power_w"),
                None,
            )
    return None


@rule
def walk_beyond_local(s: Situation) -> Warning_ | None:
    """Walk assist faster than allowed."""
    rules, walk = s.bike.local, s.draft.throttle.walk_kmh
    if rules is None or rules.walk_kmh is None or walk is None or walk <= rules.walk_kmh:
        return None
    return Warning_(
        "local-walk",
        Strength.WARN,
        say(
            "Walk assist runs at {walk}; here {walk_2} is the most",
            walk=quantity(walk, "km/h"),
            walk_2=quantity(rules.walk_kmh, "km/h", bare=True),
        ),
        DECIDES,
        say("{walk}", walk=quantity(rules.walk_kmh, "km/h")),
        "throttle.walk_kmh",
        rules.walk_kmh,
    )


@rule
def off_road_at_start(s: Situation) -> Warning_ | None:
    """A mode for off the road is on after power-on."""
    found = next((mode for mode in s.draft.modes if mode.starts and mode.off_road), None)
    if found is None or s.bike.local is None:
        return None
    return Warning_(
        "off-road-at-start",
        Strength.WARN,
        say("After power-on {name} is on, which is not for the road", name=found.name),
        say("The next ride begins beyond what {name} allows.", name=s.bike.local.name),
        "Let a road mode be on at start",
        f"modes.{s.draft.modes.index(found) + 1}.starts",
        0.0,
    )
