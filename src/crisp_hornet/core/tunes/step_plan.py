"""Start low and step up: drafts between what runs and the goal, with what to check before the next."""

from __future__ import annotations

import math
from dataclasses import dataclass

from crisp_hornet.core.drive.no_load import lifted_wheel
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import SETTINGS, Tune

STEP = 0.15  # a limit grows by at most this share of the goal in one go
MOST_STEPS = 6
SAFE_SHARE = 0.95  # of the controller's voltage rating: up to here a lifted wheel may be let run
STAND_FIRST = "On the stand first, then top speed on an empty road: smooth, no faults, motor not hot?"
_CHECKS = {
    "drive.phase_current_a": "Launch from standstill: does the front wheel stay down, does the tyre hold? Motor warm after a hill?",
    "drive.battery_current_a": "Full pull with a low pack: how far does it sag, does the BMS hold? Plugs and leads cool?",
    "drive.power_w": "Full pull with a low pack: how far does it sag, does the BMS hold? Plugs and leads cool?",
    "drive.field_weakening_a": STAND_FIRST,
    "drive.motor_rpm": STAND_FIRST,
    "drive.speed_kmh": "Brakes, tyres and frame at the new speed; an empty road, both ways.",
    "regen.phase_current_a": "Braking in the wet: does the wheel lock? Pack nearly full: does the BMS hold?",
    "regen.battery_current_a": "Pack nearly full and cold: does the BMS hold?",
}


@dataclass(frozen=True)
class Step:
    """One draft on the way, and what to check with it before going on."""

    tune: Tune
    checks: list[str]


def step_plan(now: Tune, goal: Tune, bike: Bike | None = None) -> list[Step]:
    """The drafts from ``now`` to ``goal``, the last one the goal itself; empty if nothing differs.

    With the ``bike`` each step is asked whether its wheel may be let run on a stand; a step whose back-EMF then came too near the
    controller's rating says so instead. What eases, and all that is no limit of the drive or of regen, changes in the first step; what
    rises goes up evenly, by at most 15 % of the goal a step.
    """
    differing = now.differing(goal)
    if not differing:
        return []
    rising = {path: (now.setting(path), goal.setting(path)) for path in differing if path in _CHECKS}
    climbs = {
        path: (low, high) for path, (low, high) in rising.items() if low is not None and high is not None and high > low
    }
    count = max([math.ceil((high - low) / (STEP * high) - 1e-9) for low, high in climbs.values()], default=1)
    count = min(max(count, 1), MOST_STEPS)
    checks = list(dict.fromkeys(_CHECKS[path] for path in rising)) or [
        "A short ride in an open space: is it as intended?"
    ]
    steps: list[Tune] = []
    for at in range(1, count):
        values = {path: round(low + (high - low) * at / count, 1) for path, (low, high) in climbs.items()}
        held = {
            path: now.setting(path)
            for path in rising
            if path in SETTINGS and now.setting(path) is not None and goal.setting(path) is None
        }
        tune = goal.with_settings({**values, **held})
        name = say("{name}, step {at} of {count}", name=goal.name, at=at, count=count)
        steps.append(tune.model_copy(update={"name": name}))
    return [Step(tune, _on_stand(checks, bike, tune)) for tune in [*steps, goal]]


def _on_stand(checks: list[str], bike: Bike | None, tune: Tune) -> list[str]:
    """The checks of a step; where a lifted wheel is not safe, the stand is advised against."""
    if bike is None or STAND_FIRST not in checks:
        return checks
    lifted, rating = lifted_wheel(bike, tune), bike.controller.max_voltage_v
    if lifted.emf_v <= SAFE_SHARE * rating:
        return checks
    told = say(
        "Not on the stand: with the wheel lifted back-EMF would reach {emf} of the {rating} rating of the controller. Top speed on an "
        "empty road, little by little.",
        emf=quantity(lifted.emf_v, "V", ".0f"),
        rating=quantity(rating, "V"),
    )
    return [told if check == STAND_FIRST else check for check in checks]
