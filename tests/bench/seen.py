"""What is seen of a window, and what a screen reader gets of it."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitterHandle,
    QTabBar,
    QTextEdit,
    QWidget,
)

from crisp_hornet.bench.charts.drawn import HasFigures
from crisp_hornet.bench.widgets.spoken import words_of

ROLES = (QAbstractButton, QAbstractSlider, QAbstractItemView, QComboBox, QLineEdit, QTextEdit, QTabBar)


def visible(window, kind=QWidget):
    """All that is in view, in the order in which it was put together. What lies in a hidden page is not looked at: that is most of it."""
    found = []
    for one in window.children():
        if isinstance(one, QWidget) and one.isVisible():
            if isinstance(one, kind):
                found.append(one)
            found += visible(one, kind)
    return found


def shown(widget):
    """The text of a label or button as it is seen, in the language of the window."""
    return (QLabel if isinstance(widget, QLabel) else QPushButton).text(widget)


def lacking(window):
    """Controls without a name, whose name leaves out what is seen, without a role, or without a value."""
    labelled = {id(one.buddy()): shown(one) for one in visible(window, QLabel) if one.buddy() is not None}
    for one in visible(window):
        if (
            not one.focusPolicy() & Qt.FocusPolicy.TabFocus
            or not one.isEnabled()
            or isinstance(one, QSplitterHandle)
            or one.focusProxy()
        ):
            continue
        name = one.accessibleName() or labelled.get(id(one), "")
        kind = f"{type(one).__name__} {name!r} in {type(one.parentWidget()).__name__}"
        if not name:
            yield f"no name: {kind}"
        if isinstance(one, QAbstractButton) and one.text() and not words_of(one.text()) <= words_of(name):
            yield f"{one.text()!r} is not in its name: {kind}"
        if (
            not isinstance(one, ROLES)
            and not isinstance(one, HasFigures)
            and not one.accessibleDescription()
            and len(name) < 12
        ):
            yield f"neither a role nor words for it: {kind}"
        if isinstance(one, QAbstractSlider) and not one.minimum() <= QAbstractSlider.value(one) <= one.maximum():
            yield f"no value: {kind}"
        if isinstance(one, QComboBox) and one.count() and not one.currentText():
            yield f"nothing chosen: {kind}"
        if isinstance(one, QTabBar) and not one.tabText(one.currentIndex()):
            yield f"no page: {kind}"
