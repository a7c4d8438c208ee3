"""A limit as a ruler on its own physical scale, with named stops where they are.

Four ways to set it: drag, arrow keys (fine with Shift), type a figure, or the wheel while it has the focus.
Double-click returns it to what is on the controller; Esc cancels a drag; Delete takes the limit away where that is allowed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFocusEvent,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractSlider, QSizePolicy, QWidget

from crisp_hornet.bench.charts.frame import ticks
from crisp_hornet.bench.charts.paint import right_text, width_of
from crisp_hornet.bench.figures import Misread, figure
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.number_field import LaidField
from crisp_hornet.bench.scale import across, area, painter_of, real, spot
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, VALUE_PX, Theme, font

HEIGHT = 68
LINE_Y = 36.0
SIDE = 10.0
GRASP_PX, MOVED_PX = 14.0, 4.0  # how near to its mark a drag begins, and after how much of it


@dataclass(frozen=True)
class Stop:
    """A named place on the scale: what the pack allows, a fuse, a rating."""

    value: float
    name: str


@dataclass(frozen=True)
class Scale:
    """What a ruler measures. ``none_text`` names the state without a limit, where that is allowed.

    ``low``, ``high`` and stops are in the document's unit, ``step`` and ``fine`` in the shown one: ``shown = value·factor + offset``. With
    ``words`` the value is the place of one of them.
    """

    label: str
    unit: str
    low: float
    high: float
    step: float
    fine: float
    stops: list[Stop] = field(default_factory=list)
    none_text: str = ""
    truth: bool = True  # a drafted setting; False for a condition the chart is drawn for
    factor: float = 1.0
    offset: float = 0.0
    words: tuple[str, ...] = ()

    def shown(self, value: float) -> float:
        """A value in the shown unit."""
        return value * self.factor + self.offset

    def back(self, shown: float) -> float:
        """A shown figure in the document's unit."""
        return (shown - self.offset) / self.factor

    def told(self, value: float | None) -> str:
        """A value as it is told, without its unit."""
        if value is None:
            return self.none_text
        if self.words:
            return self.words[min(max(int(value), 0), len(self.words) - 1)]
        if self.factor in (1.0, 100.0) and not self.offset:
            return f"{self.shown(value):.5g}"
        digits = 0 if self.fine >= 1 else 1 if self.fine >= 0.1 else 2  # another unit: what the hand can set
        return f"{self.shown(value):.{digits}f}"


class Ruler(QAbstractSlider):
    """One figure on its scale. A slider for those who cannot see it: its value and bounds can be read, rounded to whole numbers, and set.

    ``changed`` carries the new value (None: no limit) and a token of the gesture."""

    changed = pyqtSignal(object, int)
    refused = pyqtSignal(str)  # why what was typed is not taken

    def __init__(self, scale: Scale, theme: Theme, new_token: Callable[[], int]) -> None:
        super().__init__()
        self.scale, self.theme = scale, theme
        self.value: float | None = scale.low  # type: ignore[assignment]
        self.now: float | None = None
        self.now_known = False
        self.lack = ""
        self._new_token = new_token
        self._drag: tuple[int, float | None] | None = None
        self._pressed: float | None = None  # where the mark was taken hold of, until the hand has moved
        self._keys: int | None = None
        self._editor: LaidField | None = None
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setObjectName(scale.label)
        self._telling = False
        self.valueChanged.connect(self._set_from_outside)
        self._name()

    def set_scale(self, scale: Scale) -> None:
        """Measure something else, or with other stops."""
        self.scale = scale
        self._name()
        self.update()

    def show_value(self, value: float | None, now: float | None = None, now_known: bool = False) -> None:
        """Show a drafted value, and what is on the controller if that is known."""
        if (value, now, now_known) == (self.value, self.now, self.now_known):
            return
        self.value, self.now, self.now_known = value, now, now_known
        self._name()
        self.update()

    def show_lack(self, reason: str) -> None:
        """Grey the ruler where the controller has no such setting, and say why; "" makes it whole again."""
        if reason == self.lack:
            return
        self.lack = reason
        self.setEnabled(not reason)
        self.setToolTip(tr(reason))
        self._name()
        self.update()

    def sizeHint(self) -> QSize:
        return real(236, HEIGHT)

    # --- setting it -----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, fine = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        step = self.scale.fine if fine else self.scale.step
        moves = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: 1,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Down: -1,
            Qt.Key.Key_PageUp: 10,
            Qt.Key.Key_PageDown: -10,
        }
        if key == Qt.Key.Key_Escape and self._drag is not None:
            self._cancel_drag()
        elif key in moves:
            if not event.isAutoRepeat() or self._keys is None:
                self._keys = self._new_token()
            self._step(moves[Qt.Key(key)] * step, self._keys)
        elif key == Qt.Key.Key_Delete and self.scale.none_text:
            self.changed.emit(None, self._new_token())
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit("")
        elif event.text() and (event.text() in "0123456789.,-" or (self.scale.words and event.text().isalpha())):
            self.edit(event.text())
        else:
            QWidget.keyPressEvent(self, event)  # a slider would go its own steps

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus():  # never by a passing scroll
            event.ignore()
            return
        turns = event.angleDelta().y() / 120
        self._step(turns * self.scale.step, self._new_token())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            if spot(event).y() < 26 and spot(event).x() > across(self) - 100:
                self.edit("")
                return
            at = spot(event).x()
            self._pressed = (
                at if abs(at - self._mark_x()) <= GRASP_PX else None
            )  # elsewhere a press only takes the focus

    def _mark_x(self) -> float:
        """Where the drafted value's mark stands."""
        span = max(self.scale.high - self.scale.low, 1e-12)
        return SIDE + (self._from() - self.scale.low) / span * (across(self) - 2 * SIDE)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = spot(event).x()
        if self._pressed is not None and abs(at - self._pressed) >= MOVED_PX:
            self._pressed, self._drag = None, (self._new_token(), self.value)
        if self._drag is not None:
            share = (at - SIDE) / (across(self) - 2 * SIDE)
            self._set(self.scale.low + share * (self.scale.high - self.scale.low), self._drag[0], self.scale.fine)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = self._pressed = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if self.now_known:
            self.changed.emit(self.now, self._new_token())

    def edit(self, start: str) -> None:
        """Open a field for typing a figure; Enter takes it, Esc leaves it."""
        if self._editor is not None:
            return
        place = QRect(int(across(self)) - 104, 0, 104, 32)
        editor = LaidField(self, f"{self.scale.label} in {self.scale.unit}", start, place)
        editor.setAlignment(Qt.AlignmentFlag.AlignRight)
        if not start:
            editor.setText(self.value_text())
            editor.selectAll()
        editor.taken.connect(self._take_typed)
        editor.left.connect(self._closed)
        self._editor = editor
        editor.open()

    def _take_typed(self, typed: str) -> None:
        text = typed.strip()
        fitting = [at for at, word in enumerate(self.scale.words) if text and word.startswith(text.lower())]
        if self.scale.none_text and text in ("", self.scale.none_text):
            self._close_editor()
            self.changed.emit(None, self._new_token())
        elif not text:
            self._close_editor()
        elif self.scale.words and not fitting:
            self._refuse(f"{text!r} is none of: {', '.join(self.scale.words)}")
        else:
            self._take_figure(text, fitting)

    def _take_figure(self, text: str, fitting: list[int]) -> None:
        scale = self.scale
        low, high = sorted((scale.shown(scale.low), scale.shown(scale.high)))
        try:
            typed = 0.0 if fitting else figure(text, scale.unit, low, high, thousandths=scale.fine < 0.01)
        except Misread as why:
            self._refuse(f"{scale.label}: {why}")
            return
        self._close_editor()
        self._set(float(fitting[0]) if fitting else scale.back(typed), self._new_token(), 0.0)

    def _refuse(self, why: str) -> None:
        self.refused.emit(f"{why}.")
        if self._editor is not None:
            self._editor.refuse(why)

    def _close_editor(self) -> None:
        if self._editor is not None:
            self._editor.close_it(True)

    def _closed(self) -> None:
        self._editor = None

    def _cancel_drag(self) -> None:
        assert self._drag is not None
        token, before = self._drag
        self._drag = None
        self.changed.emit(before, token)

    def _from(self) -> float:
        return self.scale.high if self.value is None else self.value

    def _step(self, shown: float, token: int) -> None:
        """Move by a step of the shown unit."""
        self._set(self.scale.back(self.scale.shown(self._from()) + shown), token, self.scale.fine)

    def _set(self, value: float, token: int, grid: float) -> None:
        """Ask for a value, kept inside the scale and, unless it was typed, on the grid of fine steps."""
        value = min(max(value, self.scale.low), self.scale.high)
        if grid:
            value = self.scale.back(round(self.scale.shown(value) / grid) * grid)
            value = min(max(value, self.scale.low), self.scale.high)
        value = float(f"{value:.6g}")
        if value != self.value:
            self.changed.emit(value, token)

    # --- showing it -----------------------------------------------------------------------------------------

    def value_text(self) -> str:
        """The value without its unit."""
        return self.scale.told(self.value)

    def _name(self) -> None:
        self._tell_slider()
        if self.lack:
            self.setAccessibleName(tr(f"{self.scale.label}, not on this controller: {self.lack}"))
            return
        now = ""
        if self.now_known:
            now = f", on the controller {self.scale.told(self.now)}"
        stops = "".join(f", {stop.name} {stop.value:g}" for stop in self.scale.stops)
        self.setAccessibleName(tr(f"{self.scale.label} {self.value_text()} {self.scale.unit}{now}{stops}"))

    def _tell_slider(self) -> None:
        """The figure and its bounds as a slider has them: whole numbers of the shown unit."""
        self._telling = True
        ends = sorted((round(self.scale.shown(self.scale.low)), round(self.scale.shown(self.scale.high))))
        self.setRange(*ends)
        self.setSliderPosition(ends[1] if self.value is None else round(self.scale.shown(self.value)))
        self.setAccessibleDescription(tr(f"{self.value_text()} {self.scale.unit}".strip()))
        self._telling = False

    def _set_from_outside(self, position: int) -> None:
        """Somebody who cannot see it has set the slider."""
        if not self._telling and self.isEnabled():
            self.changed.emit(min(max(self.scale.back(position), self.scale.low), self.scale.high), self._new_token())

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()

    def _x(self, value: float) -> float:
        share = (value - self.scale.low) / (self.scale.high - self.scale.low)
        return SIDE + min(max(share, 0.0), 1.0) * (across(self) - 2 * SIDE)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        if self.hasFocus():
            painter.setPen(QPen(theme.color("text"), 2))
            painter.drawRoundedRect(QRectF(1, 1, across(self) - 2, HEIGHT - 2), 3, 3)
        if self.lack:
            self._paint_lack(painter)
            return
        self._paint_figures(painter)
        self._paint_line(painter)
        self._paint_stops(painter)
        if self.scale.truth:
            if self.now_known and self.now is not None:
                paint_truth(painter, theme, "controller", QPointF(self._x(self.now), LINE_Y), 7)
            if self.value is not None:
                paint_truth(painter, theme, "drafted", QPointF(self._x(self.value), LINE_Y), 7.5)
        elif self.value is not None:
            painter.fillRect(QRectF(self._x(self.value) - 3, LINE_Y - 9, 6, 18), theme.color("text"))

    def _paint_lack(self, painter: QPainter) -> None:
        """Only the name, in grey, and why there is nothing to set."""
        painter.setPen(self.theme.color("quiet"))
        painter.setFont(font(TEXT_PX, QFont.Weight.Medium))
        painter.drawText(QPointF(SIDE - 4, 21), tr(self.scale.label))
        painter.setFont(font(QUIET_PX))
        place = QRectF(SIDE - 4, 26, across(self) - SIDE, HEIGHT - 28)
        painter.drawText(place, int(Qt.TextFlag.TextWordWrap), tr(self.lack))

    def _paint_figures(self, painter: QPainter) -> None:
        theme, right = self.theme, across(self) - SIDE + 4
        unit = "" if self.value is None else f" {self.scale.unit}"
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        left = right_text(painter, right, 21, unit)
        painter.setPen(theme.color("text"))
        named = font(TEXT_PX, QFont.Weight.Medium)
        room = left - (SIDE - 4) - QFontMetricsF(named).horizontalAdvance(tr(self.scale.label)) - 8
        painter.setFont(font(VALUE_PX, QFont.Weight.DemiBold))
        if width_of(painter, self.value_text()) > room:  # a long name, or words for a value
            painter.setFont(font(QUIET_PX, QFont.Weight.DemiBold))
        left = right_text(painter, left, 22, self.value_text())
        painter.setFont(named)
        name = QFontMetricsF(named).elidedText(tr(self.scale.label), Qt.TextElideMode.ElideRight, left - SIDE)
        painter.drawText(QPointF(SIDE - 4, 21), name)

    def _paint_line(self, painter: QPainter) -> None:
        theme, scale = self.theme, self.scale
        painter.setPen(QPen(theme.color("text"), 1.2))
        painter.drawLine(QPointF(SIDE, LINE_Y), QPointF(across(self) - SIDE, LINE_Y))
        painter.setPen(QPen(theme.color("quiet"), 1))
        low, high = scale.shown(scale.low), scale.shown(scale.high)
        for tick in ticks(low, high, 1.0 if scale.words else None):
            x = self._x(scale.back(tick))
            painter.drawLine(QPointF(x, LINE_Y - 4), QPointF(x, LINE_Y + 4))

    def _paint_stops(self, painter: QPainter) -> None:
        """Named stops below the line; names that would touch are moved apart or left to the tool tip."""
        theme = self.theme
        painter.setFont(font(QUIET_PX))
        taken: list[tuple[float, float]] = []
        if self.scale.truth and self.now_known:
            text = f"now {'none' if self.now is None else self.scale.told(self.now)}"
            painter.setPen(theme.color("controller"))
            painter.drawText(QPointF(SIDE - 4, 62), tr(text))
            taken.append((0, SIDE + width_of(painter, text) + 4))
        for stop in sorted(self.scale.stops, key=lambda one: one.value):
            x = self._x(stop.value)
            painter.setPen(QPen(theme.color("stop"), 2))
            painter.drawLine(QPointF(x, LINE_Y - 9), QPointF(x, LINE_Y + 9))
            wide = width_of(painter, stop.name)
            left = min(max(x - wide / 2, SIDE - 4), across(self) - wide - 2)
            if all(left + wide < start or left > end for start, end in taken):
                painter.setPen(theme.color("stop"))
                painter.drawText(QPointF(left, 62), tr(stop.name))
                taken.append((left - 6, left + wide + 6))
