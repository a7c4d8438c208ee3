"""What is unsafe, useless or too large a step: one small function per rule, in a registry.

``judge`` runs them all as drawn, ``corners.worst_of`` at the worst corner of each.
A rule sees a :class:`~crisp_hornet.core.rules.kinds.Situation` and returns a
:class:`~crisp_hornet.core.rules.kinds.Warning_` or nothing. To add one, write it in the file of its subject
with ``@rule``; the import below makes it known.
"""

from crisp_hornet.core.rules import (  # noqa: F401  (each registers its rules)
    assist,
    chassis,
    guards,
    hill,
    local,
    modes,
    pack,
    packs,
    physics,
    ratings,
    sensors,
    speed,
    steps,
    throttle,
    unheld,
)
from crisp_hornet.core.rules.kinds import RULES, Situation, Strength, Warning_, on_its_device


def judge(situation: Situation) -> list[Warning_]:
    """All open warnings, the strongest first."""
    found = [on_its_device(situation.bike, warning) for rule in RULES if (warning := rule(situation)) is not None]
    return sorted(found, key=lambda warning: list(Strength).index(warning.strength))


__all__ = ["RULES", "Situation", "Strength", "Warning_", "judge"]
