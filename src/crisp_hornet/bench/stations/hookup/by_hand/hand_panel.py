"""By hand: the sheet of the bike's display is made, filled in with what the display shows, and changed."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.stations.hookup.by_hand.reading import Reading
from crisp_hornet.bench.stations.hookup.by_hand.sheet_maker import SheetMaker
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.kinds import HAND
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.sheets import write_sheet

WHAT_IT_IS = (
    "A display, or a program of the maker's, sets this bike. Make a sheet of its settings as it calls them, then type what it shows: "
    "Tune, Send and Verdict go by that."
)


MAKING = "Which settings the display has, what it calls them and in which steps it shows them."


class HandPanel(QWidget):
    """Nothing here writes to a controller."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self.theme = desk, theme
        self._head = row_of(spacing=12)
        self._words = label("", "quiet", wrap=True)
        self.reading = Reading(desk, theme)
        self.maker = SheetMaker(desk)
        self.maker.made.connect(self._keep)
        self.maker.given_up.connect(self._show)
        column = column_of(self, margins=0, spacing=8)
        column.addWidget(self._words)
        column.addLayout(self._head)
        column.addWidget(self.reading)
        column.addWidget(self.maker)
        desk.by_hand.changed.connect(self._show)
        desk.bike_changed.connect(self._show)
        self._show()

    def set_theme(self, theme: Theme) -> None:
        """Cards are made in one theme's colours."""
        self.theme = theme
        self.reading.set_theme(theme)

    def make(self) -> None:
        """Begin a sheet, or change the one there is."""
        self.maker.begin(self._desk.by_hand.sheet)
        self.reading.hide()
        self.maker.show()
        self._words.setText(MAKING)
        self._offer()

    def read(self, path: Path) -> None:
        """Take a sheet from its file."""
        try:
            sheet = read_map(path)
            if sheet.line.kind != HAND:
                raise DocumentError(str(path), "line.kind", "this controller has a line", "Connect it instead.")
            self._desk.by_hand.keep_sheet(sheet)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))

    def write(self, path: Path) -> None:
        """Write the sheet into a file of its own."""
        sheet = self._desk.by_hand.sheet
        if sheet is None:
            return
        try:
            write_sheet(path, sheet)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))

    def _keep(self, sheet: ControllerMap) -> None:
        try:
            self._desk.by_hand.keep_sheet(sheet)
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))

    def _show(self) -> None:
        sheet = self._desk.by_hand.sheet
        self._words.setText(WHAT_IT_IS if sheet is None else self.reading.standing())
        self.maker.hide()
        self.reading.setVisible(sheet is not None)
        self.reading.refresh()
        self._offer()

    def _offer(self) -> None:
        clear(self._head)
        sheet, making = self._desk.by_hand.sheet, self.maker.isVisibleTo(self)
        if self._desk.bike is None or making:
            return
        if sheet is None:
            self._head.addWidget(button("Make a sheet", self.make, "large"))
            self._head.addWidget(button("Import a sheet", self._ask_import, "small"))
        else:
            self._head.addWidget(button("Change the sheet", self.make, "small"))
            self._head.addWidget(button("Export the sheet", self._ask_export, "small"))
            self._head.addWidget(button("Put the sheet away", self._desk.by_hand.forget_sheet, "small"))
        self._head.addStretch(1)

    def _ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Import a sheet"), "", "Sheets (*.toml)")
        if name:
            self.read(Path(name))

    def _ask_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Export the sheet"), "sheet.toml", "Sheets (*.toml)")
        if name:
            self.write(Path(name))
