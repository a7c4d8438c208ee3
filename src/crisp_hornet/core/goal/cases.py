"""In which cases wishes shall hold besides the one that is drawn: low charge, a hot motor on a hot day, without the cargo."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.rules.corners import unloaded
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

LOW_CHARGE, HOT_DAY_C = 0.25, 35.0


@dataclass(frozen=True)
class Case:
    """One of them; each may be so or as it is drawn."""

    low: bool = False
    hot: bool = False
    bare: bool = False

    def bike(self, bike: Bike) -> Bike:
        """The bike in this case."""
        return unloaded(bike) if self.bare else bike

    def rested_v(self, bike: Bike, drawn_v: float) -> float:
        """The pack's voltage at rest (V)."""
        return min(rested_or_typical_v(bike.battery, LOW_CHARGE), drawn_v) if self.low else drawn_v

    def winding_c(self, tune: Tune) -> float:
        """The winding (°C): as warm as it may become before derating starts, where it is hot."""
        return max(tune.heat_guard.motor_fade_start_c - 1e-6, 25.0) if self.hot else 25.0

    def ambient_c(self, drawn_c: float) -> float:
        """The air (°C)."""
        return max(drawn_c, HOT_DAY_C) if self.hot else drawn_c


DRAWN = Case()
CASES = {"nearly empty": Case(low=True), "hot": Case(hot=True), "without cargo": Case(bare=True)}
EVERY = tuple(CASES.values())
