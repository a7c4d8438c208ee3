"""The instruments as a list: each with how it did last, and when."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.keys import RovingButton, rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_check, paint_severity
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.scale import across, area, fix, painter_of, real
from crisp_hornet.bench.stations.calibrate.instruments import INSTRUMENTS, Instrument
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, label, sheet
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.saying import counted

ROW = 44
MARKS = {"failed": "stop", "doubtful": "warn"}


class InstrumentRow(RovingButton):
    """One instrument: its verdict's shape, its name, and the date."""

    def __init__(self, instrument: Instrument, theme: Theme) -> None:
        super().__init__()
        self.instrument, self.theme = instrument, theme
        self.newest: Calibration | None = None
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        fix(self, high=ROW)

    def sizeHint(self) -> QSize:
        return real(240, ROW)

    def show_newest(self, newest: Calibration | None) -> None:
        """How it did last."""
        self.newest = newest
        said = f"{newest.verdict}, {_when(newest)}" if newest else "not checked"
        self.setAccessibleName(tr(f"{self.instrument.title}: {said}"))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = painter_of(self), self.theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked() or self.hasFocus():
            style = Qt.PenStyle.SolidLine if self.isChecked() else Qt.PenStyle.DotLine
            painter.setPen(QPen(theme.color("text"), 2, style))
            painter.setBrush(theme.color("sheet"))
            painter.drawRoundedRect(area(self).adjusted(1, 1, -2, -2), 3, 3)
        at = QPointF(18, ROW / 2)
        verdict = self.newest.verdict if self.newest is not None else ""
        if verdict == "passed":
            paint_check(painter, theme.color("settled"), at, 8)
        elif verdict:
            paint_severity(painter, theme, MARKS[verdict], at, 7)
        else:
            painter.setPen(QPen(theme.color("quiet"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 5, 5)
        painter.setPen(theme.color("text"))
        painter.setFont(font(TEXT_PX, QFont.Weight.Medium))
        room = across(self) - 40
        name = QFontMetricsF(painter.font()).elidedText(tr(self.instrument.title), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(36, 19), name)
        painter.setPen(theme.color("quiet"))
        painter.setFont(font(QUIET_PX))
        painter.drawText(QPointF(36, 36), tr(f"{verdict}, {_when(self.newest)}" if self.newest else "not checked"))


class InstrumentList(QWidget):
    """All instruments, in the order of the work."""

    chosen = pyqtSignal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.rows = [InstrumentRow(instrument, theme) for instrument in INSTRUMENTS]
        self._next: Instrument | None = None
        self._head, self._why = label("", "caps"), label("", "quiet", wrap=True)
        self._go = button("", self._go_next, "small", "Go to the next instrument")
        column = column_of(self, margins=(0, 0, 4, 0), spacing=1)
        self._what = sheet(self._head, self._why, self._go, margin=10, spacing=4)
        column.addWidget(self._what)
        column.addSpacing(6)
        rows = QWidget()
        rove(rows)
        listed = column_of(rows, margins=0, spacing=1)
        for row in self.rows:
            row.clicked.connect(lambda _on, row=row: self.chosen.emit(row.instrument))
            listed.addWidget(row)
        column.addWidget(rows)
        column.addStretch(1)

    def mark(self, kind: str) -> None:
        """Show which one is on the bench."""
        for row in self.rows:
            row.setChecked(row.instrument.kind == kind)

    def refresh(self) -> None:
        """How each did last."""
        newest: dict[str, Calibration] = {}
        for calibration in self._desk.story.calibrations():
            newest.setdefault(calibration.kind, calibration)
        for row in self.rows:
            row.show_newest(newest.get(row.instrument.kind))
        self._show_next(newest)

    def _show_next(self, newest: dict[str, Calibration]) -> None:
        """What failed comes before what was never checked, both in the order of the work."""
        verdicts = {
            instrument.kind: newest[instrument.kind].verdict if instrument.kind in newest else ""
            for instrument in INSTRUMENTS
        }
        left = sorted(
            (instrument for instrument in INSTRUMENTS if verdicts[instrument.kind] != "passed"),
            key=lambda one: verdicts[one.kind] != "failed",
        )
        self._next = left[0] if left else None
        self._what.setVisible(self._next is not None)
        if self._next is None:
            return
        failed = verdicts[self._next.kind] == "failed"
        self._head.setText("REPAIR FIRST" if failed else f"NEXT, {counted(len(left), 'check')} left")
        self._why.setText(self._next.why)
        self._go.setText(f"Go to {self._next.title}")

    def _go_next(self) -> None:
        if self._next is not None:
            self.chosen.emit(self._next)


def _when(calibration: Calibration) -> str:
    return time_words(datetime.fromisoformat(calibration.taken).astimezone())
