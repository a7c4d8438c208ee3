"""Which tune a ride was ridden on, where no contact has told: the draft, a saved draft, or a tune file."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button
from crisp_hornet.core.tunes.entered import BATTERY, CUTOFF, PHASE, as_entered
from crisp_hornet.documents import store
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune

DRAFT = "the draft"
AS_ENTERED = "as entered: "


class RiddenOn(QWidget):
    """``entered``: a tune, named as one that nobody has read from the controller."""

    entered = pyqtSignal(object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.choice = Chooser("tune it was ridden on")
        self.choice.be_narrow()
        self.fields = {
            BATTERY: NumberField("battery current it was ridden on, empty where not known", "A", least=1, most=1000),
            PHASE: NumberField("phase current it was ridden on, empty where not known", "A", least=1, most=2000),
            CUTOFF: NumberField("low-voltage cutoff it was ridden on, empty where not known", "V", least=5, most=500),
        }
        row = row_of(spacing=8)
        row.addWidget(Captioned("ridden on", self.choice))
        row.addWidget(button("Use it", self.take, "small", "Use this tune for the ride"))
        row.addWidget(button("Open a tune file", self._ask_file, "small", "Open the tune it was ridden on"))
        row.addWidget(button("Type what is known", self._show_typed, "small", "Type what is known of the tune"))
        row.addStretch(1)
        self._typed = QWidget()
        typed = row_of(self._typed, margins=0, spacing=8)
        for name, field in zip(("battery", "phase", "cutoff from"), self.fields.values(), strict=True):
            typed.addWidget(Captioned(name, field))
        typed.addWidget(button("Use them", self.take_typed, "small", "Use the typed figures for the ride"))
        typed.addStretch(1)
        self._typed.hide()
        column = column_of(self, margins=0, spacing=4)
        column.addLayout(row)
        column.addWidget(self._typed)

    def refresh(self) -> None:
        """List the tunes there are."""
        tune = self._desk.draft.tune
        self.choice.offer([*([DRAFT] if tune is not None else []), *self._desk.draft.named()])

    def take(self) -> None:
        """Use the chosen tune."""
        name = self.choice.currentText()
        tune = self._desk.draft.tune if name == DRAFT else self._desk.draft.named().get(name)
        if tune is not None:
            self._enter(tune)

    def _show_typed(self) -> None:
        self._typed.setVisible(self._typed.isHidden())
        if not self._typed.isHidden():
            self.fields[BATTERY].setFocus()

    def take_typed(self) -> None:
        """Use what was typed; what was left empty is not known, and widens the prediction."""
        bike = self._desk.bike
        if bike is None:
            return
        known: dict[str, float] = {}
        for path, field in self.fields.items():
            if not field.text().strip():
                continue
            try:
                known[path] = field.read()
            except Misread as error:
                field.refuse(str(error))
                return
        try:
            tune = as_entered(bike, known)
        except ValidationError as error:
            self._desk.said.emit("stop", f"No tune has these figures: {error.errors()[0]['msg']}. Check them.")
        except ValueError as error:
            self._desk.said.emit("stop", str(error))
        else:
            self._enter(tune)

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Open the tune it was ridden on"), "", "Tune documents (*.json)")
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Use the tune of a file; says what is wrong with it."""
        try:
            self._enter(store.read_tune(path))
        except DocumentError as error:
            self._desk.said.emit("stop", str(error))

    def _enter(self, tune: Tune) -> None:
        name = f"{AS_ENTERED}{tune.name.removeprefix(AS_ENTERED)}"[:200]
        self.entered.emit(tune.model_copy(update={"name": name}))
