"""The height along the way, darker where it is steeper."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import area, painter_of
from crisp_hornet.bench.stations.rides.small_picture import SmallPicture
from crisp_hornet.bench.theme import Theme
from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import Units

PIECES, TINTS, STEEP = 120, 5, 10.0


class Profile(SmallPicture):
    """Height (m) over way (km) in pieces; the grade (%) tints each."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, 150)
        self._way = self._height = self._grade = np.zeros(0)
        self._at_km = 0.0
        self._told = ("", "", "")

    def show_profile(self, way_km: Array, height_m: Array, grade: Array, units: Units) -> None:
        """All (n,); lengths are shown in ``units``."""
        good = np.isfinite(height_m) & np.concatenate(([True], np.diff(way_km) > 1e-7))
        self._way = np.zeros(0)
        if good.sum() > 2:
            self._way = np.linspace(0.0, float(way_km[-1]), PIECES + 1)
            self._height = np.interp(self._way, way_km[good], height_m[good])
            self._grade = 100 * np.diff(self._height) / np.diff(1000 * self._way)
            climbs = float(np.maximum(np.diff(self._height), 0).sum())
            steepest = np.nanmax(grade) if np.isfinite(grade).any() else np.nan
            self._told = (
                units.text(
                    say(
                        "{climbs} climbed, {steepest} at the steepest",
                        climbs=quantity(climbs, "m", ".0f"),
                        steepest=quantity(float(steepest), "%", ".0f"),
                    )
                ),
                "0",
                units.text(say("{way}", way=quantity(float(way_km[-1]), "km", ".3g"))),
            )
            self.setAccessibleName(tr(f"height along the way: {self._told[0]}"))
        self.update()

    def point_at(self, way_km: float) -> None:
        """Mark a place."""
        self._at_km = way_km
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("sheet"))
        if self._way.size < 2:
            self.words(painter, "no heights", "", "")
            return
        low, high = float(self._height.min()), float(self._height.max())
        ranges = (0.0, float(self._way[-1])), (low - 0.15 * (high - low) - 1, high)
        line = self.place(self._way, self._height, *ranges)
        foot = self.frame.bottom()
        for at, grade in enumerate(self._grade.tolist()):
            tint = min(int(abs(grade) / STEEP * TINTS), TINTS - 1)
            painter.setPen(QPen(self.theme.color("measured", 0.0)))
            painter.setBrush(self.theme.color("measured", 0.12 + 0.6 * tint / (TINTS - 1)))
            a, b = line[at], line[at + 1]
            painter.drawPolygon(QPolygonF([QPointF(a.x(), foot), a, b, QPointF(b.x(), foot)]))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.theme.color("measured"), 1.5))
        painter.drawPolyline(line)
        x = self.frame.left() + self._at_km / max(float(self._way[-1]), 1e-9) * self.frame.width()
        painter.setPen(QPen(self.theme.color("text"), 1))
        painter.drawLine(QPointF(x, self.frame.top()), QPointF(x, foot))
        self.words(painter, *self._told)
