"""Two channels against each other, what is in view of them, with the model's full pull behind where it knows both."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import area, painter_of
from crisp_hornet.bench.stations.rides.small_picture import SmallPicture
from crisp_hornet.bench.theme import Theme
from crisp_hornet.core.arrays import Array

MOST_POINTS, ARM = 1500, 2.0
NOTHING = np.zeros(0)


class Against(SmallPicture):
    """Crosses for what was measured; a dashed line for the model of what was on the controller."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, 190)
        self._points, self._model = (NOTHING, NOTHING), (NOTHING, NOTHING)
        self._words = ("", "")
        self.count = 0

    def show_points(self, x: Array, y: Array, model: tuple[Array, Array] | None, words: tuple[str, str]) -> None:
        """Measured (n,) each and the model's (m,) each; ``words``: what the axes are, with units."""
        good = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
        self.count = good.size
        good = good[:: max(1, good.size // MOST_POINTS)]
        self._points, self._words = (x[good], y[good]), words
        self._model = model if model is not None else (NOTHING, NOTHING)
        known = ", with the model's full pull" if model is not None else ""
        self.setAccessibleName(tr(f"{words[1]} against {words[0]}: {self.count} points{known}"))
        self.update()

    @property
    def _ranges(self) -> tuple[tuple[float, float], tuple[float, float]]:
        both = [
            np.concatenate((self._points[axis], self._model[axis][np.isfinite(self._model[axis])])) for axis in (0, 1)
        ]
        spans = [
            (float(min(one.min(), 0.0)) if one.min() < 0.4 * one.max() else float(one.min()), float(one.max()))
            for one in both
        ]
        return spans[0], spans[1]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("sheet"))
        if not self._points[0].size:
            self.words(painter, "nothing of both in view", "", "")
            return
        x_range, y_range = self._ranges
        painter.setPen(QPen(self.theme.color("rule"), 1))
        painter.drawRect(self.frame)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.theme.color("measured", 0.6), 1))
        for point in self.place(*self._points, x_range, y_range):  # type: ignore[attr-defined]
            painter.drawLine(point - QPointF(ARM, ARM), point + QPointF(ARM, ARM))
            painter.drawLine(point - QPointF(ARM, -ARM), point + QPointF(ARM, -ARM))
        if self._model[0].size > 1:
            painter.setPen(QPen(self.theme.color("controller"), 2, Qt.PenStyle.DashLine))
            painter.drawPolyline(self.place(*self._model, x_range, y_range))
        self.words(
            painter,
            f"{y_range[0]:.4g} to {y_range[1]:.4g} {self._words[1]}",
            f"{x_range[0]:.4g}",
            f"{x_range[1]:.4g} {self._words[0]}",
        )
