"""Rules about the bike on the road: front wheel and grip."""

from __future__ import annotations

import math

from crisp_hornet.core.road.performance import front_wheel_keeps
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n
from crisp_hornet.core.rules.kinds import Axis, Situation, Warning_, rule_over, says
from crisp_hornet.documents.saying import quantity, say

STEEP = 0.12  # the slope on which a launch is judged: weight shifts rearwards
FRONT_WHEEL_LEAST = 0.25  # below this share of its standing load the front wheel steers poorly


@rule_over(Axis.CHARGE, Axis.LOAD, Axis.SLOPE)
def front_wheel_light(s: Situation) -> Warning_ | None:
    """At full pull the front wheel loses its hold."""
    if s.curve is None:
        return None
    keeps = front_wheel_keeps(s.curve, s.grade)
    if keeps >= FRONT_WHEEL_LEAST:
        return None
    pull, lift = float(s.curve.wheel_force_n.max()), lift_force_n(s.bike, s.grade)
    text = (
        "Full throttle lifts the front wheel"
        if keeps == 0
        else say("Full pull leaves the front wheel {keeps} of its load", keeps=quantity(100 * keeps, "%", ".0f"))
    )
    return says(
        "front-wheel", text=text, pull=quantity(pull, "N", ".0f"), lift=quantity(lift, "N", ".0f"), amount=1 - keeps
    )


@rule_over(Axis.CHARGE)
def tyre_slips(s: Situation) -> Warning_ | None:
    """At full pull the driven tyre slips on a dry road."""
    if s.curve is None:
        return None
    pull, grip = float(s.curve.wheel_force_n.max()), grip_force_n(s.bike)
    if math.isinf(grip) or pull <= grip:
        return None
    return says("tyre-slips", pull=quantity(pull, "N", ".0f"), grip=quantity(grip, "N", ".0f"))
