"""The charts of a ride for the page that is handed over: on white, sharp, at a size of their own."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QPixmap, QRegion
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.bench.widgets.force_chart import ForceChart
from crisp_hornet.bench.widgets.plain_chart import Picture, PlainChart
from crisp_hornet.documents.units import Units

WIDE, HIGH, SHARP = 560, 320, 2.0
PAPER = replace(LIGHT, name="paper", ground="#FFFFFF", sheet="#FFFFFF")


def pull_on_paper(shown: ForceChart, units: Units) -> QPixmap:
    """The pull chart with what it shows now."""
    chart = ForceChart(PAPER)
    chart.resize(WIDE, HIGH)
    chart.show_units(units)
    if shown.also is not None:
        chart.show_also(*shown.also)
    chart.show_curves(shown.draft, shown.controller)
    chart.show_measured(shown.measured)
    return _rendered(chart)


def picture_on_paper(picture: Picture) -> QPixmap:
    """A plain chart."""
    chart = PlainChart(PAPER)
    chart.resize(WIDE, HIGH)
    chart.show_picture(picture)
    return _rendered(chart)


def _rendered(chart: QWidget) -> QPixmap:
    pixmap = QPixmap(round(chart.width() * SHARP), round(chart.height() * SHARP))
    pixmap.setDevicePixelRatio(SHARP)
    pixmap.fill(PAPER.color("ground"))
    chart.render(pixmap, QPoint(), QRegion(), QWidget.RenderFlag.DrawChildren)
    return pixmap
