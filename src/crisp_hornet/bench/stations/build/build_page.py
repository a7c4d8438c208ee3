"""The Build station: the bike's figures left, its drawing and its pack in the middle."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from crisp_hornet.bench.charts.plain_chart import PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.keys import rove
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.stations.build.drawing import BikeDrawing, wheel_loads
from crisp_hornet.bench.stations.build.entry import EntryPanel
from crisp_hornet.bench.stations.build.figures import FigureRow, figures, name_of, source_word
from crisp_hornet.bench.stations.build.garage_panel import GaragePanel
from crisp_hornet.bench.stations.build.pack_window import PackWindow
from crisp_hornet.bench.stations.build.packs_panel import PacksPanel
from crisp_hornet.bench.stations.build.pictures import motor_pictures, pack_picture
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.fold import Fold, Several
from crisp_hornet.bench.widgets.layouts import Pages, column_of, row_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import clear, column_scroll, label
from crisp_hornet.documents import store
from crisp_hornet.documents.base import unknown_keys
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted, quantity, say

MOST_NAMED = 6
PAGES = ("Bike", "Pack", "Motor", "Several packs")


class BuildPage(Station):
    """Read a bike; see what it is."""

    key = "build"

    def __init__(self, desk: Desk, link: Link, theme: Theme) -> None:
        super().__init__(desk, link, theme)
        self._title = label("", "title")
        self._about = label("", "quiet")
        self._rows = column_of(margins=(0, 0, 6, 0), spacing=2)
        self._open_groups = {"MOTOR"}
        self._entry = EntryPanel(desk)
        self._entry.closed.connect(self.show_garage)
        self._entry.taught.start.connect(lambda name: self.hand_over.emit("rides", name))
        self._garage = GaragePanel(desk, lambda: self.go.emit("start"))
        self._panels = Pages()
        for panel in (self._garage, self._entry):
            self._panels.addWidget(column_scroll(panel))
        self._drawing = BikeDrawing(theme)
        self._pack = PackWindow(theme)
        self._pack_chart = PlainChart(theme)
        self._torque_chart, self._loss_chart = PlainChart(theme), PlainChart(theme)
        self._pack_words, self._motor_words = label("", wrap=True), label("", wrap=True)
        self.packs = PacksPanel(desk)
        self._views = Pages()
        self.pages = PageChoice(PAGES, "picture of the bike", 16)
        self.pages.chosen.connect(self._show_view)
        self._lay_out()
        desk.bike_changed.connect(self._show)
        desk.draft.changed.connect(self._show_pack)
        desk.units_changed.connect(self._show)
        self._show()

    def _lay_out(self) -> None:
        inside = QWidget()
        inside.setLayout(self._rows)
        rove(inside)
        scroll = column_scroll(inside)
        fix(scroll, wide=310)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch(1)
        files = (("Open a bike file", self.open_bike_file), ("Open a tune file", self.open_tune_file))
        head.addWidget(Several("Open a file", files))
        middle = column_of(spacing=4)
        middle.addLayout(head)
        middle.addWidget(self._about)
        middle.addWidget(self.pages)
        for page in (
            self._drawing,
            self._column(self._pack_chart, self._pack_words),
            self._column(self._torque_chart, self._loss_chart, self._motor_words),
            self._column(self.packs),
        ):
            self._views.addWidget(page)
        middle.addWidget(self._views, 1)
        self._pack_title = label("PACK VOLTAGE AT REST", "caps")
        middle.addWidget(self._pack_title)
        middle.addWidget(self._pack)
        row = row_of(self, margins=(0, 4, 0, 0), spacing=24)
        row.addWidget(scroll)
        row.addLayout(middle, 1)

    def _column(self, *widgets: QWidget) -> QWidget:
        page = QWidget()
        column = column_of(page, margins=(0, 4, 0, 0))
        for widget in widgets:
            column.addWidget(widget, 1 if isinstance(widget, PlainChart) else 0)
        return page

    def show_view(self, index: int) -> None:
        """Show the bike's drawing (0), its pack's chart (1), its motor's (2) or its several packs (3)."""
        self.pages.choose(index)

    def _show_view(self, index: int) -> None:
        self._views.setCurrentIndex(index)
        self._show_pack()

    def side(self) -> QWidget | None:
        return self._panels

    def escape(self) -> bool:
        if self._panels.currentIndex() == 0:
            return False
        self.show_garage()
        return True

    def choose(self, path: str) -> None:
        """Open the entry of a figure."""
        self._panels.setCurrentIndex(1)
        self._entry.show_figure(path)
        for row in self.findChildren(FigureRow):
            row.setChecked(row.figure.path == path)

    def show_garage(self) -> None:
        """Back to the bikes of the garage; the row that was open gets the focus."""
        self._panels.setCurrentIndex(0)
        for row in self.findChildren(FigureRow):
            if row.figure.path == self._entry.path:
                row.setFocus()
            row.setChecked(False)

    def open_bike_file(self) -> None:
        """Let the user choose a bike document."""
        name, _ = QFileDialog.getOpenFileName(self, tr("Open a bike file"), "", "Bike documents (*.json)")
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
            self.desk.said.emit("note", f"{path.name}: unknown keys, kept but unused: {', '.join(unknown[:6])}.")

    def open_tune_file(self) -> None:
        """Let the user choose a tune document."""
        name, _ = QFileDialog.getOpenFileName(self, tr("Open a tune file"), "", "Tune documents (*.json)")
        if name:
            self.read_tune(Path(name))

    def read_tune(self, path: Path) -> None:
        """Read a tune document as the draft; says what is wrong with it."""
        if self.desk.bike is None:
            self.desk.said.emit("note", "Open a bike first: a tune belongs to a bike.")
            return
        try:
            self.desk.draft.open(store.read_tune(path))
        except DocumentError as error:
            self.desk.said.emit("stop", str(error))

    def _show(self) -> None:
        clear(self._rows)
        bike = self.desk.bike
        self._pack_title.setVisible(bike is not None)
        if bike is None:
            self._title.setText("No bike yet")
            self._about.setText(
                "Start one of a kind on the right, or open a bike file (docs/formats.md says how it is written)."
            )
            self._drawing.bike = self._pack.bike = None
            self._drawing.update()
            self._pack.update()
            self.news.emit()
            return
        self._title.setText(bike.name)
        unsure = len(bike.assumed)
        self._about.setText("all figures known" if not unsure else counted(unsure, "assumed value"))
        chosen = self._entry.path if self._entry.isVisibleTo(self._panels) else ""
        turn = self.desk.units.text
        for group, rows in figures(bike).items():
            fold = Fold(group, group in self._open_groups)
            fold.opened.connect(partial(self._keep_open, group))
            assumed = sum(source_word(bike, one.path) == "assumed" for one in rows)
            fold.say(f"{assumed} assumed" if assumed else "")
            self._rows.addWidget(fold)
            for one in rows:
                row = FigureRow(replace(one, text=turn(one.text)), source_word(bike, one.path), self.theme)
                row.setChecked(one.path == chosen)
                row.clicked.connect(partial(self.choose, one.path))
                fold.rows.addWidget(row)
        self._rows.addStretch(1)
        self._drawing.show_bike(bike, self.desk.units)
        self._show_pack()
        self.news.emit()

    def _keep_open(self, group: str, is_open: bool) -> None:
        (self._open_groups.add if is_open else self._open_groups.discard)(group)

    def _show_pack(self) -> None:
        bike, prediction = self.desk.bike, self.desk.draft.prediction
        if bike is None:
            return
        self._pack.show_pack(bike, self.desk.draft.tune)
        if self._views.currentIndex() == 1:
            picture, words = pack_picture(bike, self.desk.draft.tune, self.desk.conditions.rested_v)
            self._pack_chart.show_picture(picture)
            self._pack_words.setText(self.desk.units.text(words))
        elif self._views.currentIndex() == 3:
            self.packs.show_bike(bike)
        elif self._views.currentIndex() == 2:
            curve = prediction.curve if prediction else None
            torque, losses, words = (
                motor_pictures(curve, self.desk.units)
                if curve is not None
                else (None, None, "A draft on Tune shows what its motor would do.")
            )
            self._torque_chart.show_picture(torque)
            self._loss_chart.show_picture(losses)
            self._motor_words.setText(self.desk.units.text(words))

    def meaning(self) -> tuple[str, str]:
        bike = self.desk.bike
        if bike is None:
            return (
                "START HERE",
                "Everything that follows rests on the bike: its motor, controller, pack, wheel and masses.",
            )
        rear, front = wheel_loads(bike)
        names = ", ".join(name_of(bike, path) for path in bike.assumed[:MOST_NAMED])
        if len(bike.assumed) > MOST_NAMED:
            names += f" and {len(bike.assumed) - MOST_NAMED} more"
        return "WHAT IT IS", (
            say(
                "{name} weighs <b>{mass}</b> as ridden, {rear} of it on the rear wheel and {front} in front. ",
                name=bike.name,
                mass=quantity(bike.mass_kg, "kg"),
                rear=quantity(rear, "kg", ".0f"),
                front=quantity(front, "kg", ".0f"),
            )
            + (f"Still assumed: {names}." if bike.assumed else "Every figure was entered or measured.")
        )

    def act_text(self) -> str:
        return "Hook up the controller" if self.desk.bike else "Open a bike file"

    def act(self) -> None:
        if self.desk.bike is None:
            self.open_bike_file()
        else:
            self.go.emit("hookup")
