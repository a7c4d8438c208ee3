"""Rules about the bike on the road: front wheel and grip."""

from __future__ import annotations

import math

from crisp_hornet.core.road.performance import front_wheel_keeps
from crisp_hornet.core.road.vehicle import grip_force_n, lift_force_n
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule_over

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
        "Full pull lifts the front wheel"
        if keeps == 0
        else f"Full pull leaves the front wheel {100 * keeps:.0f} % of its load"
    )
    return Warning_(
        "front-wheel",
        Strength.WARN,
        text,
        f"{pull:.0f} N at the rear, and it lifts at {lift:.0f} N on the flat, earlier uphill. "
        "A strong launch can loop the bike.",
        "Lower the phase current, or start gently",
        "drive.phase_current_a",
        None,
        amount=1 - keeps,
    )


@rule_over(Axis.CHARGE)
def tyre_slips(s: Situation) -> Warning_ | None:
    """At full pull the driven tyre slips on a dry road."""
    if s.curve is None:
        return None
    pull, grip = float(s.curve.wheel_force_n.max()), grip_force_n(s.bike)
    if math.isinf(grip) or pull <= grip:
        return None
    return Warning_(
        "tyre-slips",
        Strength.WARN,
        "Full pull is more than the tyre holds",
        f"{pull:.0f} N against {grip:.0f} N of grip on a dry road, less in the wet.",
        "Lower the phase current",
        "drive.phase_current_a",
        None,
    )
