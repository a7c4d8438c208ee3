"""When a pack has come to rest after a load, so that its voltage tells its charge."""

from __future__ import annotations

from collections import deque

REST_A, LEAST_S, WINDOW_S, LEAST_STEP_S = 1.0, 120.0, 60.0, 0.5
RISE_V_PER_CELL = 0.0005  # in a minute; slower than this no charge curve tells the difference


class Resting:
    """``take`` readings; ``settled`` once the voltage has stopped rising."""

    def __init__(self, series: int) -> None:
        self._rise_v = RISE_V_PER_CELL * series
        self._kept: deque[tuple[float, float]] = deque()
        self._since_s: float | None = None

    def take(self, time_s: float, pack_v: float, battery_a: float) -> None:
        """One reading. A current starts it anew."""
        if not abs(battery_a) <= REST_A:
            self._since_s = None
            self._kept.clear()
            return
        if self._since_s is None:
            self._since_s = time_s
        if not self._kept or time_s - self._kept[-1][0] >= LEAST_STEP_S:
            self._kept.append((time_s, pack_v))
        while self._kept[-1][0] - self._kept[0][0] > WINDOW_S:
            self._kept.popleft()

    @property
    def lasts_s(self) -> float:
        """How long it has rested."""
        return self._kept[-1][0] - self._since_s if self._kept and self._since_s is not None else 0.0

    @property
    def volts(self) -> float:
        """The mean of the last few seconds (V); NaN while a current flows."""
        newest = [volts for _, volts in list(self._kept)[-8:]]
        return sum(newest) / len(newest) if newest else float("nan")

    @property
    def settled(self) -> bool:
        """Whether it has rested long enough and no longer rises."""
        if self.lasts_s < LEAST_S:
            return False
        values = [volts for _, volts in self._kept]
        quarter = max(len(values) // 4, 1)
        rise = sum(values[-quarter:]) / quarter - sum(values[:quarter]) / quarter
        return abs(rise) <= self._rise_v
