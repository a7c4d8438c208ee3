"""Rows and columns with their margins and spacing in one line."""

from __future__ import annotations

from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QVBoxLayout, QWidget

Margins = int | tuple[int, int, int, int]  # left, top, right, bottom


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
