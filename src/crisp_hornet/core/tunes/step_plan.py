"""Start low and step up: drafts between what runs and the goal, with what to check before the next."""

from __future__ import annotations

import math
from dataclasses import dataclass

from crisp_hornet.documents.saying import say
from crisp_hornet.documents.tune import SETTINGS, Tune

STEP = 0.15  # a limit grows by at most this share of the goal in one go
MOST_STEPS = 6
_CHECKS = {
    "drive.phase_current_a": "Launch from standstill: does the front wheel stay down, does the tyre hold? Motor warm after a hill?",
    "drive.battery_current_a": "Full pull with a low pack: how far does it sag, does the BMS hold? Plugs and leads cool?",
    "drive.power_w": "Full pull with a low pack: how far does it sag, does the BMS hold? Plugs and leads cool?",
    "drive.field_weakening_a": "On the stand first, then top speed on an empty road: smooth, no faults, motor not hot?",
    "drive.motor_rpm": "On the stand first, then top speed on an empty road: smooth, no faults, motor not hot?",
    "drive.speed_kmh": "Brakes, tyres and frame at the new speed; an empty road, both ways.",
    "regen.phase_current_a": "Braking in the wet: does the wheel lock? Pack nearly full: does the BMS hold?",
    "regen.battery_current_a": "Pack nearly full and cold: does the BMS hold?",
}


@dataclass(frozen=True)
class Step:
    """One draft on the way, and what to check with it before going on."""

    tune: Tune
    checks: list[str]


def step_plan(now: Tune, goal: Tune) -> list[Step]:
    """The drafts from ``now`` to ``goal``, the last one the goal itself; empty if nothing differs.

    What eases, and all that is no limit of the drive or of regen, changes in the first step; what rises goes up evenly, by at most 15
    % of the goal a step.
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
    steps = []
    for at in range(1, count):
        values = {path: round(low + (high - low) * at / count, 1) for path, (low, high) in climbs.items()}
        held = {
            path: now.setting(path)
            for path in rising
            if path in SETTINGS and now.setting(path) is not None and goal.setting(path) is None
        }
        tune = goal.with_settings({**values, **held})
        steps.append(
            Step(
                tune.model_copy(
                    update={"name": say("{name}, step {at} of {count}", name=goal.name, at=at, count=count)}
                ),
                checks,
            )
        )
    return [*steps, Step(goal, checks)]
