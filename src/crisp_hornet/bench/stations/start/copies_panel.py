"""How often the garage is copied, where to, and how many copies stay."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from PyQt6.QtWidgets import QFileDialog, QLineEdit, QWidget

from crisp_hornet.bench.desk.copies import EVERY, MOST_KEPT, NEVER
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label

WORDS = (
    "A copy is the whole garage at one instant; rides and attachments are copied once. Best on another disk. "
    "It comes back with: crisp-hornet copy --back"
)
FOLDER_PX = 420


class CopiesPanel(QWidget):
    """What is chosen counts at once."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk, self._copies = desk, desk.copies
        self.every = Chooser("copy the garage")
        self.every.offer([NEVER, *EVERY])
        self.every.activated.connect(lambda _at: self._change())
        self.to = QLineEdit()
        fix(self.to, wide=FOLDER_PX)
        self.to.editingFinished.connect(self._change)
        self.keep = NumberField("copies that stay", "", 1, MOST_KEPT, width=90)
        self.keep.editingFinished.connect(self._change)
        self.now = button("Copy now", self._copy_now, "small", "Copy the garage now")
        self.said = label("", "quiet", wrap=True)
        column = column_of(self, margins=0, spacing=8)
        column.addWidget(label("COPIES OF THE GARAGE", "caps"))
        row = row_of(spacing=12)
        row.addWidget(Captioned("copy the garage", self.every))
        row.addWidget(Captioned("into", self.to))
        row.addWidget(button("Choose", self._ask_folder, "small", "Choose the folder of the copies"))
        row.addStretch(1)
        column.addLayout(row)
        row = row_of(spacing=12)
        row.addWidget(Captioned("copies that stay", self.keep))
        row.addWidget(self.now)
        row.addWidget(self.said, 1)
        column.addLayout(row)
        column.addWidget(label(WORDS, "quiet", wrap=True))
        self._copies.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the schedule as it is kept."""
        schedule = self._copies.schedule
        self.every.setCurrentText(schedule.every)
        self.to.setText(schedule.to)
        self.keep.setText(str(schedule.keep))
        self.now.setEnabled(bool(schedule.to) and not self._copies.running)
        self.said.setText(self._copies.failed or ("Copying …" if self._copies.running else _newest(schedule.last)))

    def _change(self) -> None:
        before = self._copies.schedule
        try:
            keep = int(self.keep.read() or before.keep)
        except Misread as error:
            self._desk.said.emit("stop", str(error))
            return
        schedule = replace(before, to=self.to.text().strip(), every=self.every.currentText(), keep=keep)
        if schedule != before:
            self._copies.set(schedule)
        if schedule.every != NEVER and not schedule.to:
            self._desk.said.emit("note", "Choose the folder that the copies go into.")

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Choose the folder of the copies"))
        if name:
            self.to.setText(name)
            self._change()

    def _copy_now(self) -> None:
        self._copies.copy_now(self._copies.schedule)


def _newest(last: str) -> str:
    try:
        at = datetime.fromisoformat(last)
    except ValueError:
        return "No copy was made yet."
    return f"The newest: {at.day} {at:%B %Y, %H:%M}"
