"""The active bike: its document, the state of its pack that is drawn for, its undo stack; what fails in the garage is said from here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TypeVar

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from crisp_hornet.bench.desk.prediction import Prediction, axis_speeds, predict
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.store import document_error
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.garage import Garage

DRAWN_FOR_CHARGE = 0.69  # until the user or the pack says otherwise
T = TypeVar("T")


class OpenBike(QObject):
    """``document`` is None while the garage has no bike. ``recompute`` goes out before ``changed``: whatever follows from bike and
    conditions is brought up to date before anybody draws it; ``follow`` after it, for who draws that."""

    recompute = pyqtSignal()
    changed = pyqtSignal()
    follow = pyqtSignal()
    conditions_changed = pyqtSignal()
    said = pyqtSignal(str, str)

    def __init__(self, garage: Garage) -> None:
        super().__init__()
        self.garage = garage
        self.undo_stack = QUndoStack(self)
        self.document: Bike | None = None
        self.id = 0
        self.conditions = Conditions(rested_v=50.0)
        self.speeds: Array | None = None

    def reload(self) -> bool:
        """Take up the bike opened last; false where there is none."""
        found = self.garage.glance.last_bike()
        self.undo_stack.clear()
        self.id, self.document = found if found is not None else (0, None)
        if self.document is not None:
            self.speeds = axis_speeds(self.document)
            typical_v = rested_or_typical_v(self.document.battery, DRAWN_FOR_CHARGE)
            self.conditions = Conditions(rested_v=round(typical_v, 1))
        return self.document is not None

    def kept(self, write: Callable[[], T]) -> T | None:
        """Write into the garage; where that fails it is said, and the work in hand goes on in memory (then None)."""
        try:
            return write()
        except DocumentError as error:
            self.said.emit("stop", str(error))
            return None

    def remembered(self, name: str) -> object:
        """A preference kept with the garage; None if it was never set."""
        return self.garage.settings.get(name)

    def remember(self, name: str, value: object) -> None:
        """Keep a preference with the garage; where that fails it is only said."""
        try:
            self.garage.settings.keep(name, value)
        except DocumentError as error:
            self.said.emit("warn", str(error))

    def set_conditions(self, conditions: Conditions) -> None:
        """Draw for another state of the pack."""
        self.conditions = conditions
        self.recompute.emit()
        self.conditions_changed.emit()

    def predict(self, tune: Tune | None) -> Prediction | None:
        """What a tune would do on this bike in this state."""
        if self.document is None or tune is None or self.speeds is None:
            return None
        return predict(self.document, tune, self.conditions, self.speeds)

    def change(self, bike: Bike, what: str) -> None:
        """Change figures of the bike, undoably."""
        if self.document is not None and bike != self.document:
            self.undo_stack.push(_BikeChange(self, self.document, bike, what))

    def try_change(self, change: Callable[[Bike], Bike], what: str) -> bool:
        """Change the bike, undoably; what makes no valid one is said, and False."""
        if self.document is None:
            return False
        try:
            changed = change(self.document)
        except ValidationError as error:
            self.said.emit("stop", str(document_error(error, self.document.name)))
            return False
        self.change(changed, what)
        return True

    def set(self, bike: Bike) -> None:
        """The bike as it now is; called by undo and redo too."""
        if self.document is None:
            return
        per_cell = self.conditions.rested_v / self.document.battery.series
        self.document = bike
        self.kept(lambda: self.garage.bikes.update(self.id, bike))
        self.speeds = axis_speeds(bike)
        self.conditions = replace(self.conditions, rested_v=round(per_cell * bike.battery.series, 2))
        self.recompute.emit()
        self.changed.emit()
        self.follow.emit()
        self.conditions_changed.emit()


class _BikeChange(QUndoCommand):
    """One change of the bike's figures."""

    def __init__(self, bike: OpenBike, before: Bike, after: Bike, what: str) -> None:
        super().__init__(what)
        self._bike, self._before, self._after = bike, before, after

    def redo(self) -> None:
        self._bike.set(self._after)

    def undo(self) -> None:
        self._bike.set(self._before)
