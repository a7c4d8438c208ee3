"""The Rides station: the rides of this bike, and the open one's channels over time."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.rides.log_files import EXPORTS, FILES, Opened, export, joined, opened
from crisp_hornet.bench.stations.rides.mapping_panel import MappingPanel
from crisp_hornet.bench.stations.rides.record_bar import RecordBar
from crisp_hornet.bench.stations.rides.rest_row import RestRow
from crisp_hornet.bench.stations.rides.ride_view import RideView
from crisp_hornet.bench.stations.rides.rides_side import RidesSide
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import button, label, shortened
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.evidence.peaks import energy
from crisp_hornet.core.ride.joining import Joined
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.saying import counted, quantity, say
from crisp_hornet.documents.saying import joined as in_a_row
from crisp_hornet.garage.rides import KeptRide
from crisp_hornet.rides.mapping import kept_rows
from crisp_hornet.rides.recorder import ENDING, bike_of
from crisp_hornet.rides.registry import read_ride
from crisp_hornet.rides.taking import Loaded, take

LOOK, RECORD, MAPPING = range(3)


class RidesPage(Station):
    """Import a log, look through it."""

    key = "rides"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self._import = Background(DocumentError)
        self._import.done.connect(self._take_opened)
        self.panel = MappingPanel(theme)
        self.panel.dropped.connect(lambda: self._show_panel(False))
        self._join_link = button("Join another log", self._ask_join, "small")
        self._export_link = button(
            "Export the ride", self._ask_export, "small", "Export the ride, what is in view of it, or the picture"
        )
        self._views = Pages()
        self.recording = RecordBar(desk, link, theme)
        self.recording.recorded.connect(self._take_recorded)
        self.recording.told.connect(self.news)
        self.rest = RestRow(desk, link)
        self._left_link = button("", self.take_left, "small", "Import a recording that was not finished")
        self._import.failed.connect(self._take_failure)
        self._finishing = Background(DocumentError)
        self._finishing.done.connect(self._take_finished)
        self._finishing.failed.connect(self._take_failure)
        self._joining = Background(DocumentError)
        self._joining.done.connect(self._take_joined)
        self._joining.failed.connect(self._take_failure)
        self._kept: list[KeptRide] = []
        self._list = QListWidget()
        self._list.setAccessibleName(tr("rides"))
        fix(self._list, wide=210)
        self._list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self._list.itemActivated.connect(self._open_item)
        self._list.itemClicked.connect(self._open_item)
        self._title = label("", "title")
        self._about = label("", "quiet")
        self._cancel = button("Cancel the import", self._cancel_import, "small")
        self.view = RideView(desk, theme)
        self.traces = self.view.traces
        self.beside = RidesSide(desk, theme, self.view)
        self.pages = PageChoice(("Look", "Record"), "Rides", 16)
        self.pages.chosen.connect(self._show_page)
        self._lay_out()
        self.recording.refresh()
        desk.ride.changed.connect(self._show)
        desk.bike_changed.connect(self._show)
        desk.units_changed.connect(self._show)
        self._show()

    def take(self, thing: object) -> None:
        """A log to be imported, or a test programme to be led through, by its id: begun where a bike is connected, else laid ready."""
        if isinstance(thing, Path):
            self.import_file(thing)
            return
        self.pages.choose(1)
        self.recording.lay_ready(str(thing))
        if self.link.contact is not None and self.recording.recorder is None:
            self.recording.start()
            self._show()

    def _show_page(self, at: int) -> None:
        self._views.setCurrentIndex(RECORD if at else LOOK)
        self._show()

    def _lay_out(self) -> None:
        self._rides_column = QWidget()
        left = column_of(self._rides_column, margins=0, spacing=6)
        left.addWidget(label("RIDES", "caps"))
        left.addWidget(self._list, 1)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch(1)
        for one in (self._left_link, self._cancel, self._join_link, self._export_link):
            head.addWidget(one)
            head.addSpacing(6)
        ride = QWidget()
        middle = column_of(ride, margins=0, spacing=4)
        for widget in (self.rest, self._about):
            middle.addWidget(widget)
        middle.addWidget(self.view, 1)
        for page in (ride, self.recording, self.panel):
            self._views.addWidget(page)
        outer = column_of(spacing=4)
        outer.addLayout(head)
        looked = row_of(spacing=14)
        looked.addWidget(self.pages)
        looked.addStretch(1)
        looked.addWidget(self.view.other_row)
        outer.addLayout(looked)
        outer.addWidget(self._views, 1)
        row = row_of(self, margins=(0, 4, 0, 0), spacing=20)
        row.addWidget(self._rides_column)
        row.addLayout(outer, 1)

    # --- importing ------------------------------------------------------------------------------------------

    def import_file(self, path: Path) -> None:
        """Read a log off the interface thread; what came out is said in the notice bar."""
        if self.desk.bike is None:
            self.desk.said.emit("note", "Open a bike first: a ride belongs to a bike.")
            return
        kept = self.desk.remembered
        self._import.start(lambda: opened(path, kept))
        self._show()

    def _take_opened(self, opened: Opened) -> None:
        """A log in the exchange form, or of a source whose columns were set by hand before, is a ride at once; another one is shown."""
        if opened.loaded is not None:
            self._take_import(opened.loaded)
            return
        self.panel.show_table(opened.path, opened.table, opened.mapping)
        self._show_panel(True)

    def take_mapped(self) -> None:
        """Take the ride as its columns are mapped now, and remember them for the next log of that source."""
        table, mapping, path = self.panel.table, self.panel.mapping, self.panel.path
        if table is None or mapping is None:
            return
        try:
            loaded = take(table, mapping, path)
            self.desk.active.remember(f"mapping {table.signature}", kept_rows(mapping))
        except DocumentError as error:
            self._take_failure(error)
            return
        self._show_panel(False)
        self._take_import(loaded)

    def _show_panel(self, mapping: bool) -> None:
        self._views.setCurrentIndex(MAPPING if mapping else LOOK)
        self.pages.mark(0)
        self._show()

    @property
    def mapping(self) -> bool:
        """Whether a log's columns are being mapped."""
        return self._views.currentIndex() == MAPPING

    def _cancel_import(self) -> None:
        self._import.cancel()
        self._show()

    def _take_import(self, loaded: Loaded, card: RideCard | None = None) -> None:
        try:
            self.desk.ride.take(loaded.ride, loaded.notes, card)
        except DocumentError as error:
            self._take_failure(error)
            return
        if loaded.notes:
            self.desk.said.emit("note", say("Imported. {notes}.", notes=in_a_row("; ", loaded.notes)))
        self._show()

    def _take_failure(self, error: DocumentError) -> None:
        self.desk.said.emit("stop", str(error))
        self._show()

    def _open_item(self, item: QListWidgetItem) -> None:
        kept = self._kept[self._list.row(item)]
        try:
            self.desk.ride.open(kept)
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))

    # --- showing --------------------------------------------------------------------------------------------

    def _show(self) -> None:
        self._cancel.setVisible(self._import.running)
        self._kept = self.desk.ride.kept()
        self._list.clear()
        for kept in self._kept:
            item = QListWidgetItem(f"{kept.name}\n{time_words(kept.at)}")
            item.setToolTip(tr(kept.name))
            self._list.addItem(item)
            if (
                self.desk.ride.cleaned is not None
                and kept.name == self.desk.ride.cleaned.name
                and self._list.currentRow() < 0
            ):
                self._list.setCurrentItem(item)
        ride = self.desk.ride.cleaned
        title = (
            f"What the columns of {self.panel.path.name} are" if self.mapping else ride.name if ride else "No ride yet"
        )
        if self._recording_page:
            title = "Record a ride"
        self._title.setText("Importing" if self._import.running else shortened(title, 40))
        self._title.setToolTip(tr(title))
        left = len(self.recording.left()) if self.desk.bike is not None else 0
        self._left_link.setText(f"{counted(left, 'recording')} not finished")
        self._left_link.setVisible(left > 0)
        looking = self._views.currentIndex() == LOOK
        self.pages.setVisible(not self.mapping)
        self._rides_column.setVisible(not self._recording_page)
        for link in (self._join_link, self._export_link):
            link.setVisible(ride is not None and looking)
        self.view.other_row.setVisible(ride is not None and looking)
        self._about.setText(
            self._summary()
            if ride
            else "Import a log: separated text, Parquet, JSON Lines, a spreadsheet, GPX, TCX or FIT."
        )
        self.view.refresh()
        # what is beside is of the ride that is open, not of the log being read
        self.beside.refresh(ride is not None and looking)
        self.news.emit()

    def side(self) -> QWidget | None:
        return self.beside

    def _summary(self) -> str:
        ride = self.desk.ride.cleaned
        assert ride is not None
        words = [clock(float(ride.time_s[-1])), f"{len(ride)} rows"]
        used = energy(ride)
        if used is not None:
            words += [
                say("{distance} by the wheel as shown", distance=quantity(used.distance_km, "km", ".1f")),
                f"{used.wh_out - used.wh_back:.0f} Wh",
            ]
        words.append(f"ridden on {self.desk.ride.tune.name}" if self.desk.ride.tune else "tune not known")
        return " · ".join(self.desk.units.text(word) for word in words)

    def escape(self) -> bool:
        if self._import.running:
            self._cancel_import()
        elif self.mapping:
            self._show_panel(False)
        elif self.pages.at == 1 and self.recording.recorder is None:
            self.pages.choose(0)
        else:
            return False
        return True

    def state(self) -> BoltState:
        return BoltState.IN_WORK if self._import.running or self.recording.so_far else super().state()

    def caption(self) -> str:
        return self.recording.so_far or ("importing" if self._import.running else super().caption())

    def under_way(self) -> str:
        if self.recording.recorder is None:
            return ""
        return "A ride is being recorded. End the recording, save the ride, and close?"

    def finish(self) -> None:
        self.recording.stop()

    def meaning(self) -> tuple[str, str]:
        if self._import.running:
            return "IMPORTING", "The log is read beside; you can go on working."
        if self.mapping:
            unsure = self.panel.unsure
            told = (
                f"<b>{unsure} column{'s are' if unsure != 1 else ' is'} guessed</b>: look at them. " if unsure else ""
            )
            return "COLUMNS OF THE LOG", f"{told}What is set here is remembered for the next log of this source."
        if self.desk.ride.cleaned is None:
            return "A RIDE IS EVIDENCE", "With a log, what the tune really did can be laid over what was predicted."
        if self._recording_page:
            return (
                "RECORDING",
                "Local codes decide what may be ridden where. F2 marks a lap, F3 takes a note of the moment.",
            )
        return (
            "LOOKING",
            "Drag to pan, Shift-drag or wheel to zoom, arrow keys move the cursor, Home shows all.",
        )

    def act_text(self) -> str:
        if self._recording_page:
            return (
                "End the recording"
                if self.recording.recorder
                else "Record"
                if self.link.contact
                else "Hook up the controller"
            )
        return "Import this ride" if self.mapping else "Import a log"

    def act_enabled(self) -> bool:
        if self._recording_page:
            return self.desk.bike is not None
        return self.desk.bike is not None and not self._import.running

    @property
    def _recording_page(self) -> bool:
        return self._views.currentIndex() == RECORD

    def act(self) -> None:
        if self._recording_page:
            self._act_on_recording()
            return
        if self.mapping:
            self.take_mapped()
            return
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a log"), "", FILES)
        if name:
            self.import_file(Path(name))

    def _act_on_recording(self) -> None:
        if self.recording.recorder is not None:
            self.recording.stop()
        elif self.link.contact is not None:
            self.recording.start()
        else:
            self.go.emit("hookup")

    # --- recording ------------------------------------------------------------------------------------------

    def _take_recorded(self, path: Path, card: RideCard | None = None) -> None:
        """A recording is read back and kept as a ride; its file goes once that is done."""
        self._finishing.start(lambda: (path, card, read_ride(path)))

    def _take_finished(self, found: tuple[Path, RideCard | None, Loaded]) -> None:
        path, card, loaded = found
        ride = replace(loaded.ride, name=path.name.removesuffix(ENDING))
        self._take_import(Loaded(ride, loaded.notes), card)
        if self.desk.ride.recorded is not None and self.desk.ride.recorded.name == ride.name:
            path.unlink(missing_ok=True)
            if self._recording_page:
                self.pages.choose(0)
            if card is not None:
                self.rest.watch()
        self._show()

    @property
    def finishing(self) -> bool:
        """Whether a finished recording is being read and kept."""
        return self._finishing.running

    def take_left(self) -> None:
        """Take the oldest recording that a crash left behind as a ride."""
        left = self.recording.left()
        if not left or self.desk.bike is None:
            return
        whose = bike_of(left[0])
        if whose and whose != self.desk.bike.name:
            self.desk.said.emit(
                "warn", f"That recording was begun with {whose}: open {whose} on Build, then take it here."
            )
            return
        self._take_recorded(left[0])

    # --- joining, export ----------------------------------------------------------------------------

    def _ask_join(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Join another log of this ride"), "", FILES)
        if name:
            self.join_file(Path(name))

    def join_file(self, path: Path) -> None:
        """Join another log of the same ride, a GPS watch's for instance, to the open one."""
        first = self.desk.ride.recorded
        if first is None:
            return
        self._joining.start(lambda: joined(first, path))

    def _take_joined(self, joined: Joined) -> None:
        name = f"{joined.ride.name}, joined"
        ride = replace(joined.ride, name=name[:120])
        told = f"joined at a shift of {joined.shift_s:+.1f} s, speeds alike to {100 * joined.fit:.0f} %"
        self._take_import(Loaded(ride, [told]))

    def _ask_export(self) -> None:
        name, kind = QFileDialog.getSaveFileName(self, tr("Export"), "ride.csv", ";;".join(EXPORTS))
        if name:
            self.export_file(Path(name), EXPORTS.get(kind, "whole"))

    def export_file(self, path: Path, what: str = "whole") -> None:
        """Write the open ride, mended as shown; of ``what`` "view" only what the traces show, of "picture" how they show it."""
        if self.desk.ride.cleaned is None:
            return
        try:
            export(self.desk.ride.cleaned, self.view, path, what)
        except DocumentError as error:
            self._take_failure(error)
            return
        self.desk.said.emit("settled", f"Written: {path.name}.")
