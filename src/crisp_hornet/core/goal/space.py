"""The settings that may be changed, as shares of their ratings, and how much strain they are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import FREE
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True, eq=False)
class Space:
    """``free``: paths of the settings that may be changed, from nothing to the controller's rating (weakening to that of the phase
    current). A point of it is their shares of these ratings, in the order of ``free``."""

    bike: Bike
    tune: Tune
    free: tuple[str, ...]

    @property
    def ratings_a(self) -> Array:
        """The rating of each free setting (A)."""
        return np.array([self.rating_a(path) for path in self.free])

    def rating_a(self, path: str) -> float:
        """What a setting is measured by (A)."""
        controller = self.bike.controller
        return controller.max_battery_current_a if path == "drive.battery_current_a" else controller.max_phase_current_a

    def tune_at(self, point: Sequence[float] | Array) -> Tune:
        """The tune with the settings of a point; all else as it was."""
        return self.with_amps([share * rating for share, rating in zip(point, self.ratings_a, strict=True)])

    def with_amps(self, amps: Sequence[float]) -> Tune:
        """The tune with these settings (A)."""
        values = {path.partition(".")[2]: float(one) for path, one in zip(self.free, amps, strict=True)}
        return self.tune.model_copy(update={"drive": self.tune.drive.model_copy(update=values)})

    @property
    def now(self) -> Array:
        """The point of the tune that was given."""
        return np.array([_amps(self.tune, path) for path in self.free]) / self.ratings_a

    def strain(self, tune: Tune) -> float:
        """Σ (setting/rating)² over phase current, battery current and weakening."""
        return float(sum((_amps(tune, path) / self.rating_a(path)) ** 2 for path in FREE))


def _amps(tune: Tune, path: str) -> float:
    return float(getattr(tune.drive, path.partition(".")[2]))
