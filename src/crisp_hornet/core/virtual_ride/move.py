"""One step of a ride: the speed follows ``v' = a + b·(v − v0)``, for which speed and way are known exactly."""

from __future__ import annotations

import math
from dataclasses import dataclass


@dataclass(frozen=True)
class Move:
    """``v' = a + b·(v − v0)`` from ``v0`` (m/s)."""

    v0: float
    a: float
    b: float

    def after(self, seconds: float) -> tuple[float, float]:
        """(speed, way) after a time."""
        x = self.b * seconds
        if abs(x) < 1e-4:
            first, second = 1 + x / 2, 0.5 + x / 6
        else:
            first = math.expm1(x) / x
            second = (first - 1) / x
        return max(self.v0 + self.a * seconds * first, 0.0), self.v0 * seconds + self.a * seconds * seconds * second

    def until(self, seconds: float, target: float) -> float:
        """The time to a target or to standing, if that comes first."""
        after, _ = self.after(seconds)
        if self.v0 < target < after or after < target < self.v0:
            return min(self._reaches(target), seconds)
        return min(self._reaches(0.0), seconds) if after <= 0 and self.a < 0 else seconds

    def _reaches(self, v: float) -> float:
        x = self.b * (v - self.v0) / self.a
        if abs(x) < 1e-6 or x <= -1:
            return (v - self.v0) / self.a
        return math.log1p(x) / self.b

    def within(self, seconds: float, room: float, out: float, slows: float) -> float:
        """The time until the room (m) ends, or the brakes must begin for a speed at its end, if that comes first; by bisection."""

        def beyond(lasts: float) -> bool:
            after, way = self.after(lasts)
            return way > room or after * after - out * out > 2 * slows * (room - way)

        if not beyond(seconds):
            return seconds
        low, high = 0.0, seconds
        for _ in range(36):
            middle = (low + high) / 2
            low, high = (low, middle) if beyond(middle) else (middle, high)
        return high
