"""How large everything is shown: one factor over what is painted, typed and laid out, kept by the application.

Painted widgets count in the pixels of their design: their painter is scaled, and :func:`across`, :func:`down` and :func:`spot` tell their
size and the pointer's place in those. Style sheet, fixed sizes and size hints are turned into real pixels.
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRect, QSize
from PyQt6.QtGui import QFont, QFontInfo, QPainter, QSinglePointEvent
from PyQt6.QtWidgets import QApplication, QWidget

LEAST, MOST, STEP = 0.8, 1.6, 0.1
USUAL_PX = 14.0  # a desktop font up to this asks for nothing larger


def scale_now() -> float:
    """The factor."""
    app = QApplication.instance()
    kept = app.property("scale") if app is not None else None
    return float(kept) if kept else 1.0


def set_scale(app: QApplication, scale: float) -> float:
    """Keep another factor, in its bounds and steps; returns it. What is there already is to be told by :func:`refit`."""
    held = min(max(round(scale / STEP) * STEP, LEAST), MOST)
    app.setProperty("scale", round(held, 2))
    return scale_now()


def of_desktop(font: QFont) -> float:
    """The factor that the desktop's own font asks for."""
    pixels = QFontInfo(font).pixelSize()
    return pixels / USUAL_PX if pixels > USUAL_PX else 1.0


def px(pixels: float) -> int:
    """Pixels of the design in real ones."""
    return round(pixels * scale_now())


def real(wide: float, high: float) -> QSize:
    """The same for a size."""
    return QSize(px(wide), px(high))


def across(widget: QWidget) -> float:
    """How wide a widget is, in pixels of the design."""
    return widget.width() / scale_now()


def down(widget: QWidget) -> float:
    """How high."""
    return widget.height() / scale_now()


def area(widget: QWidget) -> QRect:
    """All of it."""
    return QRect(0, 0, math.ceil(across(widget)), math.ceil(down(widget)))


def spot(event: QSinglePointEvent) -> QPointF:
    """Where the pointer is."""
    return event.position() / scale_now()


def painter_of(widget: QWidget) -> QPainter:
    """A painter that counts in pixels of the design."""
    painter = QPainter(widget)
    painter.scale(scale_now(), scale_now())
    return painter


def fix(widget: QWidget, wide: float | None = None, high: float | None = None) -> None:
    """A fixed size in pixels of the design; it follows the scale."""
    widget.setProperty("fixed", [wide or 0.0, high or 0.0])
    refit(widget)


def refit(widget: QWidget) -> None:
    """Give a widget the size that it has at this scale."""
    kept = widget.property("fixed")
    if kept:
        wide, high = kept
        if wide:
            widget.setFixedWidth(px(wide))
        if high:
            widget.setFixedHeight(px(high))
    widget.updateGeometry()
    widget.update()
