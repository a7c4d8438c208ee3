"""Rules about the throttle: what a twist does to the rider, and when it works at all."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.modes import at_start
from crisp_hornet.core.rider.throttle import throttle_share
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity, say

BRISK_N_PER_KG = 1.2  # force per kg from which a missing ramp is felt as a blow
SCARY_SHARE = 0.55
STRONG_SHARE = 0.75  # of what lifts the front wheel, or slips the tyre: from here on a bike is strong


def pull_to_lift(s: Situation) -> float:
    """The greatest pull as a share of what lifts the front wheel or slips the driven tyre, whichever comes first; 0 without a curve."""
    if s.curve is None:
        return 0.0
    holds = min(lift_force_n(s.bike, s.grade), grip_force_n(s.bike, s.grade))
    return float(np.max(s.curve.wheel_force_n, initial=0.0)) / max(holds, 1e-9)


@rule_over(Axis.CHARGE, Axis.LOAD, Axis.SLOPE)
def lifts_below_full_twist(s: Situation) -> Warning_ | None:
    """In the mode that is on after power-on the front wheel lifts before the throttle is fully open."""
    if s.curve is None:
        return None
    lift = lift_force_n(s.bike, s.grade)
    pull = float(np.max(s.curve.wheel_force_n, initial=0.0))
    started = at_start(s.draft)
    phase, least = s.draft.drive.phase_current_a, started.drive.phase_current_a
    pull *= least / phase if phase else 1.0
    if math.isinf(lift) or pull <= lift:
        return None
    twists = np.linspace(0.0, 1.0, 101)
    lifting = np.flatnonzero(throttle_share(started.throttle, twists) * pull >= lift)
    if lifting.size == 0:
        return None
    at = 100 * float(twists[lifting[0]])
    return says(
        "lifts-below-full-twist",
        at=quantity(at, "%", ".0f"),
        pull=quantity(pull, "N", ".0f"),
        lift=quantity(lift, "N", ".0f"),
        amount=100 - at,
    )


@rule
def dead_band_missing(s: Situation) -> Warning_ | None:
    """No dead band: a bump opens the throttle."""
    if not s.draft.holds("throttle.dead_band") or s.draft.throttle.dead_band >= 0.02:
        return None
    return says("dead-band-missing", value=0.05)


@rule
def dead_band_wide(s: Situation) -> Warning_ | None:
    """So wide a dead band that nothing happens for long, then much at once."""
    if s.draft.throttle.dead_band <= 0.2:
        return None
    return says("dead-band-wide", dead_band=quantity(100 * s.draft.throttle.dead_band, "%", ".0f"), value=0.05)


@rule
def throttle_without_ramp(s: Situation) -> Warning_ | None:
    """A strong bike whose force comes at once."""
    throttle = s.draft.throttle
    if s.curve is None or not s.draft.holds("throttle.ramp_s") or throttle.ramp_s >= 0.1:
        return None
    pull = float(np.max(s.curve.wheel_force_n, initial=0.0)) / s.bike.mass_kg
    return says(
        "throttle-without-ramp",
        strength=Strength.NOTE if pull < BRISK_N_PER_KG else Strength.WARN,
        ramp=quantity(throttle.ramp_s, "s"),
        pull=quantity(pull, "N", ".1f"),
        value=0.3,
    )


@rule
def throttle_lets_go_late(s: Situation) -> Warning_ | None:
    """The motor pushes on after the hand has let go."""
    if s.draft.throttle.release_s <= 0.5:
        return None
    return says("throttle-lets-go-late", release=quantity(s.draft.throttle.release_s, "s"), value=0.2)


@rule_over(Axis.CHARGE, Axis.LOAD)
def throttle_strong_at_once(s: Situation) -> Warning_ | None:
    """A quarter of the twist already gives most: a warning where the bike is strong."""
    share = s.draft.throttle.share_25
    if not s.draft.holds("throttle.share_25") or share < SCARY_SHARE:
        return None
    strong = share * pull_to_lift(s)
    return says(
        "throttle-strong-at-once",
        strength=Strength.WARN if strong >= STRONG_SHARE else Strength.NOTE,
        share_25=quantity(100 * share, "%", ".0f"),
        lifts=say(
            " That is {strong} of what lifts the wheel or slips the tyre.", strong=quantity(100 * strong, "%", ".0f")
        )
        if s.curve is not None
        else "",
        value=0.25,
        amount=strong,
    )


@rule
def full_current_never_asked(s: Situation) -> Warning_ | None:
    """The throttle never asks for all the phase current that is set."""
    most = s.draft.throttle.maximum
    if most >= 0.9:
        return None
    return says(
        "full-current-never-asked",
        most=quantity(100 * most, "%", ".0f"),
        phase_current=quantity(s.draft.drive.phase_current_a, "A"),
        phase_current_2=quantity(most * s.draft.drive.phase_current_a, "A", ".0f"),
    )


@rule
def walks_too_fast(s: Situation) -> Warning_ | None:
    """Walk assist faster than people walk."""
    walk = s.draft.throttle.walk_kmh
    if walk is None or walk <= 6:
        return None
    return says(
        "walks-too-fast",
        walk=quantity(walk, "km/h"),
        low=quantity(4, "km/h", bare=True),
        high=quantity(6, "km/h"),
        value=5.0,
    )


@rule_over(Axis.CHARGE, Axis.LOAD)
def throttle_at_level_zero(s: Situation) -> Warning_ | None:
    """The throttle works from standstill while the display says the assist is off: a warning where the bike is strong."""
    throttle = s.draft.throttle
    if not (s.draft.holds("throttle.at_level_zero") and throttle.at_level_zero and throttle.start == "standstill"):
        return None
    strong = pull_to_lift(s)
    if strong <= 0:
        return None
    return says(
        "throttle-at-level-zero",
        strength=Strength.WARN if strong >= STRONG_SHARE else Strength.NOTE,
        value=0.0,
        amount=strong,
    )


@rule
def throttle_limit_idle(s: Situation) -> Warning_ | None:
    """A speed limit of the throttle above the drive's: it has no effect."""
    ends, drive = s.draft.throttle.speed_kmh, effective_limits(s.bike, s.draft).speed_kmh.value
    if ends is None or drive is None or ends <= drive:
        return None
    return says("throttle-limit-idle", ends=quantity(ends, "km/h"), drive=quantity(drive, "km/h"), value=drive)
