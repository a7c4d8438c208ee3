"""Rules about the long climb: how soon heat takes the pull, and what happens if nothing does."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.heat.nodes import HeldHeat, losses
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.core.rules.kinds import Axis, Situation, Warning_, rule_over, says
from crisp_hornet.documents.saying import quantity

HILL = 0.10
SOON_MIN, BURNS_MIN = 2.0, 4.0
AMBIENT_C = 30.0


def _on_the_hill(s: Situation) -> HeldHeat | None:
    """Heat while climbing at full throttle, at the speed that settles; standing still where it does not climb at all."""
    if s.curve is None or not np.any(s.curve.wheel_force_n > 0):
        return None
    kmh = steady_speed_kmh(s.curve, HILL)
    at = int(np.argmin(np.abs(s.curve.speed_kmh - kmh)))
    ratio = None if s.curve.ratio is None else float(s.curve.ratio[at])
    return HeldHeat(s.bike, losses(s.bike, float(s.curve.phase_current_a[at]), kmh, ratio), None, AMBIENT_C)


@rule_over(Axis.CHARGE)
def hot_soon_on_the_hill(s: Situation) -> Warning_ | None:
    """Heat takes the pull within two minutes of a climb."""
    held, guard = _on_the_hill(s), s.draft.heat_guard
    if held is None:
        return None
    minutes = (
        float(
            np.minimum(
                held.seconds_until_winding(guard.motor_fade_start_c),
                held.seconds_until_controller(guard.controller_fade_start_c),
            )
        )
        / 60
    )
    if minutes >= SOON_MIN:
        return None
    return says(
        "hot-soon-on-hill",
        hill=quantity(100 * HILL, "%", ".0f"),
        minutes=quantity(minutes, "min", ".1f"),
        amount=SOON_MIN - minutes,
    )


@rule_over(Axis.CHARGE)
def winding_burns_without_guard(s: Situation) -> Warning_ | None:
    """If the temperature sensor is lost, or sits on the housing, the winding passes its limit on a hill."""
    held, limit = _on_the_hill(s), s.bike.motor.max_winding_c
    if held is None:
        return None
    minutes = float(held.seconds_until_winding(limit)) / 60
    if math.isinf(minutes) or minutes > BURNS_MIN:
        return None
    return says(
        "burns-without-guard",
        limit=quantity(limit, "°C"),
        minutes=quantity(minutes, "min", ".1f"),
        amount=BURNS_MIN - minutes,
    )
