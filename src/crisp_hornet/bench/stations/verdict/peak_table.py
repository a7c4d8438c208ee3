"""Peaks of a ride against its limits, one row each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.scale import across, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, VALUE_PX, Theme, font
from crisp_hornet.core.evidence.energy_seen import EnergyUsed
from crisp_hornet.core.evidence.peaks import Peak
from crisp_hornet.documents.saying import quantity, say

ROW = 42
FADES = ("pack_v", "motor_c", "controller_c")


@dataclass(frozen=True)
class PeakLine:
    """Name, measured figure, what it stands against, and the word that says how it stands."""

    label: str
    value: str
    against: str
    word: str


class PeakTable(QWidget):
    """Measured figures, large."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.lines: list[PeakLine] = []
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return real(330, max(1, len(self.lines)) * ROW)

    def show_lines(self, lines: list[PeakLine]) -> None:
        """Show the rows."""
        self.lines = lines
        self.setAccessibleName(
            tr("; ".join(f"{line.label} {line.value}, {line.against} {line.word}" for line in lines))
        )
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        for index, line in enumerate(self.lines):
            top = index * ROW
            painter.setFont(font(QUIET_PX))
            painter.setPen(theme.color("quiet"))
            painter.drawText(QPointF(18, top + 12), tr(line.label))
            paint_truth(painter, theme, "measured", QPointF(7, top + 27), 5)
            painter.setFont(font(VALUE_PX, QFont.Weight.DemiBold))
            painter.setPen(theme.color("text"))
            painter.drawText(QPointF(18, top + 33), tr(line.value))
            painter.setFont(font(TEXT_PX))
            painter.setPen(theme.color("quiet"))
            painter.drawText(QPointF(across(self) * 0.45, top + 33), tr(line.against))
            painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
            painter.setPen(theme.color("text"))
            right_text(painter, across(self), top + 33, line.word)
            painter.setPen(QPen(theme.color("rule"), 1))
            painter.drawLine(QPointF(0, top + ROW - 2), QPointF(across(self), top + ROW - 2))


def peak_lines(peaks: Sequence[Peak], used: EnergyUsed | None) -> list[PeakLine]:
    """The rows for a ride's peaks and its energy, by the wheel as it rolls."""
    lines = [
        PeakLine(peak.label, say("{peak}", peak=quantity(peak.value, peak.unit, ".1f")), _against(peak), _word(peak))
        for peak in peaks
    ]
    if used is not None and used.wh_per_km.known:
        lines.append(
            PeakLine(
                "energy, as it rolls",
                say("{wh_per}", wh_per=quantity(used.wh_per_km.value, "Wh/km", ".1f")),
                say("{distance}", distance=quantity(used.distance_km.value, "km", ".1f")),
                say("{net}", net=quantity(used.wh_net.value, "Wh", ".0f")),
            )
        )
    return lines


def _against(peak: Peak) -> str:
    if peak.limit is None:
        return "no limit"
    limit = quantity(peak.limit, peak.unit)
    return say("starts at {limit}", limit=limit) if peak.channel in FADES else say("limit {limit}", limit=limit)


def _word(peak: Peak) -> str:
    if peak.reached is None:
        return ""
    if peak.reached:
        return "reached"
    return "not reached"
