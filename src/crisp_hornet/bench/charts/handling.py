"""What all charts with handles have in common: keys, wheel and the gestures' tokens.

Up and Down move what is chosen (fine with Shift), the wheel turns it while the chart has the focus, Delete or a double click returns it
to what is on the controller, Esc cancels a drag.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent

from crisp_hornet.bench.scale import spot

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget as Base
else:
    Base = object  # two widgets as bases: the signals of the second would be lost


class Handled(Base):
    """Put before a chart's own class, which says what lies under a place and has the signals ``stepped``, ``returned``, ``cancelled``."""

    stepped: Any
    returned: Any
    cancelled: Any
    over, away = Qt.CursorShape.OpenHandCursor, Qt.CursorShape.ArrowCursor

    def takes_hands(self, new_token: Callable[[], int], chosen: str = "") -> None:
        """Begin with nothing held. ``chosen``: the setting that the keys move; ``new_token`` names a gesture."""
        self.chosen = chosen
        self.dragging: tuple[str, int] | None = None
        self._new_token = new_token
        self._keys: int | None = None

    def setting_at(self, at: QPointF) -> str:
        """The setting whose handle lies under a place; "" for none."""
        raise NotImplementedError

    def dragged_to(self, setting: str, at: QPointF, token: int) -> None:
        """A handle is pulled to a place."""
        raise NotImplementedError

    def chosen_by(self, event: QKeyEvent) -> str:
        """The setting that a key chooses; "" for none."""
        raise NotImplementedError

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        setting = self.setting_at(spot(event))
        if event.button() == Qt.MouseButton.LeftButton and setting:
            self.chosen = setting
            self.dragging = (setting, self._new_token())
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.dragging is not None:
            self.dragged_to(self.dragging[0], spot(event), self.dragging[1])
            return
        self.setCursor(self.over if self.setting_at(spot(event)) else self.away)
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self.dragging is not None:
            self.dragging = None
            self.setCursor(self.over)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        setting = self.setting_at(spot(event))
        if setting:
            self.dragging = None
            self.returned.emit(setting)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus() or not self.chosen:  # never by a passing scroll
            event.ignore()
            return
        self.stepped.emit(self.chosen, event.angleDelta().y() / 120, False, self._new_token())
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        if key == Qt.Key.Key_Escape and self.dragging is not None:
            self.cancelled.emit(*self.dragging)
            self.dragging = None
        elif not self.chosen:
            super().keyPressEvent(event)
        elif chosen := self.chosen_by(event):
            self.chosen = chosen
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            if not event.isAutoRepeat() or self._keys is None:
                self._keys = self._new_token()  # a held key is one gesture
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.stepped.emit(self.chosen, 1.0 if key == Qt.Key.Key_Up else -1.0, fine, self._keys)
        elif key == Qt.Key.Key_Delete:
            self.returned.emit(self.chosen)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()  # the ring says what the keys move

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()
