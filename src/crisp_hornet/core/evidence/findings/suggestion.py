"""What a finding speaks for, and what that would do."""

from __future__ import annotations

import math
from dataclasses import dataclass

from crisp_hornet.core.road.consequences import Consequence
from crisp_hornet.documents.saying import say
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True)
class Suggestion:
    """A change that the ride speaks for: a setting of the tune, or a figure of the ``bike``, its value, and what it would do."""

    path: str
    value: float
    effect: str
    bike: bool = False


def raised(tune: Tune, path: str, value: float, effect: str) -> Suggestion | None:
    """Raise a setting of the tune to a value; nothing where it stands there or higher already."""
    now = tune.setting(path)
    return Suggestion(path, value, effect) if now is not None and value > now else None


def lowered(tune: Tune, path: str, value: float, effect: str) -> Suggestion | None:
    """Lower a setting of the tune to a value; nothing where it stands there or lower already. What has no limit gets one."""
    now = tune.setting(path)
    return Suggestion(path, value, effect) if now is None or value < now else None


def learn(path: str, value: float, effect: str, digits: int = 4) -> Suggestion:
    """Take what the ride showed of a figure of the bike, so many digits of it."""
    return Suggestion(path, float(f"{value:.{digits}g}"), effect, bike=True)


@dataclass(frozen=True)
class Effect:
    """A figure without the change and with it."""

    before: Consequence
    after: Consequence

    @property
    def in_words(self) -> str:
        """``12 % hill 24 to 22 km/h``."""
        before = self.before.told_bare if math.isfinite(self.after.value) else self.before.text
        return say("{label} {before} to {after}", label=self.after.label, before=before, after=self.after.told)

    @property
    def share(self) -> float:
        """By what share the figure moves; infinite where it begins or ends to make sense."""
        if not (math.isfinite(self.before.value) and math.isfinite(self.after.value)):
            return math.inf
        return abs(self.after.value - self.before.value) / max(abs(self.before.value), 1e-9)
