"""Examples of local limits to begin with (``local_examples.toml``), and what each mode is in their eyes.

They are examples of kinds of rules, not of any place: the local code decides, and a licensed workshop knows it.
"""

from __future__ import annotations

from crisp_hornet.documents.local_rules import LocalRules
from crisp_hornet.documents.mode import Mode
from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.tune import Tune

EXAMPLES = tuple(
    LocalRules.model_validate(one) for one in packaged("crisp_hornet.core.rules", "local_examples.toml")["example"]
)


def judged_modes(tune: Tune) -> list[Mode | None]:
    """The modes that local rules judge: all that are not for off the road and not backwards; without modes the tune itself."""
    if not tune.modes:
        return [None]
    return [mode for mode in tune.modes if not mode.off_road and not mode.reverse]
