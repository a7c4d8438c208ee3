"""Which tune a ride was ridden on, where no contact has told: the draft, a saved draft, or a tune file."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.text import button
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
        row = row_of(self, margins=0, spacing=8)
        row.addWidget(Captioned("ridden on", self.choice))
        row.addWidget(button("Use it", self.take, "small", "Use this tune for the ride"))
        row.addWidget(button("Open a tune file", self._ask_file, "small", "Open the tune it was ridden on"))
        row.addStretch(1)

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

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open the tune it was ridden on", "", "Tune documents (*.json)")
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
