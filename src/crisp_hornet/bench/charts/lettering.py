"""Names inside a chart: each beside its mark, where it covers neither a mark nor another name, and as little of the lines as can be.

Point-feature labelling by the greedy choice among fixed candidate places (J. Christensen, J. Marks, S. Shieber, *An Empirical Study of
Algorithms for Point-Feature Label Placement*, 1995, section 3.1): names come in the order of their weight, each takes the place that
costs least beside those that have theirs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFontMetricsF, QPainter, QPolygonF

from crisp_hornet.bench.language import tr

Floats = NDArray[np.float64]
OUTSIDE, COVERS, CROSSES = (
    1000.0,
    60.0,
    2.0,
)  # what it costs to leave the box, to cover a mark or a name, to lie on a point of a line
AWAY_PX = 4.0
EVERY_PX = 6.0  # lines are looked at in steps of so much


@dataclass(frozen=True)
class Name:
    """A text that names the mark at ``at``, whose half width is ``reach``."""

    text: str
    at: QPointF
    reach: float = 0.0


def settle(
    sizes: Sequence[tuple[float, float]],
    anchors: Sequence[tuple[float, float, float]],
    box: QRectF,
    taken: Floats,
    lines: Floats,
) -> list[QRectF]:
    """Places for texts of ``sizes`` (width, height, px) beside ``anchors`` (x, y, reach) inside ``box``; ``taken`` are rectangles (n, 4:
    left, top, right, bottom) not to be covered, ``lines`` points (m, 2) better left free."""
    placed: list[QRectF] = []
    taken = taken.reshape(-1, 4)
    for (wide, high), (x, y, reach) in zip(sizes, anchors, strict=True):
        tries = _candidates(x, y, reach + AWAY_PX, wide, high)
        cost = OUTSIDE * _outside(tries, box) + COVERS * _covered(tries, taken) + CROSSES * _crossed(tries, lines)
        cost += np.arange(len(tries)) * 0.5
        left, top, right, bottom = tries[int(np.argmin(cost))].tolist()
        placed.append(QRectF(left, top, right - left, bottom - top))
        taken = np.vstack((taken, [left, top, right, bottom]))
    return placed


def _candidates(x: float, y: float, away: float, wide: float, high: float) -> Floats:
    """Places around a mark, the best liked first: right above, above, right below, below, left, and all of them further off."""
    found = []
    for more in (0.0, high, 2 * high):
        far = away + more
        for dx, dy in (
            (far - AWAY_PX, -far - high), (-wide / 2, -far - high), (far - AWAY_PX, far), (-wide / 2, far), (far, -high / 2),
            (AWAY_PX - far - wide, -far - high), (AWAY_PX - far - wide, far), (-far - wide, -high / 2),
        ):  # fmt: skip
            found.append((x + dx, y + dy, x + dx + wide, y + dy + high))
    return np.array(found)


def _outside(tries: Floats, box: QRectF) -> Floats:
    over = np.maximum(box.left() - tries[:, 0], 0) + np.maximum(tries[:, 2] - box.right(), 0)
    over += np.maximum(box.top() - tries[:, 1], 0) + np.maximum(tries[:, 3] - box.bottom(), 0)
    outside: Floats = over
    return outside


def _covered(tries: Floats, taken: Floats) -> Floats:
    """How much of each is covered, in px of the lesser side; enough to tell a touch from a cover."""
    if not len(taken):
        return np.zeros(len(tries))
    wide = np.minimum(tries[:, None, 2], taken[None, :, 2]) - np.maximum(tries[:, None, 0], taken[None, :, 0])
    high = np.minimum(tries[:, None, 3], taken[None, :, 3]) - np.maximum(tries[:, None, 1], taken[None, :, 1])
    covered: Floats = np.where((wide > 0) & (high > 0), np.minimum(wide, high) + 1.0, 0.0).sum(axis=1)
    return covered


def _crossed(tries: Floats, lines: Floats) -> Floats:
    if not len(lines):
        return np.zeros(len(tries))
    inside = (lines[None, :, 0] > tries[:, None, 0]) & (lines[None, :, 0] < tries[:, None, 2])
    inside &= (lines[None, :, 1] > tries[:, None, 1]) & (lines[None, :, 1] < tries[:, None, 3])
    crossed: Floats = inside.sum(axis=1).astype(np.float64)
    return crossed


def along(polygon: QPolygonF | Sequence[QPointF]) -> Floats:
    """Points (m, 2) along a line, no two further apart than :data:`EVERY_PX`."""
    places = [polygon[at] for at in range(len(polygon))]
    corners = np.array([(place.x(), place.y()) for place in places], np.float64).reshape(-1, 2)
    if len(corners) < 2:
        return corners
    steps = np.hypot(*np.diff(corners, axis=0).T)
    way = np.concatenate(([0.0], np.cumsum(steps)))
    at = np.linspace(0.0, way[-1], max(int(way[-1] / EVERY_PX) + 1, 2))
    return np.column_stack((np.interp(at, way, corners[:, 0]), np.interp(at, way, corners[:, 1])))


class Lettering:
    """The names on one picture. ``boxes`` are the places of all that was written so far."""

    def __init__(self, box: QRectF) -> None:
        self.box = box
        self.boxes: list[tuple[str, QRectF]] = []
        self._marks: list[tuple[float, float, float, float]] = []
        self._lines: list[Floats] = []

    def mark(self, at: QPointF, reach: float) -> None:
        """A mark that no name may cover."""
        self._marks.append((at.x() - reach, at.y() - reach, at.x() + reach, at.y() + reach))

    def line(self, polygon: QPolygonF | Sequence[QPointF]) -> None:
        """A line that names keep off where they can."""
        self._lines.append(along(polygon))

    def wrote(self, text: str, place: QRectF) -> None:
        """Something is written already."""
        self.boxes.append((text, place))

    def write(self, painter: QPainter, names: Sequence[Name]) -> None:
        """Write names in the painter's font and pen, each at its best place."""
        metrics = QFontMetricsF(painter.font())
        high = metrics.ascent() + metrics.descent()
        taken = [*self._marks, *((one.left(), one.top(), one.right(), one.bottom()) for _, one in self.boxes)]
        lines = np.vstack(self._lines) if self._lines else np.zeros((0, 2))
        places = settle(
            [(metrics.horizontalAdvance(tr(name.text)), high) for name in names],
            [(name.at.x(), name.at.y(), name.reach) for name in names],
            self.box,
            np.array(taken, np.float64).reshape(-1, 4),
            lines,
        )
        for name, place in zip(names, places, strict=True):
            painter.drawText(QPointF(place.left(), place.top() + metrics.ascent()), tr(name.text))
            self.boxes.append((name.text, place))
