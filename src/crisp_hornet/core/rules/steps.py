"""Rules about the size of a change: start low, go up in steps."""

from __future__ import annotations

from crisp_hornet.core.rules.kinds import Situation, Warning_, rule, says
from crisp_hornet.documents.saying import quantity

BIG_STEP = 0.30  # a rise by more than this share of what runs now is a big step
WATCHED = {"drive.phase_current_a": "phase current", "drive.battery_current_a": "battery current"}


@rule
def big_step(s: Situation) -> Warning_ | None:
    """A current rises a lot in one go."""
    if s.controller is None:
        return None
    for setting, what in WATCHED.items():
        now, then = s.controller.setting(setting), s.draft.setting(setting)
        if now and then and then > now * (1 + BIG_STEP):
            return says(
                "big-step",
                what=what,
                now=quantity(now, "A", bare=True),
                then=quantity(then, "A"),
                now_2=quantity(100 * (then / now - 1), "%", ".0f"),
                big_step=quantity(now * (1 + BIG_STEP), "A", ".0f"),
                setting=setting,
                value=float(round(now * (1 + BIG_STEP))),
            )
    return None
