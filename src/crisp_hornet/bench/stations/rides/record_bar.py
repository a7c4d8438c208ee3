"""Recording from the link: a ride card before, laps and notes while riding, the ride into the garage afterwards."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from crisp_hornet.bench.desk import Desk
from crisp_hornet.bench.link_worker import LIVE_EVERY_MS, Link
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.bench.widgets.trace_axes import clock
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.contact import Live
from crisp_hornet.rides.recorder import ENDING, Recorder, left_behind

RECORDINGS = "recordings"
CARD = ("tyres", "wind", "air", "load", "purpose")
STILL_S = 180.0
FAST_MS = 20  # 50 readings a second while recording


class RecordBar(QWidget):
    """``recorded`` carries the file of a finished recording."""

    recorded = pyqtSignal(object)

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__()
        self._desk, self._link = desk, link
        self.recorder: Recorder | None = None
        self.waits = Confirm(theme, "record from the first movement")
        self.waits.setChecked(True)
        self.fields = {name: QLineEdit() for name in CARD}
        self._start = button("Record", self.start, "large", "Record the ride")
        self._stop = button("End the recording", self.stop, "large")
        self._lap = button("Lap", self.lap, "large", "Mark a lap")
        self.note = QLineEdit()
        self.note.setPlaceholderText("a note, Enter keeps it")
        self.note.setAccessibleName("note while recording")
        self.note.returnPressed.connect(self._take_note)
        self._told = label("", "quiet")
        self._card = QWidget()
        card = QHBoxLayout(self._card)
        card.setContentsMargins(0, 0, 0, 0)
        card.setSpacing(6)
        for name, field in self.fields.items():
            field.setAccessibleName(f"ride card: {name}")
            field.setPlaceholderText(name)
            card.addWidget(field, 1)
        card.addWidget(self.waits)
        card.addWidget(label("from first movement", "quiet"))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self._start)
        row.addWidget(self._card, 1)
        for widget in (self._stop, self._lap, self.note, self._told):
            row.addWidget(widget)
        QShortcut(QKeySequence("Ctrl+L"), self).activated.connect(self.lap)
        link.live_changed.connect(self._take)
        link.changed.connect(self.refresh)
        self.refresh()

    @property
    def folder(self) -> Path:
        """Where recordings are written until they are rides."""
        return self._desk.garage.folder / RECORDINGS

    def start(self) -> None:
        """Begin to record, or to wait for the first movement."""
        now = datetime.now()
        path = self.folder / f"Recorded {now:%Y-%m-%d %H-%M-%S}{ENDING}"
        try:
            self.recorder = Recorder(path, self.waits.isChecked(), STILL_S)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
            return
        self._link.set_live_every(FAST_MS)
        tune = self._desk.controller.name if self._desk.controller is not None else "not known"
        self.recorder.card({name: field.text() for name, field in self.fields.items()} | {"tune": tune})
        self.refresh()

    def stop(self) -> None:
        """End the recording and hand it over."""
        recorder = self.recorder
        if recorder is None:
            return
        self.recorder = None
        self._link.set_live_every(LIVE_EVERY_MS)
        try:
            recorder.finish()
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
        self.refresh()
        if recorder.rows > 1:
            self.recorded.emit(recorder.path)
        else:
            recorder.path.unlink(missing_ok=True)
            self._desk.said.emit("note", "Nothing moved: no ride was recorded.")

    def lap(self) -> None:
        """Mark a lap."""
        if self.recorder is not None:
            self.recorder.lap()
            self._desk.said.emit("settled", f"Lap at {clock(self.recorder.lasts_s)}.")

    def left(self) -> list[Path]:
        """Recordings that a crash left behind."""
        mine = self.recorder.path if self.recorder is not None else None
        return [path for path in left_behind(self.folder) if path != mine]

    def _take_note(self) -> None:
        if self.recorder is not None and self.note.text().strip():
            self.recorder.note(self.note.text().strip())
            self.note.clear()

    def _take(self, live: Live) -> None:
        recorder = self.recorder
        if recorder is None:
            return
        try:
            recorder.take(live.at_s, live.values)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))
            self.stop()
            return
        if recorder.done:  # it stood for long
            self.stop()
        elif recorder.rows % 10 == 0:
            self._tell()

    def _tell(self) -> None:
        if self.recorder is not None:
            waiting = "waits for the first movement"
            self._told.setText(
                waiting if self.recorder.waiting else f"{clock(self.recorder.lasts_s)}, {self.recorder.rows} rows"
            )

    def refresh(self) -> None:
        """Show what can be done now."""
        recording = self.recorder is not None
        self.setVisible(recording or self._link.contact is not None)
        for widget, shown in ((self._start, not recording), (self._card, not recording), (self._stop, recording), (self._lap, recording),
                              (self.note, recording), (self._told, recording)):  # fmt: skip
            widget.setVisible(shown)
        self._tell()
