"""The scope: chosen channels in lanes over 1 to 60 s, with a trigger, freezing, two cursors and export. Painted by hand."""

from __future__ import annotations

import csv
import io
import math
import time
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import LEFT_GAP_PX, centred_text, right_text
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, area, down, painter_of, real, spot
from crisp_hornet.bench.stations.calibrate.recording import Ring, in_words, unit_of
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.units import Units

FRAME_MS = 33
LEFT, RIGHT, BOTTOM = 150.0, 12.0, 22.0
WINDOWS_S = (1.0, 2.0, 5.0, 10.0, 30.0, 60.0)


@dataclass(frozen=True)
class Trigger:
    """Freeze when a channel rises through a level, half a window later."""

    channel: str
    level: float


class Scope(QWidget):
    """Follows a ring of live values. Left and right arrow move the cursor, Shift the other one, Space freezes."""

    frozen_changed = pyqtSignal(bool)

    def __init__(self, theme: Theme, ring: Ring) -> None:
        super().__init__()
        self.units = Units()
        self.theme, self.ring = theme, ring
        self.channels: list[str] = []
        self.window_s = 10.0
        self.trigger: Trigger | None = None
        self.frozen_at: float | None = None
        self.cursors: list[float | None] = [None, None]  # seconds before the right edge
        self.frame_ms = 0.0
        self._armed_since = 0.0
        self._clock = QTimer(self)
        self._clock.setInterval(FRAME_MS)
        self._clock.timeout.connect(self._tick)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("live scope: a click and a click with Shift set two cursors, Space freezes"))
        self._clock.start()

    def sizeHint(self) -> QSize:
        return real(620, 320)

    def show_channels(self, channels: list[str]) -> None:
        """Choose the lanes."""
        self.channels = channels
        self.update()

    def set_window(self, seconds: float) -> None:
        """Show so many seconds."""
        self.window_s = min(max(seconds, WINDOWS_S[0]), WINDOWS_S[-1])
        self.update()

    def arm(self, trigger: Trigger | None) -> None:
        """Wait for a trigger, or no longer."""
        self.trigger = trigger
        self._armed_since = time.monotonic()
        self.freeze(False)

    def freeze(self, on: bool) -> None:
        """Hold what is shown, or go on."""
        self.frozen_at = self._newest() if on else None
        self.frozen_changed.emit(on)
        self.update()

    def shown(self) -> tuple[Array, dict[str, Array]]:
        """Seconds before the right edge (negative, (n,)) and the channels in the window."""
        end = self.frozen_at if self.frozen_at is not None else self._newest()
        times, channels = self.ring.since(end - self.window_s)
        inside = times <= end
        return times[inside] - end, {name: channels[name][inside] for name in self.channels if name in channels}

    def csv(self) -> str:
        """The shown window as text in the exchange form: ``time_s`` from 0 and the channels."""
        times, channels = self.shown()
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(["time_s", *channels])
        for row, at in enumerate(times):
            writer.writerow([f"{at - times[0]:.3f}", *(_cell(values[row]) for values in channels.values())])
        return out.getvalue()

    def readings(self) -> dict[str, tuple[float, float]]:
        """Each channel's value at the two cursors; NaN where there is none."""
        times, channels = self.shown()
        found = {}
        for name, values in channels.items():
            pair = [math.nan, math.nan]
            for index, cursor in enumerate(self.cursors):
                if cursor is not None and len(times):
                    pair[index] = float(values[int(np.argmin(np.abs(times + cursor)))])
            found[name] = (pair[0], pair[1])
        return found

    def _newest(self) -> float:
        times, _ = self.ring.since(-math.inf)
        return float(times[-1]) if len(times) else 0.0

    def _tick(self) -> None:
        if not self.isVisible() or self.frozen_at is not None:
            return
        if self.trigger is not None:
            self._look_for_trigger(self.trigger)
        self.update()

    def _look_for_trigger(self, trigger: Trigger) -> None:
        times, channels = self.ring.since(self._armed_since)
        values = channels.get(trigger.channel)
        if values is None or len(values) < 2:
            return
        hits = np.flatnonzero((values[:-1] < trigger.level) & (values[1:] >= trigger.level))
        if hits.size and times[-1] - times[hits[0] + 1] >= self.window_s / 2:
            self.frozen_at = float(times[hits[0] + 1]) + self.window_s / 2
            self.trigger = None
            self.frozen_changed.emit(True)

    # --- hands ----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        which = 1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0
        share = (across(self) - RIGHT - spot(event).x()) / max(1.0, across(self) - LEFT - RIGHT)
        self.cursors[which] = min(max(share, 0.0), 1.0) * self.window_s
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        which = 1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0
        step = {Qt.Key.Key_Left: 1, Qt.Key.Key_Right: -1}.get(Qt.Key(event.key()))
        if step is not None:
            at = self.cursors[which] if self.cursors[which] is not None else self.window_s / 2
            assert at is not None
            self.cursors[which] = min(max(at + step * self.window_s / 100, 0.0), self.window_s)
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self.freeze(self.frozen_at is None)
        else:
            super().keyPressEvent(event)

    # --- painting -------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        begin = time.perf_counter()
        painter = painter_of(self)
        painter.fillRect(area(self), self.theme.color("sheet"))
        times, channels = self.shown()
        lane_h = (down(self) - BOTTOM) / max(1, len(channels))
        at_cursors = self.readings() if any(cursor is not None for cursor in self.cursors) else {}
        for index, (name, values) in enumerate(channels.items()):
            box = QRectF(LEFT, index * lane_h + 4, across(self) - LEFT - RIGHT, lane_h - 8)
            self._paint_lane(painter, box, name, times, values, at_cursors.get(name))
        self._paint_time(painter)
        if self.hasFocus():
            painter.setPen(QPen(self.theme.color("text"), 2))
            painter.drawRect(area(self).adjusted(1, 1, -2, -2))
        self.frame_ms = 1000 * (time.perf_counter() - begin)

    def _turned(self, name: str, values: Array) -> Array:
        """Values of a channel as they are shown."""
        unit = unit_of(name)
        zero = self.units.value(0.0, unit)
        return values if self.units.metric else zero + (self.units.value(1.0, unit) - zero) * values

    def _paint_lane(
        self, painter: QPainter, box: QRectF, name: str, times: Array, values: Array, pair: tuple[float, float] | None
    ) -> None:
        theme = self.theme
        painter.setPen(QPen(theme.color("rule"), 1))
        painter.drawLine(QPointF(0, box.bottom() + 4), QPointF(across(self), box.bottom() + 4))
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QPointF(8, box.top() + 12), tr(self.units.text(in_words(name))))
        good = np.isfinite(values)
        if not good.any():
            painter.drawText(QPointF(box.left() + 6, box.center().y() + 4), tr("not shown by this controller"))
            return
        times, values = times[good], self._turned(name, values[good])
        low, high = float(values.min()), float(values.max())
        if high - low < 1e-9:
            low, high = low - 0.5, high + 0.5
        painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
        painter.setPen(theme.color("text"))
        painter.drawText(QPointF(8, box.top() + 30), tr(f"{values[-1]:.4g}"))
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        for text, y in ((f"{high:.3g}", box.top() + 10), (f"{low:.3g}", box.bottom())):
            right_text(painter, box.left() - LEFT_GAP_PX, y, text)
        if pair is not None and box.height() > 40:
            first, second = self._turned(name, np.array(pair))
            difference = f"Δ {second - first:.4g}" if all(map(math.isfinite, pair)) else f"at {first:.4g}"
            painter.drawText(QPointF(8, box.top() + 46), tr(difference))
        times, values = thinned(times, values, max(2, int(box.width() / 2)))
        xs: Array = box.right() + times / self.window_s * box.width()
        up: Array = box.bottom() - (values - low) / (high - low) * box.height()
        painter.setPen(QPen(theme.color("text"), 1))
        painter.drawPolyline(polygon(xs, up))

    def _paint_time(self, painter: QPainter) -> None:
        theme, width = self.theme, across(self) - LEFT - RIGHT
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        for share in (0.0, 0.5, 1.0):
            text = f"−{share * self.window_s:g} s" if share else "frozen" if self.frozen_at is not None else "now"
            x = LEFT + (1 - share) * width
            centred_text(painter, x, down(self) - 6, text, (LEFT, LEFT + width))
        for index, cursor in enumerate(self.cursors):
            if cursor is not None:
                x = LEFT + width - cursor / self.window_s * width
                painter.setPen(QPen(theme.color("text"), 1, Qt.PenStyle.DashLine if index else Qt.PenStyle.SolidLine))
                painter.drawLine(QPointF(x, 0), QPointF(x, down(self) - BOTTOM))


def polygon(x: Array, y: Array) -> QPolygonF:
    """A polygon filled from arrays at once: a point object each would cost more than drawing them."""
    made = QPolygonF([QPointF()] * len(x))
    memory = made.data()
    memory.setsize(16 * len(x))
    pairs = np.frombuffer(memory, dtype=np.float64)  # type: ignore[call-overload]
    pairs[0::2], pairs[1::2] = x, y
    return made


def thinned(times: Array, values: Array, columns: int) -> tuple[Array, Array]:
    """Least and greatest of each column of pixels, in time order, so that no spike is lost; as they are where they fit."""
    if len(values) <= 2 * columns:
        return times, values
    cut = len(values) // columns * columns
    grid = values[-cut:].reshape(columns, -1)
    first, last = grid.argmin(axis=1), grid.argmax(axis=1)
    picks = np.sort(np.stack((first, last), axis=1), axis=1) + (np.arange(columns) * grid.shape[1])[:, None]
    index = len(values) - cut + picks.ravel()
    return times[index], values[index]


def _cell(value: float) -> str:
    return f"{value:.6g}" if math.isfinite(value) else ""
