"""Rules about the throttle: what a twist does to the rider, and when it works at all."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.modes import at_start
from crisp_hornet.core.rider.throttle import signal_v, standstill_share, throttle_share
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity, say

LEAST_DEAD = 0.02  # of the travel, at which nothing may be asked for yet
BRISK_RAMP_S = 0.3
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
    shares = throttle_share(started.throttle, twists, s.bike.sensors)
    lifting = np.flatnonzero(standstill_share(started.throttle, shares) * pull >= lift)
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


@rule_over(Axis.CHARGE, Axis.LOAD)
def all_from_rest(s: Situation) -> Warning_ | None:
    """A throttle that asks for power or speed gives all there is from standstill at any opening: a warning where the bike is strong."""
    throttle = s.draft.throttle
    if throttle.asks == "phase current" or throttle.start != "standstill" or s.curve is None:
        return None
    strong = pull_to_lift(s)
    return says(
        "throttle-all-from-rest",
        strength=Strength.WARN if strong >= STRONG_SHARE or throttle.ramp_s < BRISK_RAMP_S else Strength.NOTE,
        asks=throttle.asks,
        ramp=quantity(throttle.ramp_s, "s"),
        pull=quantity(float(s.curve.wheel_force_n[0]), "N", ".0f"),
        value=0.0,
        amount=strong,
    )


@rule
def response_opens_at_rest(s: Situation) -> Warning_ | None:
    """The response map already asks for something at the voltage at which the throttle rests."""
    points, sensors = s.draft.throttle.response, s.bike.sensors
    if points is None:
        return None
    share = float(throttle_share(s.draft.throttle, 0.0, sensors))
    if share <= 0:
        return None
    return says(
        "response-opens-at-rest",
        share=quantity(100 * share, "%", ".0f"),
        first=quantity(points[0].volts, "V"),
        rest=quantity(signal_v(sensors)[0], "V"),
        believed=_believed(sensors.throttle_rest_v),
    )


@rule
def response_never_all(s: Situation) -> Warning_ | None:
    """Fully open, the throttle does not reach the map's last point."""
    points, sensors = s.draft.throttle.response, s.bike.sensors
    if points is None:
        return None
    share = float(throttle_share(s.draft.throttle, 1.0, sensors))
    if share >= points[-1].share - 0.005:
        return None
    return says(
        "response-never-all",
        share=quantity(100 * share, "%", ".0f"),
        last=quantity(points[-1].volts, "V"),
        full=quantity(signal_v(sensors)[1], "V"),
        believed=_believed(sensors.throttle_full_v),
        setting=f"throttle.response.{len(points)}.volts",
    )


def _believed(calibrated_v: float | None) -> str:
    return "" if calibrated_v is not None else " as is usual (calibrate it to know)"


@rule
def dead_band_missing(s: Situation) -> Warning_ | None:
    """No dead band: a bump opens the throttle."""
    throttle = s.draft.throttle
    told = s.draft.holds("throttle.dead_band") or throttle.response is not None
    if not told or float(throttle_share(throttle, LEAST_DEAD, s.bike.sensors)) <= 0:
        return None
    if throttle.response is not None:
        if float(throttle_share(throttle, 0.0, s.bike.sensors)) > 0:
            return None  # another rule says that it drives at rest
        rest = signal_v(s.bike.sensors)[0]
        later = next((at for at, point in enumerate(throttle.response, start=1) if point.volts > rest), 1)
        return says("dead-band-missing", setting=f"throttle.response.{later}.volts")
    return says("dead-band-missing", value=0.05)


@rule
def dead_band_wide(s: Situation) -> Warning_ | None:
    """So wide a dead band that nothing happens for long, then much at once."""
    if s.draft.throttle.dead_band <= 0.2 or s.draft.throttle.response is not None:
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
    throttle = s.draft.throttle
    quarter = throttle.dead_band + 0.25 * (1 - throttle.dead_band) if throttle.response is None else 0.25
    asked = float(throttle_share(throttle, quarter, s.bike.sensors))
    share = float(standstill_share(throttle, asked))
    told = s.draft.holds("throttle.share_25") or throttle.response is not None
    if not told or share < SCARY_SHARE or throttle.asks != "phase current":
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
    response = s.draft.throttle.response
    most = s.draft.throttle.maximum if response is None else response[-1].share
    if most >= 0.9 or s.draft.throttle.asks != "phase current":
        return None
    return says(
        "full-current-never-asked",
        most=quantity(100 * most, "%", ".0f"),
        phase_current=quantity(s.draft.drive.phase_current_a, "A"),
        phase_current_2=quantity(most * s.draft.drive.phase_current_a, "A", ".0f"),
        setting=None if response is None else f"throttle.response.{len(response)}.share",
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
