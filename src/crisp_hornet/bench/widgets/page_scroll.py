"""A station in a window that may be smaller than it: it fills the room there is, and scrolls where it needs more."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget


class PageScroll(QScrollArea):
    """Qt's own resizing would give a page with wrapped words the height that it likes, not the least that it needs."""

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self.setWidget(page)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is inside can be reached, and scrolls into view
        page.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and watched is self.widget() and event.type() == QEvent.Type.LayoutRequest:
            self.fit()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Give the page the room in view, or the least it needs where that is more."""
        page, room = self.widget(), self.maximumViewportSize()
        if page is None:
            return
        need, bar = page.minimumSizeHint(), self.verticalScrollBar()
        if need.height() > room.height() and bar is not None:
            room = QSize(room.width() - bar.sizeHint().width(), room.height())
        page.resize(room.expandedTo(need))
