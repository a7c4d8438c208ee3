"""The difference as lines: what, from, to, and after a send what the controller is known to hold."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QSize
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import width_of
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_check, paint_severity, paint_truth
from crisp_hornet.bench.scale import across, painter_of, real
from crisp_hornet.bench.theme import BUTTON_PX, QUIET_PX, VALUE_PX, Theme, font
from crisp_hornet.link.report import Held

ROW, HEADING = 58, 26


@dataclass(frozen=True)
class ChangeLine:
    """One change in words. ``held`` is known after a send; ``group`` is what it touches; a ``grey`` line is not sent."""

    label: str
    before: str
    after: str
    note: str = ""
    held: Held | None = None
    group: str = ""
    grey: bool = False


class ChangeList(QWidget):
    """A row per change, from the controller's mark to the draft's; once proved the controller's mark stands at the new value."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.lines: list[ChangeLine] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return real(560, max(1, len(self.lines)) * ROW + len(self._headings()) * HEADING)

    def _headings(self) -> dict[int, str]:
        """Where a new group begins, if there is more than one."""
        groups = [line.group for line in self.lines]
        if len(set(groups)) < 2:
            return {}
        return {index: group for index, group in enumerate(groups) if index == 0 or group != groups[index - 1]}

    def show_lines(self, lines: list[ChangeLine]) -> None:
        """Show a difference."""
        self.lines = lines
        self.setAccessibleName(
            tr("; ".join(f"{line.label} {line.before} to {line.after}" for line in lines) or "no change")
        )
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        headings, top = self._headings(), 0.0
        for index, line in enumerate(self.lines):
            if index in headings:
                painter.setFont(font(QUIET_PX, QFont.Weight.DemiBold))
                painter.setPen(self.theme.color("quiet"))
                painter.drawText(QPointF(0, top + 19), tr(headings[index].upper()))
                top += HEADING
            self._paint_line(painter, line, top)
            top += ROW

    def _paint_line(self, painter: QPainter, line: ChangeLine, top: float) -> None:
        theme, middle = self.theme, top + 24
        painter.setFont(font(BUTTON_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("quiet" if line.grey else "text"))
        painter.drawText(QPointF(0, middle + 6), tr(line.label[:1].upper() + line.label[1:]))
        from_x, to_x = across(self) * 0.40, across(self) * 0.64
        if line.held is None or line.held is Held.OLD:
            paint_truth(painter, theme, "controller", QPointF(from_x, middle), 7)
        self._figure(painter, from_x + 16, middle, line.before, line.grey or line.held is Held.NEW)
        painter.setPen(QPen(theme.color("quiet"), 1.4))
        end = to_x - 16
        start = min(from_x + 24 + width_of(painter, line.before), end - 10)
        painter.drawLine(QPointF(start, middle), QPointF(end, middle))
        painter.drawLine(QPointF(end - 5, middle - 4), QPointF(end, middle))
        painter.drawLine(QPointF(end - 5, middle + 4), QPointF(end, middle))
        if line.held is not Held.UNKNOWN:  # what is proved to be there carries the controller's mark from then on
            proved = line.held is Held.NEW
            paint_truth(
                painter, theme, "controller" if proved else "drafted", QPointF(to_x, middle), 7 if proved else 7.5
            )
        self._figure(painter, to_x + 16, middle, line.after, line.grey)
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(0, middle + 25), tr(line.note))
        if line.held is not None:
            self._paint_held(painter, line.held, middle)
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.drawLine(QPointF(0, top + ROW - 1), QPointF(across(self), top + ROW - 1))

    def _figure(self, painter: QPainter, x: float, middle: float, text: str, quiet: bool) -> None:
        painter.setFont(font(VALUE_PX, QFont.Weight.Medium if quiet else QFont.Weight.DemiBold))
        painter.setPen(self.theme.color("quiet" if quiet else "text"))
        painter.drawText(QPointF(x, middle + 7), tr(text))

    def _paint_held(self, painter: QPainter, held: Held, middle: float) -> None:
        theme, x = self.theme, across(self) - 108.0
        if held is Held.NEW:
            paint_check(painter, theme.color("settled"), QPointF(x, middle), 8)
        else:
            paint_severity(painter, theme, "stop" if held is Held.UNKNOWN else "note", QPointF(x, middle), 7)
        painter.setFont(font(QUIET_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("text"))
        words = {Held.NEW: "holds it", Held.OLD: "as before", Held.UNKNOWN: "not known"}
        painter.drawText(QPointF(x + 16, middle + 5), tr(words[held]))
