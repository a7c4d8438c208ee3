"""Rules about the bike on the road: front wheel and grip."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.pull import Conditions, regen_curve
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.road.performance import front_wheel_keeps
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity, say

BRAKE_KMH = np.linspace(2.0, 60.0, 30)
STEEP = 0.12  # the slope on which a launch is judged: weight shifts rearwards
FRONT_WHEEL_LEAST = 0.25  # below this share of its standing load the front wheel steers poorly


@rule_over(Axis.CHARGE, Axis.LOAD, Axis.SLOPE)
def front_wheel_light(s: Situation) -> Warning_ | None:
    """At full pull the front wheel loses its hold."""
    if s.curve is None:
        return None
    keeps = front_wheel_keeps(s.curve, s.grade)
    wish = s.bike.chassis.front_wheel
    if keeps >= FRONT_WHEEL_LEAST or (keeps == 0 and wish == "must stay down"):  # which says more, below
        return None
    pull, lift = float(s.curve.wheel_force_n.max()), lift_force_n(s.bike, s.grade)
    text = (
        "Full throttle lifts the front wheel"
        if keeps == 0
        else say("Full pull leaves the front wheel {keeps} of its load", keeps=quantity(100 * keeps, "%", ".0f"))
    )
    return says(
        "front-wheel", text=text, pull=quantity(pull, "N", ".0f"), lift=quantity(lift, "N", ".0f"), amount=1 - keeps,
        strength=Strength.NOTE if wish == "shall lift" else None,
    )  # fmt: skip


@rule_over(Axis.CHARGE, Axis.LOAD, Axis.SLOPE)
def lifts_against_the_wish(s: Situation) -> Warning_ | None:
    """The rider wants the front wheel to stay down, and it lifts."""
    if s.curve is None or s.bike.chassis.front_wheel != "must stay down" or front_wheel_keeps(s.curve, s.grade) > 0:
        return None
    pull, lift = float(s.curve.wheel_force_n.max()), lift_force_n(s.bike, s.grade)
    if pull <= 0:  # it stands on its rear wheel by itself
        return None
    holds = math.floor(0.97 * _phase_a(s) * max(lift, 0.0) / pull)
    return says(
        "front-wheel-lifts-against-wish",
        pull=quantity(pull, "N", ".0f"),
        lift=quantity(lift, "N", ".0f"),
        where=say(" on a {grade} hill", grade=quantity(100 * s.grade, "%")) if s.grade else "",
        holds=quantity(float(holds), "A"),
        value=float(holds),
        amount=pull - lift,
    )


@rule
def stays_against_the_wish(s: Situation) -> Warning_ | None:
    """The rider wants the front wheel to lift on demand, and it does not."""
    if s.curve is None or s.bike.chassis.front_wheel != "shall lift" or front_wheel_keeps(s.curve, s.grade) <= 0:
        return None
    pull, lift = float(s.curve.wheel_force_n.max()), lift_force_n(s.bike, s.grade)
    if pull <= 0:
        return None
    takes = math.ceil(_phase_a(s) * lift / pull)
    most = s.bike.controller.max_phase_current_a
    told = (
        "more phase current than this controller is rated for"
        if takes > most
        else say("{takes} of phase current", takes=quantity(takes, "A"))
    )
    return says(
        "front-wheel-stays-against-wish",
        pull=quantity(pull, "N", ".0f"),
        lift=quantity(lift, "N", ".0f"),
        takes=told,
    )


def _phase_a(s: Situation) -> float:
    """The phase current (A) that makes the greatest pull."""
    assert s.curve is not None
    return float(s.curve.phase_current_a[int(np.argmax(s.curve.wheel_force_n))])


@rule_over(Axis.CHARGE)
def tyre_slips(s: Situation) -> Warning_ | None:
    """At full pull the driven tyre slips on a dry road."""
    if s.curve is None:
        return None
    pull, grip = float(s.curve.wheel_force_n.max()), grip_force_n(s.bike)
    if math.isinf(grip) or pull <= grip:
        return None
    return says("tyre-slips", pull=quantity(pull, "N", ".0f"), grip=quantity(grip, "N", ".0f"))


@rule_over(Axis.LOAD, Axis.DESCENT)
def regen_beyond_grip(s: Situation) -> Warning_ | None:
    """Braking with the motor alone the driven tyre slips, on a dry road or in the wet. The pack takes all that is set."""
    regen = s.draft.regen
    if s.curve is None or not regen.phase_current_a:
        return None
    wet, dry = (grip_force_n(s.bike, s.grade, braking=True, wet=one) for one in (True, False))
    brakes = _most_braking_n(s)
    if brakes <= wet:
        return None
    front, over = s.bike.chassis.driven_wheel == "front", brakes > dry
    strength = {(True, True): Strength.STOP, (False, False): Strength.NOTE}.get((front, over), Strength.WARN)
    grip = dry if over else wet
    holds = math.floor(0.97 * regen.phase_current_a * grip / brakes)
    return says(
        "regen-beyond-grip",
        strength=strength,
        brakes=quantity(brakes, "N", ".0f"),
        grip=quantity(grip, "N", ".0f"),
        road="dry" if over else "wet",
        wheel=s.bike.chassis.driven_wheel,
        current=quantity(float(holds), "A"),
        amount=brakes / grip,
    )


def _most_braking_n(s: Situation) -> float:
    """The greatest braking force (N) at the road of a pack low enough to take all that is set."""
    assert s.curve is not None
    takes_all = min(s.draft.regen.fade_start_v, rested_or_typical_v(s.bike.battery, 0.5))
    return float(np.max(-regen_curve(s.bike, s.draft, BRAKE_KMH, Conditions(takes_all)).wheel_force_n, initial=0.0))
