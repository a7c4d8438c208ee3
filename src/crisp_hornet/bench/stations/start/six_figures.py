"""Build your bike from its kind and the six figures that matter most; each says how it is found, what is left out is assumed, and said."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import ValidationError
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Choice
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.build.kinds import KINDS, bike_of_kind
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import counted
from crisp_hornet.documents.store import document_error

KIND_WORDS = {
    "hub, direct drive": "A large hub, silent, that resists a little when pushed.",
    "hub, geared": "A smaller hub that runs free when pushed, with a whirr under power.",
    "mid motor": "A motor at the cranks that drives the chain.",
    "chain reduction": "A motor with a chain or belt of its own to the wheel.",
}


@dataclass(frozen=True)
class Six:
    """One of the six: its path, words, unit, bounds, and how it is found."""

    path: str
    words: str
    unit: str
    least: float
    most: float
    how: str


SIX = (
    Six("battery.series", "cells in series", "", 4, 40, "On the pack's label as 13S or 16S; or full voltage divided by 4.2 V."),
    Six("battery.capacity_ah", "pack capacity", "Ah", 1, 300, "On the label; or Wh divided by the nominal voltage."),
    Six("battery.bms_discharge_a", "BMS discharge limit", "A", 1, 1000, "In the pack's papers as continuous discharge. Not its peak."),
    Six("controller.max_phase_current_a", "rated phase current", "A", 5, 2000,
        "On the controller or in its papers. The large headline figure is mostly this one, not the battery current."),
    Six("drivetrain.wheel_circumference_m", "wheel circumference", "m", 0.5, 4,
        "Mark the tyre, sit on, roll one turn, measure the marks on the ground."),
    Six("chassis.rider_kg", "rider", "kg", 20, 250, "Whoever rides it most, dressed and with a rucksack."),
)  # fmt: skip


class SixFigures(QWidget):
    """``built`` says that there is a bike now."""

    built = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.kinds = {kind: Choice(theme, kind) for kind in KINDS}
        self.name = QLineEdit()
        self.name.setMaxLength(100)
        self.fields = {one.path: NumberField(one.words, one.unit, one.least, one.most, width=130) for one in SIX}
        for path, field in self.fields.items():
            field.setProperty("help", path)
        self.said = label("", "quiet", wrap=True)
        column = column_of(self, margins=(0, 4, 12, 0), spacing=8)
        head = row_of(spacing=10)
        head.addWidget(label("Build your bike", "title"))
        head.addStretch(1)
        head.addWidget(button("Back to the doors", self.closed.emit, "small"))
        column.addLayout(head)
        both = row_of(spacing=28)
        both.addLayout(self._kinds(), 2)
        both.addLayout(self._six(), 3)
        column.addLayout(both)
        column.addWidget(self.said)
        column.addStretch(1)

    def _kinds(self) -> QVBoxLayout:
        column = column_of(spacing=0)
        column.addWidget(label("ITS KIND", "caps"))
        for kind, choice in self.kinds.items():
            column.addWidget(choice)
            words = label(KIND_WORDS.get(kind, ""), "quiet", wrap=True)
            words.setContentsMargins(46, 0, 0, 6)
            column.addWidget(words)
        next(iter(self.kinds.values())).setChecked(True)
        column.addSpacing(10)
        column.addWidget(Captioned("its name", self.name, above=True))
        column.addStretch(1)
        return column

    def _six(self) -> QVBoxLayout:
        column = column_of(spacing=4)
        column.addWidget(label("SIX FIGURES THAT MATTER MOST", "caps"))
        for one in SIX:
            column.addWidget(Captioned(one.words, self.fields[one.path]))
            column.addWidget(label(one.how, "quiet", wrap=True))
            column.addSpacing(4)
        column.addWidget(
            label("What you leave empty is assumed from its kind, and says so on Build.", "quiet", wrap=True)
        )
        column.addStretch(1)
        return column

    def build(self) -> None:
        """Make the bike and open it; a figure that cannot be is said, and nothing is made."""
        kind = next(kind for kind, choice in self.kinds.items() if choice.isChecked())
        try:
            bike, entered = self._bike(kind)
        except Misread as error:
            self.said.setText(str(error))
            return
        except ValidationError as error:
            self.said.setText(str(document_error(error, "your bike")))
            return
        self.said.setText("")
        self._desk.open_bike(bike)
        figures = counted(entered, "figure")
        self._desk.said.emit(
            "note", f"{bike.name}: {figures} entered, {len(bike.assumed)} assumed from its kind: Build shows which."
        )
        for field in (*self.fields.values(), self.name):
            field.clear()
        self.built.emit()

    def _bike(self, kind: str) -> tuple[Bike, int]:
        name = self._desk.free_name(self.name.text().strip() or "My bike")
        bike, entered = bike_of_kind(kind, name), 0
        for one in SIX:
            field = self.fields[one.path]
            if not field.blank:
                value = field.read()
                bike, entered = (
                    bike.with_value(one.path, round(value) if one.path.endswith("series") else value, "entered"),
                    entered + 1,
                )
        return bike, entered
