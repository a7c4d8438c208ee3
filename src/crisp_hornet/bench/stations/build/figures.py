"""The bike's figures as groups of rows: label, value, where it comes from; and one of them as a row that can be chosen."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy

from crisp_hornet.bench.charts.paint import right_text
from crisp_hornet.bench.keys import RovingButton
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, painter_of, real
from crisp_hornet.bench.stations.build.shown import GROUPS, shown_text
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.core.build.conversions import kv_from_flux
from crisp_hornet.documents.base import title_of
from crisp_hornet.documents.bike import Bike

PHASE_RATING, BATTERY_RATING = "controller.max_phase_current_a", "controller.max_battery_current_a"


@dataclass(frozen=True)
class Figure:
    """One row. ``path`` is the key in the document, for its source; "" for a computed figure."""

    label: str
    text: str
    path: str = ""


def figures(bike: Bike) -> dict[str, list[Figure]]:
    """All groups, in the order a builder goes through a bike."""
    groups = {}
    for name, group in GROUPS.items():
        rows = [Figure(shown.label, shown_text(path, bike.value(path)), path) for path, shown in group.items()]
        groups[name] = rows
    kv = kv_from_flux(bike.motor.flux_linkage_wb, bike.motor.pole_pairs)
    groups["MOTOR"].insert(1, Figure("kV, peak line to line", f"{kv:.2f} rpm/V", "motor.flux_linkage_wb"))
    for row in bike.controller.ratings_by_voltage or []:
        for current, path in ((row.phase_current_a, PHASE_RATING), (row.battery_current_a, BATTERY_RATING)):
            if current is not None:
                what = "phase" if path == PHASE_RATING else "battery"
                groups["CONTROLLER"].append(Figure(f"{what}, up to {row.up_to_v:g} V", f"{current:g} A", path))
    return groups


def name_of(bike: Bike, path: str) -> str:
    """What a figure is called on the page; one that has no row by the words of its key."""
    rows = {one.path: one.label for group in figures(bike).values() for one in group}
    return rows.get(path) or title_of(path.rpartition(".")[2])


def source_word(bike: Bike, path: str) -> str:
    """``assumed``, ``measured`` …; "" where the document does not say."""
    source = bike.sources.get(path) or bike.sources.get(path.rpartition(".")[0])
    return source.origin if source else ""


HEIGHT = 28
SOURCE_WIDTH = 66.0


class FigureRow(RovingButton):
    """Label, value, source; pressing it opens its entry."""

    def __init__(self, figure: Figure, source: str, theme: Theme) -> None:
        super().__init__()
        self.figure, self.source, self.theme = figure, source, theme
        self.setProperty("help", figure.path)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr(f"{figure.label} {figure.text}" + (f", {source}" if source else "")))

    def sizeHint(self) -> QSize:
        return real(290, HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, base = self.theme, HEIGHT / 2 + 5
        if self.isChecked() or self.hasFocus() or self.underMouse():
            painter.setPen(QPen(theme.color("text" if self.hasFocus() else "rule"), 2 if self.hasFocus() else 1))
            painter.setBrush(theme.color("sheet"))
            painter.drawRoundedRect(QRectF(1, 1, across(self) - 2, HEIGHT - 2), 3, 3)
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(6, base), tr(self.figure.label))
        painter.drawText(QPointF(across(self) - SOURCE_WIDTH, base), tr(self.source))
        painter.setFont(font(TEXT_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("text"))
        right_text(painter, across(self) - SOURCE_WIDTH - 10, base, self.figure.text)
