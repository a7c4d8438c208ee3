"""The side panel of Build: enter one figure from what is known, with its conversion and its plausibility."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread, figure
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.stations.build.figures import source_word
from crisp_hornet.bench.stations.build.shown import CHOICES, LISTS, SHOWN, shown_text
from crisp_hornet.bench.stations.build.taught_by import TaughtBy
from crisp_hornet.bench.stations.build.ways import Way, ways
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button, clear, label, sheet
from crisp_hornet.core.build.plausible import implausible
from crisp_hornet.core.drive.uncertainty import UNCERTAIN, relative_spread
from crisp_hornet.documents.bike import Bike

FINE_UNITS = (
    "",
    "m",
    "m²",
    "V",
    "Ω",
    "mΩ",
    "H",
    "mH",
    "µH",
    "Wb",
    "N·m",
    "s",
)  # three digits behind the comma are usual


class WayEntry(QWidget):
    """One way to a figure: fields, what they give, and whether that is usual. Enter in a field takes it over."""

    taken = pyqtSignal(object)  # a function that changes a bike

    def __init__(self, desk: Desk, path: str, way: Way) -> None:
        super().__init__()
        self._desk, self._path, self.way = desk, path, way
        self.fields = [NumberField(thousandths=one.unit in FINE_UNITS, width=92) for one in way.fields]
        self._result: QLabel = label("", "quiet", wrap=True)
        self._take: QPushButton = button("Use this value", self.take, "small", f"Use this value: {way.title}")
        grid = QGridLayout()
        grid.setSpacing(4)
        for row, (field, editor) in enumerate(zip(way.fields, self.fields, strict=True)):
            unit = desk.units.unit(field.unit)
            words = f"{field.label}, {unit}" if unit else field.label
            editor.setAccessibleName(tr(f"{way.title}: {words}"))
            editor.textChanged.connect(self._show)
            editor.returnPressed.connect(self.take)
            grid.addWidget(label(words, "quiet"), row, 0)
            grid.addWidget(editor, row, 1)
        column = column_of(self, margins=0, spacing=4)
        title = label(way.title, wrap=True)
        title.setStyleSheet("font-weight: 600;")
        column.addWidget(title)
        if way.catch:
            column.addWidget(label(desk.units.text(way.catch), "quiet", wrap=True))
        column.addLayout(grid)
        last = QHBoxLayout()
        last.addWidget(self._result, 1)
        last.addWidget(self._take, alignment=Qt.AlignmentFlag.AlignTop)
        column.addLayout(last)
        self._show()

    def numbers(self) -> list[float] | None:
        """What the fields hold, in SI units; None unless every one holds a number."""
        try:
            typed = [editor.read() for editor in self.fields]
        except Misread:
            return None
        back = self._desk.units.back
        return [back(number, field.unit) * field.factor for number, field in zip(typed, self.way.fields, strict=True)]

    def value(self) -> float | None:
        """The figure the fields give, in the document's unit; None while they say nothing usable."""
        bike, numbers = self._desk.bike, self.numbers()
        if bike is None or numbers is None:
            return None
        try:
            value = self.way.figure(bike, numbers)
        except (ValueError, ZeroDivisionError, OverflowError):
            return None
        return value if math.isfinite(value) else None

    def _misread(self) -> str:
        """Why the fields give nothing, in words; "" while nothing is typed."""
        if all(editor.blank for editor in self.fields):
            return ""
        for editor in self.fields:
            try:
                editor.read()
            except Misread as why:
                return f"{why}" if not editor.blank else "a number in each field, please"
        return "these figures give nothing: check them"

    def take(self) -> None:
        """Hand the figure over, if there is one."""
        value, numbers = self.value(), self.numbers()
        if value is None or numbers is None:
            return
        figure, way = float(f"{value:.6g}"), self.way
        if way.change is not None:
            change = way.change
            self.taken.emit(lambda bike: change(bike, numbers))
        elif way.rating:
            self.taken.emit(lambda bike: bike.with_rating(numbers[1], way.rating, figure))
        else:
            self.taken.emit(lambda bike: bike.with_figure(self._path, figure, way.origin))

    def _show(self) -> None:
        value, bike = self.value(), self._desk.bike
        self._take.setEnabled(value is not None)
        if value is None or bike is None:
            self._result.setText(self._misread())
            return
        doubt = implausible(bike, self._path, value)
        self._result.setText(
            f"gives {self._desk.units.text(SHOWN[self._path].text(value))}"
            + (f". {doubt}" if doubt else ", a usual value")
        )


class ChoiceEntry(QWidget):
    """A figure that is one of a few words."""

    taken = pyqtSignal(object)

    def __init__(self, desk: Desk, path: str) -> None:
        super().__init__()
        self._path, self._words = path, CHOICES[path]
        chooser = Chooser(SHOWN[path].label)
        chooser.addItems(list(self._words.values()))
        now = None if desk.bike is None else desk.bike.value(path)
        chooser.setPlaceholderText(tr("not set"))
        chooser.setCurrentIndex(list(self._words).index(now) if now in self._words else -1)
        self.fields = [chooser]
        column = column_of(self, margins=0, spacing=4)
        column.addWidget(chooser)
        take = button("Use this value", self.take, "small", f"Use this value: {SHOWN[path].label}")
        column.addWidget(take, alignment=Qt.AlignmentFlag.AlignRight)

    def take(self) -> None:
        """Hand over what is chosen."""
        if self.fields[0].currentIndex() < 0:
            return
        value = list(self._words)[self.fields[0].currentIndex()]
        self.taken.emit(lambda bike: bike.with_value(self._path, value, "entered"))


class ListEntry(QWidget):
    """A figure that is several numbers, typed one behind the other. Enter takes them over."""

    taken = pyqtSignal(object)

    def __init__(self, desk: Desk, path: str) -> None:
        super().__init__()
        self._path, self._pairs = path, path.endswith("_table")
        line = QLineEdit()
        line.setAccessibleName(tr(SHOWN[path].label))
        line.returnPressed.connect(self.take)
        self.fields = [line]
        self._told = label("", "quiet", wrap=True)
        column = column_of(self, margins=0, spacing=4)
        column.addWidget(label(LISTS[path], "quiet", wrap=True))
        column.addWidget(line)
        column.addWidget(self._told)
        take = button("Use these values", self.take, "small", f"Use these values: {SHOWN[path].label}")
        column.addWidget(take, alignment=Qt.AlignmentFlag.AlignRight)

    def take(self) -> None:
        """Hand over what is typed; says what is no number."""
        try:
            numbers = [
                figure(one, thousandths=True) for one in re.split(r"[\s;]+|,\s", self.fields[0].text().strip()) if one
            ]
        except Misread as why:
            self._told.setText(f"{why}")
            return
        if not numbers or (self._pairs and len(numbers) % 2):
            self._told.setText(
                "Pairs, please: a charge and its voltage each." if self._pairs else "One figure a gear, please."
            )
            return
        value = [numbers[at : at + 2] for at in range(0, len(numbers), 2)] if self._pairs else numbers
        self.taken.emit(lambda bike: bike.with_value(self._path, value, "entered"))


Entry = WayEntry | ChoiceEntry | ListEntry


class EntryPanel(QWidget):
    """All ways to the chosen figure."""

    closed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.path = ""
        self.entries: list[Entry] = []
        self.taught = TaughtBy(desk)
        desk.bike_changed.connect(self.refresh)
        desk.units_changed.connect(self.refresh)
        self._column = column_of(spacing=8)
        whole = column_of(self, margins=(0, 0, 4, 0), spacing=8)
        whole.addLayout(self._column)
        whole.addWidget(self.taught)
        whole.addStretch(1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)

    def refresh(self) -> None:
        """Another bike, or another figure of it: say what is so now."""
        if self.path and self.isVisible():
            self.show_figure(self.path)

    def show_figure(self, path: str) -> None:
        """Offer the ways to a figure; the first field gets the focus."""
        bike = self._desk.bike
        if bike is None or path not in SHOWN:
            return
        self.path = path
        self.setProperty("help", path)
        clear(self._column)
        shown = SHOWN[path]
        self._column.addWidget(label(shown.label.upper(), "caps"))
        self._column.addWidget(label(self._now(bike, path), "quiet", wrap=True))
        self.entries = self._entries(path)
        for entry in self.entries:
            entry.taken.connect(partial(self._take, path))
            self._column.addWidget(sheet(entry, margin=10))
        if shown.optional and bike.value(path) is not None:
            whole = "motor.saturation" if path.startswith("motor.saturation.") else path
            clears = partial(self._take, path, lambda bike: bike.with_value(whole, None, "entered"))
            self._column.addWidget(button("Not set", clears, "small", f"{shown.label}: not set"))
        self._column.addWidget(button("Back to the garage", self.closed.emit, "small"))
        self.taught.look(bike, path)
        self.entries[0].fields[0].setFocus()

    def _entries(self, path: str) -> list[Entry]:
        if path in CHOICES:
            return [ChoiceEntry(self._desk, path)]
        if path in LISTS:
            return [ListEntry(self._desk, path)]
        return [WayEntry(self._desk, path, way) for way in ways(path)]

    def _now(self, bike: Bike, path: str) -> str:
        """The figure as it stands, where it comes from, and how far it may be off (95 %)."""
        units, source = self._desk.units, source_word(bike, path)
        words = f"now {units.text(shown_text(path, bike.value(path)))}" + (f", {source}" if source else "")
        kept = bike.sources.get(path)
        if kept is not None and kept.spread is not None and path not in UNCERTAIN:
            words += f", may be off by ± {units.text(SHOWN[path].text(2 * kept.spread))}"
        if path in UNCERTAIN:
            words += f", may be off by ± {200 * relative_spread(bike, path):.2g} %: shown as the band on Tune"
        return words

    def _take(self, path: str, change: Callable[[Bike], Bike]) -> None:
        self._desk.active.try_change(change, SHOWN[path].label)
