"""One keyboard scheme for all stations: where Tab goes next, which part F6 goes to, what Enter and Esc do, and the card that says so.

Focus goes as the page is read: by the order of layouts, not of creation. A group marked ``roving`` (:func:`rove`) is one stop; arrows go
on inside it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractButton, QLayout, QScrollArea, QStackedWidget, QWidget

SCHEME = (
    ("Ctrl+1 to Ctrl+8", "go to a station"),
    ("Ctrl+Home", "the start page"),
    ("F6, Shift+F6", "next or previous part: job line, page, side, watch list, footer, message"),
    ("Tab, Shift+Tab", "next or previous control of a part, as it is read"),
    ("Ctrl+Up, Ctrl+Down", "five controls back or on"),
    ("Left, Right", "choose a page, a word, a handle on a chart; move the reading or the cursor"),
    ("Up, Down", "next row of a list; change a ruler or a handle, fine with Shift"),
    ("digits, Enter", "type a figure on a ruler or a handle; Esc leaves it as it was"),
    ("Delete", "return a ruler or a handle to what is on the controller"),
    ("Plus, Minus, Home", "zoom the traces, show the whole ride; Page Up and Page Down move on"),
    ("Enter, Space", "press what has the focus"),
    ("Ctrl+Enter", "the main act, lower right"),
    ("Esc", "close a message, a panel, an import; cancel a drag"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo and redo a change of draft or bike"),
    ("Ctrl+Plus, Ctrl+Minus, Ctrl+0", "larger, smaller, usual text"),
    ("Ctrl+D", "light or dark theme"),
    ("Ctrl+Shift+D", "high contrast"),
    ("Ctrl+T", "the figures of a chart as a table"),
    ("Ctrl+C", "copy the figure that has the focus"),
    ("F2, F3", "while recording: a lap, a note of this moment"),
    ("F1", "help on what has the focus"),
    ("Ctrl+K", "find a page, a figure, a ride, an act, help"),
    ("Shift+F1", "this list"),
)
LEAP = 5
ARROWS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_Right: 1}


def rove(group: QWidget) -> None:
    """Make a group one stop: arrows go from one of its controls to the next."""
    group.setProperty("roving", True)


class RovingButton(QAbstractButton):
    """A button of a roving group: Qt would take arrows for Tab. One that can be chosen is *toggled* by a screen reader, never clicked: that
    counts as a click here."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._expected = False
        self.toggled.connect(self._take_toggle)

    def setChecked(self, a0: bool) -> None:
        """Show it as chosen, without telling anybody."""
        self._expected = True
        super().setChecked(a0)
        self._expected = False

    def nextCheckState(self) -> None:
        self._expected = True  # a click follows by itself
        super().nextCheckState()
        self._expected = False

    def _take_toggle(self, on: bool) -> None:
        if on and not self._expected:
            self.clicked.emit(True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not step_in_group(self, event.key()):
            super().keyPressEvent(event)


def group_of(widget: QWidget | None) -> QWidget | None:
    """The roving group that a control belongs to."""
    while widget is not None and not widget.property("roving"):
        widget = widget.parentWidget()
    return widget


def controls(root: QWidget) -> list[QWidget]:
    """All controls that can take the focus now, in the order in which they are read."""
    return [one for one in _read(root) if _takes_focus(one)]


def stops(root: QWidget) -> list[QWidget]:
    """The same, with one for each roving group: what is chosen in it, else its first."""
    found: list[QWidget] = []
    seen: set[int] = set()
    for control in controls(root):
        group = group_of(control)
        if group is None or not (group is root or root.isAncestorOf(group)):
            found.append(control)
        elif id(group) not in seen:
            seen.add(id(group))
            found.append(stop_of(group))
    return found


def stop_of(group: QWidget) -> QWidget:
    """Where Tab enters a roving group."""
    members = controls(group)
    focused = [member for member in members if member.hasFocus()]
    chosen = [
        member
        for member in members
        if isinstance(member, QAbstractButton) and member.isCheckable() and member.isChecked()
    ]
    return (focused or chosen or members)[0]


def step_in_group(focused: QWidget, key: int) -> bool:
    """Move the focus inside a roving group; whether it was moved."""
    group, step = group_of(focused), ARROWS.get(Qt.Key(key))
    if group is None or step is None:
        return False
    members = controls(group)
    if focused not in members:
        return False
    at = min(max(members.index(focused) + step, 0), len(members) - 1)
    members[at].setFocus(Qt.FocusReason.TabFocusReason)
    return True


def part_of(widget: QWidget | None, parts: Sequence[QWidget]) -> int | None:
    """Which of some parts of the window holds a widget."""
    return next(
        (at for at, part in enumerate(parts) if widget is not None and (part is widget or part.isAncestorOf(widget))),
        None,
    )


def next_part(parts: Sequence[QWidget], focused: QWidget | None, step: int) -> QWidget | None:
    """The first stop of the next part that has one."""
    at = part_of(focused, parts)
    at = (-1 if step > 0 else 0) if at is None else at
    for further in range(1, len(parts) + 1):
        found = stops(parts[(at + step * further) % len(parts)])
        if found:
            return found[0]
    return None


def next_stop(parts: Sequence[QWidget], pages: QWidget, focused: QWidget | None, forward: bool) -> QWidget | None:
    """Where Tab goes on, as the window is read. What goes out of sight with the focus leaves it to its neighbour, in the same part, or to
    ``pages``; None where nothing takes it."""
    every = [stops(part) for part in parts]
    order = [stop for one in every for stop in one]
    if not order:
        return None
    group = group_of(focused)
    now = stop_of(group) if group is not None and controls(group) else focused
    if now in order:
        return order[(order.index(now) + (1 if forward else -1)) % len(order)]
    at = part_of(focused, parts)
    mine = every[at] if at is not None and every[at] else stops(pages) or order
    return mine[0]


def leap(parts: Sequence[QWidget], focused: QWidget | None, step: int) -> None:
    """Several stops on (1) or back (-1) inside a part."""
    at = part_of(focused, parts)
    mine = stops(parts[at]) if at is not None else []
    if focused in mine:
        to = min(max(mine.index(focused) + step * LEAP, 0), len(mine) - 1)
        mine[to].setFocus(Qt.FocusReason.TabFocusReason)


def _takes_focus(widget: QWidget) -> bool:
    return bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus) and widget.isEnabled() and widget.isVisible()


def _read(widget: QWidget) -> Iterator[QWidget]:
    yield widget
    if isinstance(widget, QStackedWidget):
        current = widget.currentWidget()
        if current is not None:
            yield from _read(current)
    elif isinstance(widget, QScrollArea):
        inside = widget.widget()
        if inside is not None:
            yield from _read(inside)
    elif (layout := widget.layout()) is not None:
        laid: set[int] = set()
        for one in _laid(layout):
            laid.add(id(one))
            yield from _read(one)
        yield from (deep for child in _children(widget) if id(child) not in laid for deep in _read(child))
    else:
        for child in _children(widget):
            yield from _read(child)


def _children(widget: QWidget) -> list[QWidget]:
    return [one for one in widget.children() if isinstance(one, QWidget) and not one.isWindow() and one.isVisible()]


def _laid(layout: QLayout) -> Iterator[QWidget]:
    for at in range(layout.count()):
        item = layout.itemAt(at)
        if item is None:
            continue
        widget, inner = item.widget(), item.layout()
        if widget is not None and widget.isVisible():
            yield widget
        elif inner is not None:
            yield from _laid(inner)
