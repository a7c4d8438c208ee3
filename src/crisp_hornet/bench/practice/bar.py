"""A line under the job line while a job is practised: which it is, its sheet, its roads."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QWidget

from crisp_hornet.bench.practice.practising import Practising
from crisp_hornet.bench.widgets.fold import Several
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label

LOOK_MS = 200


class PracticeBar(QWidget):
    """Its words say what is under way."""

    def __init__(self, practising: Practising, show_job: Callable[[], object]) -> None:
        super().__init__()
        self._practising = practising
        frame = QFrame()
        frame.setObjectName("sheet")
        row = row_of(frame, margins=(10, 4, 10, 4), spacing=12)
        row.addWidget(label("PRACTICE", "caps"))
        title = label(practising.room.file.title)
        title.setStyleSheet("font-weight: 600;")
        row.addWidget(title)
        self._said = label("", "quiet")
        row.addWidget(self._said)
        row.addStretch(1)
        job = practising.job
        roads = [(road.name, partial(practising.ride, key)) for key, road in job.roads.items()]
        self.roads = Several("Ride a road", roads)
        self.stop = button("Stop", practising.stop, "small", "Stop the ride or the trial")
        row.addWidget(self.stop)
        row.addWidget(self.roads)
        row.addWidget(button("Show the job", show_job, "small", "Show the job sheet: complaint, hints, hand over"))
        column_of(self, margins=(22, 0, 22, 0)).addWidget(frame)
        self._look = QTimer(self)
        self._look.timeout.connect(self._show)
        practising.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        busy = self._practising.busy
        if busy and not self._look.isActive():
            self._look.start(LOOK_MS)
        elif not busy:
            self._look.stop()
        self._said.setText(f"on the road, {100 * self._practising.share:.0f} %" if busy else "")
        self.stop.setVisible(busy)
        self.roads.setEnabled(not busy)
