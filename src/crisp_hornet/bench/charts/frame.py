"""Where figures lie on a chart, and which of them its axes name."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF

from crisp_hornet.core.arrays import Array

ABOUT = 8  # ticks on an axis
TICK_HIGH_PX, TICK_WIDE_PX = 15.0, 38.0  # what the figure of a tick takes, up an axis and along it


@dataclass(frozen=True)
class Frame:
    """Where figures lie on the widget."""

    box: QRectF
    x: tuple[float, float]
    y: tuple[float, float]

    def at(self, x: float, y: float) -> QPointF:
        """The place of a pair of figures."""
        return QPointF(
            self.box.left() + (x - self.x[0]) / (self.x[1] - self.x[0]) * self.box.width(),
            self.box.bottom() - (y - self.y[0]) / (self.y[1] - self.y[0]) * self.box.height(),
        )

    def points(self, x: Array, y: Array) -> list[QPointF]:
        """The places of many pairs (n,)."""
        across = self.box.left() + (x - self.x[0]) * (self.box.width() / (self.x[1] - self.x[0]))
        up = self.box.bottom() - (y - self.y[0]) * (self.box.height() / (self.y[1] - self.y[0]))
        return [QPointF(a, b) for a, b in zip(across.tolist(), up.tolist(), strict=True)]

    def back(self, place: QPointF) -> tuple[float, float]:
        """The figures at a place, inside the axes."""
        x = self.x[0] + (place.x() - self.box.left()) / self.box.width() * (self.x[1] - self.x[0])
        y = self.y[0] + (self.box.bottom() - place.y()) / self.box.height() * (self.y[1] - self.y[0])
        return min(max(x, self.x[0]), self.x[1]), min(max(y, self.y[0]), self.y[1])


def tick_spacing(span: float, most: float = ABOUT) -> float:
    """A round distance of ticks that gives at most so many of them."""
    raw = span / max(most, 1.0)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(factor * power for factor in (1, 2, 5, 10) if factor * power >= raw)


def ticks(low: float, high: float, spacing: float | None = None, most: float = ABOUT) -> list[float]:
    """The round figures between two, both ends included where they are round."""
    spacing = spacing or tick_spacing(high - low, min(most, ABOUT))
    first, last = math.ceil(low / spacing - 1e-9), math.floor(high / spacing + 1e-9)
    return [float(f"{at * spacing:.9g}") for at in range(first, last + 1)]


def nice_top(value: float) -> float:
    """The next round top of an axis."""
    spacing = tick_spacing(value)
    return math.ceil(value / spacing) * spacing


def ticks_up(low: float, high: float, room_px: float) -> list[float]:
    """The ticks of an upright axis, no more than find room."""
    return ticks(low, high, most=room_px / TICK_HIGH_PX)


def ticks_along(low: float, high: float, room_px: float) -> list[float]:
    """The ticks of a level axis, no more than find room."""
    return ticks(low, high, most=room_px / TICK_WIDE_PX)
