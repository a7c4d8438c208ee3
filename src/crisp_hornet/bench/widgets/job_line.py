"""The job line: one line, one bolt head per station, under each name one live figure."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.charts.paint import width_of
from crisp_hornet.bench.keys import RovingButton, rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import BoltState, paint_bolt
from crisp_hornet.bench.scale import across, fix, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, Theme, font
from crisp_hornet.bench.widgets.layouts import row_of

HEIGHT = 76
BOLT_X = 24.0
LINE_Y = 42.0


class StationButton(RovingButton):
    """One station on the job line."""

    def __init__(self, number: int, name: str, theme: Theme) -> None:
        super().__init__()
        self.number, self.theme = number, theme
        self.state, self.caption = BoltState.UNTOUCHED, ""
        self.first = self.last = False
        self.setText(name)
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_state(self, state: BoltState, caption: str) -> None:
        """Show where the station stands."""
        if (state, caption) == (self.state, self.caption):
            return
        self.state, self.caption = state, caption
        self.setAccessibleName(tr(f"{self.number} {self.text()}: {state.value}, {caption}"))
        self.setToolTip(tr(f"Ctrl+{self.number} · {state.value} · {caption}"))
        self.update()

    def sizeHint(self) -> QSize:
        return real(150, HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, width = self.theme, float(across(self))
        if self.isChecked() or self.hasFocus():
            painter.setPen(
                QPen(
                    theme.color("text"),
                    2 if self.isChecked() else 1.2,
                    Qt.PenStyle.SolidLine if self.isChecked() else Qt.PenStyle.DotLine,
                )
            )
            painter.setBrush(theme.color("sheet") if self.isChecked() else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(2, 3, width - 4, HEIGHT - 6), 3, 3)
        if self.isChecked() and self.hasFocus():
            painter.setPen(QPen(theme.color("text"), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(QRectF(6, 7, width - 12, HEIGHT - 14), 2, 2)
        painter.setPen(QPen(theme.color("text"), 1.4))
        painter.drawLine(QPointF(BOLT_X if self.first else 0, LINE_Y), QPointF(BOLT_X if self.last else width, LINE_Y))
        paint_bolt(painter, theme, self.state, QPointF(BOLT_X, LINE_Y))
        painter.setFont(font(17, QFont.Weight.DemiBold))
        painter.setPen(theme.color("text"))
        painter.drawText(QPointF(BOLT_X - 10, 25), tr(self.text()))
        end = BOLT_X - 10 + width_of(painter, self.text())
        small = font(QUIET_PX)
        painter.setFont(small)
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(end + 7, 25), str(self.number))
        room = width - BOLT_X + 4
        painter.drawText(
            QPointF(BOLT_X - 10, 65),
            QFontMetricsF(small).elidedText(tr(self.caption), Qt.TextElideMode.ElideRight, room),
        )


class JobLine(QWidget):
    """All stations in the order of the work. Numbers stay fixed while a station is not there yet."""

    chosen = pyqtSignal(str)

    def __init__(self, stations: list[tuple[str, str]], theme: Theme) -> None:
        super().__init__()
        fix(self, high=HEIGHT)
        rove(self)
        row = row_of(self, margins=(12, 0, 12, 0), spacing=0)
        self.buttons: dict[str, StationButton] = {}
        for number, (key, name) in enumerate(stations, 1):
            button = StationButton(number, name, theme)
            button.clicked.connect(lambda _checked, key=key: self.chosen.emit(key))
            row.addWidget(button, 1)
            self.buttons[key] = button
        self.buttons[stations[0][0]].first = True
        self.buttons[stations[-1][0]].last = True

    def choose(self, key: str) -> None:
        """Mark a station as the one shown; none, where another page is."""
        if key in self.buttons:
            self.buttons[key].setChecked(True)
            return
        for one in self.buttons.values():
            one.setAutoExclusive(False)
            one.setChecked(False)
            one.setAutoExclusive(True)
