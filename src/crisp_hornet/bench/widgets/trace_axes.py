"""Axes of the traces: minutes and seconds, kilometres, and sizes with round ticks."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg

from crisp_hornet.bench.theme import QUIET_PX

TIME_STEPS_S = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 1800.0, 3600.0)
TICK_PX = 90


def round_step(wanted: float) -> float:
    """The least of 1, 2 and 5 times a power of ten that is not below ``wanted``."""
    power = 10.0 ** np.floor(np.log10(max(wanted, 1e-9)))
    return float(next((one * power for one in (1, 2, 5) if one * power >= wanted), 10 * power))


class TimeAxis(pg.AxisItem):  # type: ignore[misc]
    """Ticks as minutes and seconds."""

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        wanted = (maxVal - minVal) / max(size / TICK_PX, 1)
        return [(next((step for step in TIME_STEPS_S if step >= wanted), 3600.0), 0.0)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [clock(value) for value in values]


class WayAxis(pg.AxisItem):  # type: ignore[misc]
    """Ticks as lengths of way; ``unit_per_km`` and ``unit`` turn them into what is shown."""

    def __init__(self, unit: str, unit_per_km: float) -> None:
        super().__init__("bottom")
        self._unit, self._per_km = unit, unit_per_km

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        wanted = (maxVal - minVal) * self._per_km / max(size / TICK_PX, 1)
        return [(round_step(wanted) / self._per_km, 0.0)]

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [f"{value * self._per_km:.4g} {self._unit}" for value in values]


class SizeAxis(pg.AxisItem):  # type: ignore[misc]
    """As many round ticks as have room below each other."""

    def tickSpacing(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, float]]:
        return [(round_step((maxVal - minVal) / max(size / (1.05 * QUIET_PX), 1)), 0.0)]


def clock(seconds: float) -> str:
    """``6:32`` for 392 s."""
    whole = max(0, round(seconds))
    return (
        f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"
        if whole >= 3600
        else f"{whole // 60}:{whole % 60:02d}"
    )
