"""The charts of a ride: along the way, its pulls as a dyno; and on white for the page that is handed over."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QPixmap, QRegion
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.force_chart import ForceChart
from crisp_hornet.bench.charts.plain_chart import Band, Line, Picture, PlainChart
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.dyno import DynoRuns
from crisp_hornet.core.ride.along_way import per_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.units import Units


def along_the_way(whole: Ride, other: tuple[Array, Array] | None, name: str, units: Units) -> Picture | None:
    """Wh per km along the way: measured, predicted, and the other ride's (km of this one's way, Wh/km). ``whole`` has its derived channels.
    None where no energy or no way is known."""
    way, watts = whole.channels.get("distance_km"), whole.channels.get("battery_w")
    if way is None or watts is None:
        return None
    lines = [_line("measured", *per_km(whole.time_s, way, watts), units, truth="measured")]
    predicted = whole.channels.get("predicted_w")
    if predicted is not None:
        lines.append(_line("predicted", *per_km(whole.time_s, way, predicted), units, truth="controller"))
    if other is not None:
        lines.append(_line(name, *other, units, style=Qt.PenStyle.DotLine))
    return Picture(*_names(units), lines=lines)


def _names(units: Units) -> tuple[str, str]:
    return units.unit("km"), units.unit("Wh/km")


def _line(
    name: str, km: Array, wh_per_km: Array, units: Units, truth: str = "", style: Qt.PenStyle = Qt.PenStyle.SolidLine
) -> Line:
    return Line(name, km * units.value(1.0, "km"), wh_per_km * units.value(1.0, "Wh/km"), style, truth)


def dyno(
    runs: DynoRuns | None, other: DynoRuns | None, name: str, curve: PullCurve | None, units: Units
) -> Picture | None:
    """Power at the wheel by speed: the mean of this ride's pulls with its band, the prediction, the other ride's. None without pulls."""
    if runs is None:
        return None
    to_shown = units.value(1.0, "km/h")
    count = len(runs.runs)
    lines = [
        Line(
            f"measured, {counted(count, 'pull')}",
            runs.speed_kmh * to_shown,
            runs.power_w,
            truth="measured",
        )
    ]
    bands = [Band(runs.speed_kmh * to_shown, runs.low_w, runs.high_w, "measured")]
    last = float(runs.speed_kmh[-1])
    if other is not None:
        lines.append(Line(name, other.speed_kmh * to_shown, other.power_w, Qt.PenStyle.DotLine))
        last = max(last, float(other.speed_kmh[-1]))
    if curve is not None:
        shown = curve.speed_kmh <= last + 5
        lines.append(Line("predicted", curve.speed_kmh[shown] * to_shown, curve.wheel_w[shown], truth="controller"))
    return Picture(units.unit("km/h"), "W at the wheel", lines=lines, bands=bands, y_from=0.0, x_from=0.0)


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
