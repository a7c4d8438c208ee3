"""What is unsafe, useless or too large a step: one small function per rule, in a registry.

``judge`` runs them all. A rule sees a :class:`~crisp_hornet.core.rules.kinds.Situation` and returns a
:class:`~crisp_hornet.core.rules.kinds.Warning_` or nothing. To add one, write it in the file of its subject
with ``@rule``; the import below makes it known.
"""

from crisp_hornet.core.rules import chassis, guards, pack, physics, ratings, sensors, speed, steps  # noqa: F401  (each registers its rules)
from crisp_hornet.core.rules.kinds import RULES, Situation, Strength, Warning_


def judge(situation: Situation) -> list[Warning_]:
    """All open warnings, the strongest first."""
    found = [warning for rule in RULES if (warning := rule(situation)) is not None]
    return sorted(found, key=lambda warning: list(Strength).index(warning.strength))


__all__ = ["RULES", "Situation", "Strength", "Warning_", "judge"]
