"""A station in a window that may be smaller than it: it fills the room there is, and scrolls where it needs more."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QWidget

SHOWN, HIDDEN = Qt.ScrollBarPolicy.ScrollBarAlwaysOn, Qt.ScrollBarPolicy.ScrollBarAlwaysOff


class PageScroll(QScrollArea):
    """Qt's own resizing would give a page with wrapped words the height that it likes, not the least that it needs."""

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self.setWidget(page)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is inside can be reached, and scrolls into view
        page.installEventFilter(self)
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.timeout.connect(self.fit)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and watched is self.widget() and event.type() == QEvent.Type.LayoutRequest:
            self.fit()
            self._again.start()  # once all that lies in it is laid out
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Give the page the room in view, or the least it needs where that is more."""
        page, room = self.widget(), self.maximumViewportSize()
        if page is None:
            return
        need, bars = page.minimumSizeHint(), (self.verticalScrollBar(), self.horizontalScrollBar())
        thick = bars[0].sizeHint().width() if bars[0] is not None else 0
        tall = need.height() > room.height()
        wide = need.width() > room.width() - (thick if tall else 0)
        tall = tall or need.height() > room.height() - (thick if wide else 0)
        self.setVerticalScrollBarPolicy(SHOWN if tall else HIDDEN)
        self.setHorizontalScrollBarPolicy(SHOWN if wide else HIDDEN)
        room = QSize(room.width() - (thick if tall else 0), room.height() - (thick if wide else 0))
        page.resize(room.expandedTo(need))
