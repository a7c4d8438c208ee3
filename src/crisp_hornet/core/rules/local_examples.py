"""Examples of local limits to begin with, and what each mode is in their eyes.

They are examples of kinds of rules, not of any place: the local code decides, and a licensed workshop knows it.
"""

from __future__ import annotations

from crisp_hornet.documents.local_rules import LocalRules
from crisp_hornet.documents.mode import Mode
from crisp_hornet.documents.tune import Tune

EXAMPLES = (
    LocalRules(
        name="Example: assist only, to 25 km/h", assist_ends_kmh=25.0, power_w=500.0, throttle="walk", walk_kmh=6.0
    ),
    LocalRules(
        name="Example: throttle allowed, to 32 km/h", assist_ends_kmh=32.0, power_w=1000.0, throttle_ends_kmh=32.0
    ),
    LocalRules(name="Example: fast class, to 45 km/h", assist_ends_kmh=45.0, power_w=4000.0, throttle="pedalling"),
    LocalRules(name="Example: private ground, nothing limited"),
)


def judged_modes(tune: Tune) -> list[Mode | None]:
    """The modes that local rules judge: all that are not for off the road and not backwards; without modes the tune itself."""
    if not tune.modes:
        return [None]
    return [mode for mode in tune.modes if not mode.off_road and not mode.reverse]
