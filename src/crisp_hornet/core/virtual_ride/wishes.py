"""What the rider wants: a speed held, a share of the throttle, or pedalling at an assist level."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.limits import effective_limits, fade
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.rider.assist import Motive
from crisp_hornet.core.rider.legs import Rider, legs
from crisp_hornet.core.rider.throttle import asked_force
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True)
class Held:
    """A speed (km/h), with all the pull there is below it."""

    kmh: float

    def __post_init__(self) -> None:
        if not 1 <= self.kmh <= 300:
            raise ValueError("hold a speed between 1 and 300 km/h")

    def asked_n(self, curve: PullCurve, tune: Tune) -> Array:
        """What is asked of the motor over the curve's speeds: all of it."""
        return np.full_like(curve.speed_kmh, math.inf)

    def legs_n(self, kmh: Array) -> Array:
        """What the rider pushes: nothing."""
        return np.zeros_like(kmh)


@dataclass(frozen=True)
class Share:
    """A share (0 to 1) of what the throttle asks for, whatever the speed; nothing is held but the limits of the road."""

    share: float
    kmh: float = math.inf

    def __post_init__(self) -> None:
        if not 0 < self.share <= 1:
            raise ValueError("a share of the throttle lies above 0 and not above 1")

    def asked_n(self, curve: PullCurve, tune: Tune) -> Array:
        """What the throttle asks for over the curve's speeds; a limit of its own ends it."""
        ends = effective_limits(curve.bike, tune).speed_kmh.value
        asks = asked_force(curve, tune.throttle, tune.drive.speed_taper_kmh, ends)
        asked = np.array([asks(float(kmh), self.share) for kmh in curve.speed_kmh])
        limit = tune.throttle.speed_kmh
        if limit is None:
            return asked
        ended: Array = asked * fade(curve.speed_kmh, max(limit - tune.drive.speed_taper_kmh, 0.0), limit)
        return ended

    def legs_n(self, kmh: Array) -> Array:
        """What the rider pushes: nothing."""
        return np.zeros_like(kmh)


@dataclass(frozen=True)
class Pedalled:
    """A rider at an assist level (from 1)."""

    level: int
    rider: Rider = field(default_factory=Rider)
    kmh: float = math.inf

    def __post_init__(self) -> None:
        if not 0 < self.rider.watts <= 2000:
            raise ValueError("a rider gives more than 0 and not more than 2000 W")
        if not 20 <= self.rider.cadence_rpm <= 180:
            raise ValueError("a rider pedals at 20 to 180 rpm")

    def asked_n(self, curve: PullCurve, tune: Tune) -> Array:
        """What the level asks of the motor over the curve's speeds. Raises :class:`ValueError` for a level that is not there."""
        levels = tune.assist.levels
        if not 1 <= self.level <= len(levels):
            raise ValueError(f"the tune has levels 1 to {len(levels)}, no level {self.level}")
        pedals = legs(self.rider, curve.speed_kmh)
        motive = Motive.of(curve, tune)
        return motive.force_n(levels[self.level - 1], pedals.torque_nm, pedals.cadence_rpm, curve.speed_kmh)

    def legs_n(self, kmh: Array) -> Array:
        """What the rider pushes at the wheel."""
        return legs(self.rider, kmh).force_n


Wish = Held | Share | Pedalled
