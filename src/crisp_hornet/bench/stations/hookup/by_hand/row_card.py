"""One setting of a sheet that is being made: what the display calls it, where it stands, how it shows it."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QFrame, QLineEdit, QWidget

from crisp_hornet.bench.figures import figure
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.documents.setting_words import label_of, unit_of
from crisp_hornet.documents.sheets import CHOICE, FIGURE, LEVELS, PER_CELL, PERCENT, SheetRow

WAYS = {FIGURE: "as its figure", PERCENT: "in percent of", PER_CELL: "per cell, cells", LEVELS: "as levels worth"}


class RowCard(QFrame):
    """The fields of one row."""

    def __init__(self, row: SheetRow) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self._before = row
        self.label = _field(row.label, 190)
        self.menu = _field(row.menu, 90)
        self.way = Chooser("shown")
        unit = unit_of(row.setting)
        fits = [CHOICE] if row.way == CHOICE else [one for one in WAYS if one != PER_CELL or unit == "V"]
        for one in fits:
            self.way.addItem(WAYS.get(one, "in words"), one)
        self.way.setCurrentIndex(max(self.way.findData(row.way), 0))
        self.whole = _field(_told(row), 110)
        self.step, self.least, self.most = (_number(f"{one:g}") for one in (row.step, row.least, row.most))
        self.off = _number("" if row.off is None else f"{row.off:g}")
        self.up, self.down, self.gone = (
            button(words, lambda: None, "small", f"{name}: {row.label}")
            for words, name in (("Up", "Move up"), ("Down", "Move down"), ("Remove", "Remove"))
        )
        self._lay_out(f"{label_of(row.setting)}{f', {unit}' if unit else ''}")
        self.way.currentIndexChanged.connect(self._show_fitting)
        self._show_fitting()

    def row(self) -> SheetRow:
        """What was typed. Raises :class:`ValueError`."""
        way = str(self.way.currentData())
        row = replace(self._before, label=self.label.text(), menu=self.menu.text(), way=way)
        if way == CHOICE:
            return row
        if way == LEVELS:
            return replace(row, levels=tuple(figure(one) for one in _split(self.whole.text())))
        whole = figure(self.whole.text()) if way != FIGURE else self._before.whole
        off = None if self.off.blank else self.off.read()
        return replace(row, whole=whole, off=off, step=self.step.read(), least=self.least.read(), most=self.most.read())

    def row_or_before(self) -> SheetRow:
        """What was typed, or what was there while that cannot be read."""
        try:
            return self.row()
        except ValueError:
            return self._before

    def _lay_out(self, title: str) -> None:
        head = row_of(spacing=10)
        head.addWidget(label(title, "caps"), 1)
        for one in (self.up, self.down, self.gone):
            head.addWidget(one)
        first, second = row_of(spacing=12), row_of(spacing=12)
        first.addWidget(Captioned("display calls it", self.label))
        first.addWidget(Captioned("menu", self.menu))
        first.addWidget(Captioned("shown", self.way))
        first.addWidget(self.whole)
        first.addStretch(1)
        self._scale: list[QWidget] = [
            Captioned(words, field)
            for words, field in (
                ("step", self.step),
                ("from", self.least),
                ("to", self.most),
                ("no limit shows", self.off),
            )
        ]
        for captioned in self._scale:
            second.addWidget(captioned)
        second.addStretch(1)
        self.whole.setAccessibleName(tr("of what, or worth what"))
        column = column_of(self, margins=10, spacing=6)
        for line in (head, first, second):
            column.addLayout(line)

    def _show_fitting(self) -> None:
        way = self.way.currentData()
        self.whole.setVisible(way in (PERCENT, PER_CELL, LEVELS))
        for one in self._scale:
            one.setVisible(way not in (LEVELS, CHOICE))


def _field(text: str, wide: int) -> QLineEdit:
    made = QLineEdit(text)
    made.setFixedWidth(wide)
    return made


def _number(text: str) -> NumberField:
    made = NumberField(width=70)
    made.setText(text)
    return made


def _told(row: SheetRow) -> str:
    return "; ".join(f"{one:g}" for one in row.levels) if row.way == LEVELS else f"{row.whole:g}"


def _split(text: str) -> list[str]:
    return [one for one in text.replace(";", " ").split() if one]
