"""Labels, lines and buttons with a role that the style sheet knows."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6 import sip
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QLayout,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.spoken import SpokenButton, SpokenLabel


def label(text: str = "", role: str = "", wrap: bool = False, own: bool = False) -> SpokenLabel:
    """A label; ``role`` is one of the style sheet's (quiet, caps, title, value); ``own``: the user's own words."""
    made = SpokenLabel(text, own)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)  # to be copied
    if role:
        made.setProperty("role", role)
    if not wrap:
        made.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
    else:
        made.setWordWrap(True)
        made.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.MinimumExpanding)
    return made


def button(text: str, act: Callable[[], object], role: str = "", name: str = "") -> SpokenButton:
    """A button that says what happens, verb first; ``name`` is for those who cannot see it, and for tests.

    ``role``: ``act`` the main one of the window, ``small`` in a row of others, ``large`` for dirty hands, ``place`` goes to a moment or a
    place (``4:49 ›``) and does nothing else."""
    made = SpokenButton(text)
    made.setProperty("role", role)
    made.setAccessibleName(tr(name or text))
    made.setObjectName(name or text)
    made.clicked.connect(lambda _checked: act())
    if role in ("small", "place"):
        made.setCursor(Qt.CursorShape.PointingHandCursor)
        made.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
    return made


def sheet(*inside: QWidget, margin: int = 12, spacing: int = 6) -> QFrame:
    """A framed sheet of paper with widgets below each other."""
    made = QFrame()
    made.setObjectName("sheet")
    column = column_of(made, margins=margin, spacing=spacing)
    for widget in inside:
        column.addWidget(widget)
    return made


def shortened(text: str, most: int) -> str:
    """A text of so many characters at most, its end left out at a word where it is longer."""
    if len(text) <= most:
        return text
    return text[: most - 1].rsplit(" ", 1)[0].rstrip(" ,.") + " …"


def rule() -> QFrame:
    """A thin horizontal line."""
    made = QFrame()
    made.setObjectName("line")
    made.setFixedHeight(1)
    return made


def column_scroll(inside: QWidget) -> QScrollArea:
    """A widget that scrolls up and down when it is too long."""
    scroll = QScrollArea()
    scroll.setWidget(inside)
    scroll.setWidgetResizable(True)
    scroll.setFrameShape(QFrame.Shape.NoFrame)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is inside can be reached, and scrolls into view
    return scroll


def scrolled_rows(owner: QWidget, spacing: int, keys: bool = False) -> QVBoxLayout:
    """Fill a widget with a column of rows that scrolls, with the arrow ``keys`` too where nothing in it takes the focus."""
    inside = QWidget()
    rows = column_of(inside, margins=(0, 0, 8, 0), spacing=spacing)
    scroll = column_scroll(inside)
    if keys:
        scroll.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        scroll.setAccessibleName(tr(owner.accessibleName()))
    column = column_of(owner, margins=0)
    column.addWidget(scroll)
    return rows


def two_columns(page: QWidget, left: QLayout, right: QLayout) -> None:
    """Fill a page with two columns that scroll together."""
    inside = QWidget()
    row = row_of(inside, margins=(0, 4, 8, 0), spacing=18)
    row.addLayout(left, 1)
    row.addLayout(right, 1)
    outer = column_of(page, margins=0)
    outer.addWidget(column_scroll(inside))


def clear(layout: QLayout) -> None:
    """Take everything out of a layout and let it go. Where the focus was in it, it goes to what comes in its place."""
    focused, home = QApplication.focusWidget(), layout.parentWidget()
    if focused is not None and home is not None and focused is not home and _holds(layout, focused):
        name = focused.accessibleName()
        home.setFocus()  # not to whatever stands next in the window
        QTimer.singleShot(0, lambda: _refocus(home, name))
    _empty(layout)


def _holds(layout: QLayout, focused: QWidget) -> bool:
    for at in range(layout.count()):
        item = layout.itemAt(at)
        widget, inner = (item.widget(), item.layout()) if item is not None else (None, None)
        if widget is not None and (widget is focused or widget.isAncestorOf(focused)):
            return True
        if inner is not None and _holds(inner, focused):
            return True
    return False


def _refocus(home: QWidget, name: str) -> None:
    """The focus to what has the same name now, or to the first that can take it; unless it has gone elsewhere meanwhile."""
    now = QApplication.focusWidget() if not sip.isdeleted(home) else home
    if sip.isdeleted(home) or (now is not None and now is not home and now.isVisible()):
        return
    found = [
        one
        for one in home.findChildren(QWidget)
        if one.isVisible() and one.isEnabled() and one.focusPolicy() & Qt.FocusPolicy.TabFocus
    ]
    same = [one for one in found if one.accessibleName() == name and name]
    for one in (*same, *found):
        one.setFocus()
        return


def _empty(layout: QLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            _empty(inner)
