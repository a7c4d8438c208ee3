"""Rows and columns with their margins and spacing in one line."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

Margins = int | tuple[int, int, int, int]  # left, top, right, bottom


class Pages(QStackedWidget):
    """Pages of which only the one in view asks for room: a narrow page need not scroll for a wide one beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(lambda _at: self.updateGeometry())

    def sizeHint(self) -> QSize:
        current = self.currentWidget()
        return current.sizeHint() if current is not None else super().sizeHint()

    def minimumSizeHint(self) -> QSize:
        current = self.currentWidget()
        if current is None:
            return super().minimumSizeHint()
        return current.minimumSizeHint().expandedTo(current.minimumSize())


def column_of(owner: QWidget | None = None, margins: Margins | None = None, spacing: int | None = None) -> QVBoxLayout:
    """A column, laid into a widget or into another layout later; what is not given is the style's."""
    made = QVBoxLayout(owner) if owner is not None else QVBoxLayout()
    _set(made, margins, spacing)
    return made


def row_of(owner: QWidget | None = None, margins: Margins | None = None, spacing: int | None = None) -> QHBoxLayout:
    """The same as a row."""
    made = QHBoxLayout(owner) if owner is not None else QHBoxLayout()
    _set(made, margins, spacing)
    return made


def _set(layout: QBoxLayout, margins: Margins | None, spacing: int | None) -> None:
    if margins is not None:
        layout.setContentsMargins(*((margins,) * 4 if isinstance(margins, int) else margins))
    if spacing is not None:
        layout.setSpacing(spacing)
