"""The modes as a table: what each reaches and limits, how it is selected; a row chosen by mouse or keys is the one in hand."""

from __future__ import annotations

import re
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import right_text, width_of
from crisp_hornet.bench.keys import RovingButton, rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import clear, label

ROW_PX, LINE_PX, WIDE_PX = 50, 16, 268


@dataclass(frozen=True)
class ModeLine:
    """Name, top speed and launch as words, what the mode limits and how it is selected; ``marks`` as ``start-up``."""

    name: str
    top: str
    launch: str
    limits: str
    marks: tuple[str, ...] = ()


class ModeRow(RovingButton):
    """One mode."""

    def __init__(self, theme: Theme, line: ModeLine) -> None:
        super().__init__()
        self.theme, self.line = theme, line
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setObjectName(f"mode {line.name}")
        marks = "".join(f", {mark}" for mark in line.marks)
        self.setAccessibleName(tr(f"mode {line.name}{marks}: {line.top}, {line.launch}; {line.limits}"))

    def sizeHint(self) -> QSize:
        return real(280, self._high())

    def _limits(self) -> list[str]:
        """The limits in as many lines as they take, broken after a comma or semicolon."""
        metrics, lines = QFontMetricsF(font(QUIET_PX)), [""]
        for part in re.split(r"(?<=[,;]) ", self.line.limits):
            joined = f"{lines[-1]} {part}".strip()
            if lines[-1] and metrics.horizontalAdvance(tr(joined)) > WIDE_PX - 20:
                lines.append(part)
            else:
                lines[-1] = joined
        return lines

    def _high(self) -> int:
        return ROW_PX + LINE_PX * (len(self._limits()) - 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, line = painter_of(self), self.theme, self.line
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = float(across(self))
        if self.isChecked() or self.hasFocus():
            style = Qt.PenStyle.SolidLine if self.isChecked() else Qt.PenStyle.DotLine
            painter.setPen(QPen(theme.color("text"), 2 if self.isChecked() else 1.2, style))
            painter.setBrush(theme.color("sheet"))
            painter.drawRoundedRect(QRectF(1, 1, wide - 2, self._high() - 2), 3, 3)
        painter.setPen(theme.color("text"))
        painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
        painter.drawText(QPointF(10, 20), tr(line.name))
        end = 10 + width_of(painter, line.name)
        painter.setFont(font(TEXT_PX))
        right_text(painter, wide - 10, 20, f"{line.top}   {line.launch}")
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(end + 8, 20), tr(", ".join(line.marks)))
        for at, words in enumerate(self._limits()):
            painter.drawText(QPointF(10, 39 + LINE_PX * at), tr(words))


class ModeList(QWidget):
    """The whole tune first, then its modes. ``chosen`` carries the place of a mode, from 0."""

    chosen = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.rows: list[ModeRow] = []
        self._lines: list[ModeLine] = []
        self._head = label("", "quiet", wrap=True)
        self._whole = label("", "quiet", wrap=True)
        rows = QWidget()
        rove(rows)
        self._column = column_of(rows, margins=0, spacing=2)
        outer = column_of(self, margins=0, spacing=4)
        outer.addWidget(self._head)
        outer.addWidget(rows)
        outer.addWidget(self._whole)
        outer.addStretch(1)

    def show_modes(self, whole: ModeLine, lines: list[ModeLine], at: int, head: str) -> None:
        """Show the modes, one of them in hand; rows stay as long as the words do."""
        self._head.setText(head)
        self._whole.setText(f"whole tune: {whole.top}, {whole.launch}")
        if lines != self._lines or any(row.theme is not self.theme for row in self.rows):
            self._lines = lines
            clear(self._column)
            self.rows = [ModeRow(self.theme, line) for line in lines]
            for place, row in enumerate(self.rows):
                row.clicked.connect(lambda _on, place=place: self.chosen.emit(place))
                self._column.addWidget(row)
        for place, row in enumerate(self.rows):
            row.setChecked(place == at)
