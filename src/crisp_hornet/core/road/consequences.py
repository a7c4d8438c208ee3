"""What a tune means on the road, in the few figures a builder asks for."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, PullCurve
from crisp_hornet.core.road.performance import front_wheel_keeps, launch_time_s, steady_ride, steady_speed_kmh

HILL = 0.12


@dataclass(frozen=True)
class Consequence:
    """One figure. ``value`` is NaN or infinite where it makes no sense, then ``why_none`` is said; ``digits`` after the point."""

    label: str
    value: float
    unit: str
    digits: int
    why_none: str = "never"

    @property
    def text(self) -> str:
        """The figure without its unit."""
        return f"{self.value:.{self.digits}f}" if math.isfinite(self.value) else self.why_none


def on_the_road(curve: PullCurve, conditions: Conditions, full_pull_s: Array, every: int) -> list[Consequence]:
    """Speeds, launch, front wheel, heat and energy; ``full_pull_s`` is for every ``every``-th speed of the curve."""
    cruise = steady_ride(curve.bike, 30.0, conditions.rested_v)
    uphill = steady_speed_kmh(curve, HILL)
    nearest = int(np.argmin(np.abs(curve.speed_kmh[::every] - uphill)))
    hot_min = float(full_pull_s[nearest]) / 60 if uphill > 0 else math.nan
    return [
        Consequence(f"{HILL:.0%} hill".replace("%", " %"), uphill, "km/h", 0),
        Consequence("top, flat", steady_speed_kmh(curve, 0.0), "km/h", 0),
        Consequence("0 to 25 km/h", launch_time_s(curve, 25.0), "s", 1),
        Consequence("front wheel keeps", 100 * front_wheel_keeps(curve), "%", 0),
        Consequence(f"{HILL:.0%} hill, hot in".replace("%", " %"), hot_min, "min", 0 if hot_min >= 10 else 1, "never"),
        Consequence("30 km/h, flat", cruise.wh_per_km, "Wh/km", 1, "too weak"),
    ]
