"""The Rides station: the rides of this bike, and the open one's channels over time."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk import Desk, time_words
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.bench.widgets.traces import Traces, clock
from crisp_hornet.core.evidence.peaks import energy
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import KeptRide
from crisp_hornet.rides.registry import Loaded, read_ride


class RidesPage(Station):
    """Import a log, look through it."""

    number, name = 6, "Rides"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self._import = Background(DocumentError)
        self._import.done.connect(self._take_import)
        self._import.failed.connect(self._take_failure)
        self._kept: list[KeptRide] = []
        self._list = QListWidget()
        self._list.setAccessibleName("rides")
        self._list.setFixedWidth(210)
        self._list.itemActivated.connect(self._open_item)
        self._list.itemClicked.connect(self._open_item)
        self._title = label("", "title")
        self._about = label("", "quiet")
        self._cursor = label("", "quiet", wrap=True)
        self._cursor.setMinimumHeight(36)
        self._cancel = button("Cancel the import", self._cancel_import, "link")
        self.traces = Traces(theme)
        self.traces.pointed.connect(self._show_cursor)
        self._lay_out()
        desk.rides_changed.connect(self._show)
        desk.bike_changed.connect(self._show)
        desk.units_changed.connect(self._show)
        self._show()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(label("RIDES", "caps"))
        left.addWidget(self._list, 1)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(self._cancel)
        middle = QVBoxLayout()
        middle.setSpacing(4)
        middle.addLayout(head)
        middle.addWidget(self._about)
        middle.addWidget(self.traces, 1)
        middle.addWidget(self._cursor)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 4, 0, 0)
        row.setSpacing(20)
        row.addLayout(left)
        row.addLayout(middle, 1)

    # --- importing ------------------------------------------------------------------------------------------

    def import_file(self, path: Path) -> None:
        """Read a log off the interface thread; what came out is said in the notice bar."""
        if self.desk.bike is None:
            self.desk.said.emit("note", "Open a bike first: a ride belongs to a bike.")
            return
        self._import.start(lambda: read_ride(path))
        self._show()

    def _cancel_import(self) -> None:
        self._import.cancel()
        self._show()

    def _take_import(self, loaded: Loaded) -> None:
        try:
            self.desk.take_ride(loaded.ride, loaded.notes)
        except DocumentError as error:
            self._take_failure(error)
            return
        if loaded.notes:
            self.desk.said.emit("note", "Imported. " + "; ".join(loaded.notes) + ".")
        self._show()

    def _take_failure(self, error: DocumentError) -> None:
        self.desk.said.emit("stop", str(error))
        self._show()

    def _open_item(self, item: QListWidgetItem) -> None:
        kept = self._kept[self._list.row(item)]
        try:
            self.desk.open_ride(kept)
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))

    # --- showing --------------------------------------------------------------------------------------------

    def _show(self) -> None:
        self._cancel.setVisible(self._import.running)
        self._kept = self.desk.garage.rides(self.desk.bike_id) if self.desk.bike else []
        self._list.clear()
        for kept in self._kept:
            item = QListWidgetItem(f"{kept.name}\n{time_words(kept.at)}")
            item.setToolTip(kept.name)
            self._list.addItem(item)
            if self.desk.ride is not None and kept.name == self.desk.ride.name and self._list.currentRow() < 0:
                self._list.setCurrentItem(item)
        ride = self.desk.ride
        self._title.setText("Importing" if self._import.running else ride.name if ride else "No ride yet")
        self._about.setText(
            self._summary() if ride else "Import a log: comma-separated or Parquet, as docs/formats.md describes."
        )
        self.traces.show_units(self.desk.units)
        if self.traces.ride is not ride:
            self.traces.show_ride(ride)
        self._show_cursor(0.0)
        self.news.emit()

    def _summary(self) -> str:
        ride = self.desk.ride
        assert ride is not None
        words = [clock(float(ride.time_s[-1])), f"{len(ride)} rows"]
        used = energy(ride)
        if used is not None:
            words += [f"{used.distance_km:.1f} km by the wheel", f"{used.wh_out - used.wh_back:.0f} Wh"]
        words.append(f"ridden on {self.desk.ride_tune.name}" if self.desk.ride_tune else "tune not known")
        return self.desk.units.text(" · ".join(words))

    def _show_cursor(self, _at_s: float) -> None:
        self._cursor.setText(self.traces.values_at_cursor())

    def state(self) -> BoltState:
        if self._import.running:
            return BoltState.IN_WORK
        return BoltState.DONE if self._kept else BoltState.UNTOUCHED

    def caption(self) -> str:
        if self._import.running:
            return "importing"
        count = len(self._kept)
        return f"{count} ride{'s' if count != 1 else ''}" if count else "no ride yet"

    def meaning(self) -> tuple[str, str]:
        if self._import.running:
            return "IMPORTING", "The log is read beside; you can go on working."
        if self.desk.ride is None:
            return "A RIDE IS EVIDENCE", "With a log, what the tune really did can be laid over what was predicted."
        return (
            "LOOKING",
            "Drag pans, the wheel zooms in time, left and right move the cursor, Home shows the whole ride.",
        )

    def act_text(self) -> str:
        return "Import a log"

    def act_enabled(self) -> bool:
        return self.desk.bike is not None and not self._import.running

    def act(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import a log", "", "Ride logs (*.csv *.parquet)")
        if name:
            self.import_file(Path(name))
