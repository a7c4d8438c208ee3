"""The ride card: what is known of a ride besides its log, typed in before the start or later."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.documents.ride_card import RideCard

WORDS = {
    "tyres": "tyres",
    "wind": "wind",
    "air": "air temperature",
    "load": "load",
    "purpose": "purpose",
    "timed": "stopwatch",
    "pack": "pack",
}
HINTS = {
    "air": "as 18 °C: comparisons take it into account",
    "wind": "as 12 km/h from the west, or calm: comparisons take it into account",
    "load": "as 40 kg of bread, or empty: comparisons take it into account",
    "pack": "which of the bike's packs was on it, where it has several",
    "timed": "at full throttle, as 100 m in 9.8 s and 10.4 s, there and back; or 0 to 25 km/h in 6.2 s",
}
VOLTS = {"rested_start_v": "V at rest, before", "rested_end_v": "V at rest, after"}
LEAST_V, MOST_V = 5.0, 200.0


class CardFields(QWidget):
    """``changed``: something was typed to its end. Voltages that are none are marked and left out."""

    changed = pyqtSignal()

    def __init__(self, name: str, after: bool, across: int = 4) -> None:
        super().__init__()
        names = WORDS | {key: words for key, words in VOLTS.items() if after or key == "rested_start_v"}
        self.volts = {key: NumberField("", "V", LEAST_V, MOST_V, thousandths=True) for key in VOLTS if key in names}
        self.fields: dict[str, QLineEdit] = {key: self.volts.get(key) or QLineEdit() for key in names}
        self._kept = RideCard()
        self.told = label("", "quiet", wrap=True)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        for at, (key, field) in enumerate(self.fields.items()):
            field.setAccessibleName(tr(f"{name}: {names[key]}"))
            field.setToolTip(tr(HINTS.get(key, "")))
            if key in VOLTS:
                field.setToolTip(tr(f"pack voltage at rest {names[key].removeprefix('V ')} the ride"))
            field.setMaxLength(200)
            field.editingFinished.connect(self.changed)
            grid.addWidget(Captioned(names[key], field, above=True), at // across, at % across)
        grid.addWidget(self.told, len(self.fields), 0, 1, across)
        grid.setRowStretch(len(self.fields) + 1, 1)
        self.told.hide()

    def show_card(self, card: RideCard) -> None:
        """Show another card."""
        self._kept = card
        for key, field in self.fields.items():
            value = getattr(card, key)
            text = f"{value:g}" if isinstance(value, float) else value or ""
            if field.text() != text:
                field.setText(text)

    @property
    def card(self) -> RideCard:
        """What is typed; a voltage that is none stays what it was."""
        values: dict[str, str | float | None] = {key: self.fields[key].text().strip() for key in WORDS}
        wrong = []
        for key, words in VOLTS.items():
            if key not in self.volts:
                continue
            values[key] = self.volts[key].value()
            if values[key] is None and not self.volts[key].blank:
                values[key] = getattr(self._kept, key)
                wrong.append(words.removeprefix("V "))
        self.told.setText(f"Voltage at rest {' and '.join(wrong)}: {LEAST_V:g} to {MOST_V:g} V is needed.")
        self.told.setVisible(bool(wrong))
        return self._kept.model_copy(update=values)
