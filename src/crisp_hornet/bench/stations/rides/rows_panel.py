"""Which traces a group shows, and in which order: ticked ones are shown, dragged or moved by keys."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.bench.widgets.trace_rows import Rows
from crisp_hornet.documents.channels import long_name

STEPS = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}


class RowList(QListWidget):
    """Alt with up and down moves the chosen row."""

    moved = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = STEPS.get(Qt.Key(event.key()))
        if step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.move_by(step)
        else:
            super().keyPressEvent(event)

    def move_by(self, step: int) -> None:
        """Move the chosen row up (-1) or down (1)."""
        at = self.currentRow()
        if 0 <= at < self.count() and 0 <= at + step < self.count():
            item = self.takeItem(at)
            self.insertItem(at + step, item)
            self.setCurrentRow(at + step)
            self.moved.emit()


class RowsPanel(QWidget):
    """``chosen`` carries the rows to show, from the top; ``usual`` asks for those of the group again."""

    chosen = pyqtSignal(object)
    usual = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.rows: Rows = ()
        self.list = RowList()
        self.list.setAccessibleName(
            tr("traces shown, from the top; Space shows or hides one, Alt with up and down moves it")
        )
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.list.itemChanged.connect(lambda _item: self._tell())
        self.list.moved.connect(self._tell)
        model = self.list.model()
        assert model is not None
        model.rowsMoved.connect(lambda *_: self._tell())
        acts = row_of(spacing=6)
        acts.addWidget(button("Move up", lambda: self.list.move_by(-1), "small", "Move the trace up"))
        acts.addWidget(button("Move down", lambda: self.list.move_by(1), "small", "Move the trace down"))
        acts.addStretch(1)
        column = column_of(self, margins=0, spacing=6)
        column.addWidget(label("Tick what is shown; drag to order.", "quiet", wrap=True))
        column.addWidget(self.list, 1)
        column.addLayout(acts)
        column.addWidget(
            button("Show the usual traces", self.usual.emit, "small"), alignment=Qt.AlignmentFlag.AlignLeft
        )

    def show_rows(self, every: Rows, shown: Rows) -> None:
        """List all rows of a group; those ``shown`` come first, ticked, in their order."""
        listed = (*shown, *(row for row in every if row not in shown))
        ticked = [row in shown for row in listed]
        if listed == self.rows and ticked == [self._ticked(at) for at in range(self.list.count())]:
            return
        self.rows = listed
        self.list.blockSignals(True)
        self.list.clear()
        for row, on in zip(listed, ticked, strict=True):
            item = QListWidgetItem(" and ".join(long_name(name) for name in row))
            item.setData(Qt.ItemDataRole.UserRole, row)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def _ticked(self, at: int) -> bool:
        item = self.list.item(at)
        return item is not None and item.checkState() == Qt.CheckState.Checked

    def _tell(self) -> None:
        items = [item for at in range(self.list.count()) if (item := self.list.item(at)) is not None]
        self.rows = tuple(tuple(item.data(Qt.ItemDataRole.UserRole)) for item in items)
        shown = tuple(row for at, row in enumerate(self.rows) if self._ticked(at))
        if shown:
            self.chosen.emit(shown)
        else:  # nothing at all is no choice
            self.usual.emit()
