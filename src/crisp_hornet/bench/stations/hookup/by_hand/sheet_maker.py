"""A sheet made in the window: which settings the display has, what it calls them, how it shows them."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.hookup.by_hand.row_card import RowCard
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.setting_words import WORDS, label_of
from crisp_hornet.documents.sheets import SheetRow, sheet_of, usual_row
from crisp_hornet.documents.sheets import row_of as row_from

FIRST = (
    *("drive.battery_current_a", "drive.phase_current_a", "drive.speed_kmh", "battery_guard.fade_start_v"),
    *("regen.battery_current_a", "throttle.maximum"),
)


class SheetMaker(QWidget):
    """``made``: a sheet that makes sense; ``given_up``: it was left."""

    made = pyqtSignal(object)
    given_up = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.name = QLineEdit()
        self.caution = QLineEdit()
        self.rows: list[RowCard] = []
        self._cards = column_of(spacing=8)
        self.adding = Chooser("setting to add")
        add = row_of(spacing=10)
        add.addWidget(Captioned("setting to add", self.adding), 1)
        add.addWidget(button("Add the setting", self.add_chosen, "small"))
        acts = row_of(spacing=12)
        acts.addWidget(button("Keep the sheet", self.keep, "large"))
        acts.addWidget(button("Leave it", self.given_up.emit, "small", "Leave the sheet as it was"))
        acts.addStretch(1)
        column = column_of(self, margins=0, spacing=8)
        column.addWidget(Captioned("the display is called", self.name))
        column.addWidget(Captioned("caution to print on it", self.caution))
        column.addWidget(label("SETTINGS, IN THE DISPLAY'S ORDER", "caps"))
        column.addLayout(self._cards)
        column.addLayout(add)
        column.addLayout(acts)
        column.addStretch(1)

    def begin(self, sheet: ControllerMap | None) -> None:
        """Begin with the rows of a sheet, or with those that most displays have."""
        if sheet is not None:
            rows = [row_from(register) for register in sheet.register_list]
        else:
            rows = [self._usual(setting) for setting in FIRST]
        self.name.setText(sheet.name if sheet is not None else "Display")
        self.caution.setText(sheet.sheet.caution or "" if sheet is not None and sheet.sheet is not None else "")
        self._fill(rows)

    def keep(self) -> None:
        """Make the sheet; what makes no sense is said."""
        try:
            sheet = sheet_of(self.name.text() or "Display", [card.row() for card in self.rows], self.caution.text())
        except (DocumentError, ValueError) as error:
            self._desk.said.emit("warn", str(error))
            return
        self.made.emit(sheet)

    def add_chosen(self) -> None:
        """The chosen setting as one more row."""
        setting = self.adding.currentData()
        if isinstance(setting, str):
            self._fill([*self._rows_now(), self._usual(setting)])

    def _usual(self, setting: str) -> SheetRow:
        bike, tune = self._desk.bike, self._desk.draft.tune or self._desk.held.tune
        value = tune.setting(setting) if tune is not None and tune.holds(setting) else None
        return usual_row(setting, value, bike.battery.series if bike is not None else 1)

    def _rows_now(self) -> list[SheetRow]:
        """The rows as far as they can be read; what is half typed stays as it was."""
        return [card.row_or_before() for card in self.rows]

    def _fill(self, rows: list[SheetRow]) -> None:
        while (item := self._cards.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.rows = [RowCard(row) for row in rows]
        for at, card in enumerate(self.rows):
            card.up.clicked.connect(partial(self._move, at, -1))
            card.down.clicked.connect(partial(self._move, at, 1))
            card.gone.clicked.connect(partial(self._drop, at))
            self._cards.addWidget(card)
        there = {row.setting for row in rows}
        self.adding.clear()
        for setting in WORDS:
            if setting not in there and not setting.endswith(".count"):
                self.adding.addItem(label_of(setting), setting)

    def _move(self, at: int, by: int) -> None:
        rows = self._rows_now()
        to = min(max(at + by, 0), len(rows) - 1)
        rows.insert(to, rows.pop(at))
        self._fill(rows)

    def _drop(self, at: int) -> None:
        rows = self._rows_now()
        rows.pop(at)
        self._fill(rows)
