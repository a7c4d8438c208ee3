"""Hands for the window: what a user does with mouse and keyboard."""

from dataclasses import dataclass

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QWidget

from crisp_hornet.bench.widgets.page_choice import PageChoice
from tests.bench import seen


def press_keys(qtbot, widget, *keys, modifier=Qt.KeyboardModifier.NoModifier):
    for key in keys:
        qtbot.keyClick(widget, key, modifier)


def go(qtbot, window, station):
    """Ctrl and the number of a station (which may be named), as from the keyboard."""
    keys = list(window.stations)
    key = station if station in keys else keys[station - 1]
    qtbot.keyClick(window, getattr(Qt.Key, f"Key_{keys.index(key) + 1}"), Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.current == key)


@dataclass
class Page:
    """A word of a page choice, as something to click."""

    bar: PageChoice
    at: int

    def isVisible(self):
        return self.bar.isVisible() and self.bar.isTabVisible(self.at)

    def click(self):
        self.bar.choose(self.at)

    def setFocus(self):
        self.bar.setFocus()


def page_of(window, name):
    """The visible page that is called so, or None; ``page Pull``, ``Hook-up Faults``."""
    every = [Page(bar, at) for bar in seen.visible(window, PageChoice) for at in range(bar.count())]
    return next(
        (
            one
            for one in every
            if f"{one.bar.objectName()} {one.bar.known_as[one.at]}".startswith(name) and one.isVisible()
        ),
        None,
    )


def click(qtbot, widget):
    if isinstance(widget, Page):
        top = widget.bar.window()
        qtbot.waitUntil(lambda: widget.isVisible() and getattr(top, "settled", True))
        qtbot.mouseClick(widget.bar, Qt.MouseButton.LeftButton, pos=widget.bar.tabRect(widget.at).center())
        return
    top = widget.window()  # a press right after a page came up does not count
    qtbot.waitUntil(lambda: widget.isVisible() and widget.isEnabled() and getattr(top, "settled", True))
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)


def press(qtbot, window, name):
    """Click what bears a name, as soon as it stands still: a list may be drawn anew meanwhile."""
    qtbot.waitUntil(lambda: window.settled and any(one.isEnabled() for one in visible(window, name)))
    qtbot.mouseClick(visible(window, name)[0], Qt.MouseButton.LeftButton)


def find(window, name, kind=QAbstractButton):
    """A visible widget by its accessible name."""
    QApplication.processEvents()  # what has just been made comes into view with the next event
    found = visible(window, name, kind)
    if not found and (page := page_of(window, name)) is not None:
        return page
    assert found, f"no visible {kind.__name__} named {name!r}"
    return found[0]


def visible(window, name, kind=QAbstractButton):
    """All visible widgets whose accessible names begin so."""
    return [one for one in seen.visible(window, kind) if one.accessibleName().startswith(name)]


def texts(widget: QWidget):
    """All words a user can read on a widget, labels and painted names alike."""
    shown = seen.visible(widget)
    words = [one.text() for one in shown if hasattr(one, "text") and callable(one.text)]
    names = [one.accessibleName() for one in shown]
    return "\n".join(word for word in [*words, *names] if isinstance(word, str))


def drag(widget, start: QPointF, path: list[QPointF], release=True):
    """Press at ``start``, move along ``path``, release there."""
    _mouse(widget, QMouseEvent.Type.MouseButtonPress, start)
    for place in path:
        _mouse(widget, QMouseEvent.Type.MouseMove, place)
    if release:
        _mouse(widget, QMouseEvent.Type.MouseButtonRelease, path[-1])
    QApplication.processEvents()


def _mouse(widget, kind, at: QPointF):
    button = Qt.MouseButton.NoButton if kind == QMouseEvent.Type.MouseMove else Qt.MouseButton.LeftButton
    held = Qt.MouseButton.NoButton if kind == QMouseEvent.Type.MouseButtonRelease else Qt.MouseButton.LeftButton
    place = QPointF(widget.mapToGlobal(QPoint(round(at.x()), round(at.y()))))
    QApplication.sendEvent(widget, QMouseEvent(kind, at, place, button, held, Qt.KeyboardModifier.NoModifier))
