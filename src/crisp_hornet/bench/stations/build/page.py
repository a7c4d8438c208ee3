"""The Build station: the bike's figures left, its drawing and its pack in the middle."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from crisp_hornet.bench.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.marks import BoltState
from crisp_hornet.bench.stations.build.drawing import BikeDrawing, wheel_loads
from crisp_hornet.bench.stations.build.figures import figures, name_of, source_word
from crisp_hornet.bench.stations.build.pack_window import PackWindow
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import button, clear, column_scroll, label
from crisp_hornet.documents import store
from crisp_hornet.documents.base import unknown_keys
from crisp_hornet.documents.errors import DocumentError


class BuildPage(Station):
    """Read a bike; see what it is."""

    number, name = 1, "Build"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self._title = label("", "title")
        self._about = label("", "quiet")
        self._rows = QGridLayout()
        self._rows.setContentsMargins(0, 0, 10, 0)
        self._rows.setHorizontalSpacing(10)
        self._rows.setVerticalSpacing(3)
        self._rows.setColumnStretch(0, 1)
        self._drawing = BikeDrawing(theme)
        self._pack = PackWindow(theme)
        self._lay_out()
        desk.bike_changed.connect(self._show)
        desk.draft_changed.connect(self._show_pack)
        self._show()

    def _lay_out(self) -> None:
        inside = QWidget()
        inside.setLayout(self._rows)
        scroll = column_scroll(inside)
        scroll.setFixedWidth(310)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(button("Open a bike file", self.open_bike_file, "link"))
        head.addSpacing(14)
        head.addWidget(button("Open a tune file", self.open_tune_file, "link"))
        middle = QVBoxLayout()
        middle.setSpacing(4)
        middle.addLayout(head)
        middle.addWidget(self._about)
        middle.addWidget(self._drawing, 1)
        middle.addWidget(label("THE PACK, RESTED VOLTS", "caps"))
        middle.addWidget(self._pack)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 4, 0, 0)
        row.setSpacing(24)
        row.addWidget(scroll)
        row.addLayout(middle, 1)

    def open_bike_file(self) -> None:
        """Let the user choose a bike document."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a bike file", "", "Bike documents (*.json)")
        if name:
            self.read_bike(Path(name))

    def read_bike(self, path: Path) -> None:
        """Read a bike document and make it the active bike; says what is wrong with it."""
        try:
            bike = store.read_bike(path)
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))
            return
        self.desk.open_bike(bike)
        unknown = unknown_keys(bike)
        if unknown:
            self.desk.said.emit("note", f"{path.name}: kept, but not understood: {', '.join(unknown[:6])}.")

    def open_tune_file(self) -> None:
        """Let the user choose a tune document."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a tune file", "", "Tune documents (*.json)")
        if name:
            self.read_tune(Path(name))

    def read_tune(self, path: Path) -> None:
        """Read a tune document as the draft; says what is wrong with it."""
        if self.desk.bike is None:
            self.desk.said.emit("note", "Open a bike first: a tune belongs to a bike.")
            return
        try:
            self.desk.open_draft(store.read_tune(path))
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))

    def _show(self) -> None:
        clear(self._rows)
        bike = self.desk.bike
        if bike is None:
            self._title.setText("No bike yet")
            self._about.setText("Open a bike file to begin. How it is written stands in docs/formats.md.")
            return
        self._title.setText(bike.name)
        assumed = len(bike.assumed)
        self._about.setText(
            "all figures known"
            if not assumed
            else f"{assumed} figure{'s' if assumed != 1 else ''} assumed, not measured"
        )
        row = 0
        for group, rows in figures(bike).items():
            heading = label(group, "caps")
            heading.setContentsMargins(0, 10 if row else 0, 0, 2)
            self._rows.addWidget(heading, row, 0, 1, 3)
            row += 1
            for one in rows:
                self._rows.addWidget(label(one.label, "quiet"), row, 0)
                value = label(one.text)
                value.setStyleSheet("font-weight: 500;")
                self._rows.addWidget(value, row, 1, alignment=Qt.AlignmentFlag.AlignRight)
                word = label(source_word(bike, one.path), "quiet")
                word.setFixedWidth(62)
                self._rows.addWidget(word, row, 2)
                row += 1
        self._rows.setRowStretch(row, 1)
        self._drawing.show_bike(bike)
        self._show_pack()
        self.news.emit()

    def _show_pack(self) -> None:
        if self.desk.bike is not None:
            self._pack.show_pack(self.desk.bike, self.desk.draft)

    def state(self) -> BoltState:
        bike = self.desk.bike
        if bike is None:
            return BoltState.UNTOUCHED
        return BoltState.IN_WORK if bike.assumed else BoltState.DONE

    def caption(self) -> str:
        bike = self.desk.bike
        if bike is None:
            return "no bike yet"
        return bike.name + (f" · {len(bike.assumed)} assumed" if bike.assumed else "")

    def meaning(self) -> tuple[str, str]:
        bike = self.desk.bike
        if bike is None:
            return (
                "BEGIN HERE",
                "Everything that follows rests on the bike: its motor, controller, pack, wheel and masses.",
            )
        rear, front = wheel_loads(bike)
        names = ", ".join(name_of(bike, path) for path in bike.assumed)
        return "WHAT IT IS", (
            f"{bike.name} weighs <b>{bike.mass_kg:g} kg</b> as ridden, {rear:.0f} kg of it on the rear wheel and {front:.0f} kg in front. "
            + (f"Nobody has measured yet: {names}." if bike.assumed else "Every figure was entered or measured.")
        )

    def act_text(self) -> str:
        return "Hook up the controller" if self.desk.bike else "Open a bike file"

    def act(self) -> None:
        if self.desk.bike is None:
            self.open_bike_file()
        else:
            self.go.emit(2)
