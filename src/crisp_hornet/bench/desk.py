"""The work in hand: the active bike, its draft, what its controller holds, the ride on the desk, the logbook.

Stations read from the desk and ask it for changes; it tells everyone by signal. Draft changes are undoable.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from itertools import count
from pathlib import Path

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from crisp_hornet.bench.prediction import Prediction, axis_speeds
from crisp_hornet.bench.units import Units
from crisp_hornet.bench.watching import Watching
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.cleaning import Flaw
from crisp_hornet.core.rules import Warning_
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.book import Entry
from crisp_hornet.garage.garage import Garage

DRAWN_FOR_CHARGE = 0.69  # until the user or the pack says otherwise
KEEP_DRAFT_MS = 600
MOST_TRIED = 20
REST_MS = 120  # the hands rest: time for what is too slow for a drag


class Desk(Watching):
    """Everything the stations share. Needs a garage with a bike in it to be of use (:attr:`bike` may be None)."""

    bike_changed = pyqtSignal()
    logbook_changed = pyqtSignal()
    units_changed = pyqtSignal()

    def __init__(self, garage: Garage) -> None:
        super().__init__()
        self.garage = garage
        self.undo_stack = QUndoStack(self)
        self.units = Units(metric=garage.settings.get("units") != "imperial")
        self.bike: Bike | None = None
        self.bike_id = 0
        self.draft: Tune | None = None
        self.controller: Tune | None = None
        self.controller_map = None
        self.conditions = Conditions(rested_v=50.0)
        self.speeds: Array | None = None
        self.draft_prediction: Prediction | None = None
        self.controller_prediction: Prediction | None = None
        self.ride: Ride | None = None  # without its flaws
        self.raw_ride: Ride | None = None  # as it was recorded
        self.flaws: list[Flaw] = []
        self.left_flaws: frozenset[str] = frozenset()
        self.ride_id = 0
        self.card = RideCard()
        self.ride_tune: Tune | None = None
        self._pins: set[str] = set()
        self._told_unreadable = ""
        self._tokens = count(1)
        self._keep_soon = QTimer(self)
        self._keep_soon.setSingleShot(True)
        self._keep_soon.setInterval(KEEP_DRAFT_MS)
        self._keep_soon.timeout.connect(self.keep_draft)
        self._worst_soon = QTimer(self)
        self._worst_soon.setSingleShot(True)
        self._worst_soon.setInterval(REST_MS)
        self._worst_soon.timeout.connect(self.judge_worst)
        self._warnings: list[Warning_] | None = None
        self._at_corners: list[Warning_] = []
        self._gesture: tuple[int, Tune] | None = None
        self._named: dict[str, Tune] | None = None
        self._sent: list[tuple[datetime, Tune]] | None = None
        self._sensors: dict[str, str] | None = None
        self._drafted: tuple[Tune | None, Tune | None, list[str]] = (None, None, [])
        self.reload()

    def reload(self) -> None:
        """Take up the bike opened last, with its draft and what its controller held last."""
        found = self.garage.bikes.last()
        if found is None:
            self._clear()
            return
        self.bike_id, self.bike = found
        self._sensors = self._named = self._sent = None
        self._at_corners = []
        self.controller_map = None
        self.draft = self.garage.tunes.newest(self.bike_id, "draft")
        self.controller = self.garage.tunes.newest(self.bike_id, "controller")
        if self.draft is None:
            self.draft = self.controller
        self.speeds = axis_speeds(self.bike)
        self.conditions = Conditions(rested_v=round(rested_or_typical_v(self.bike.battery, DRAWN_FOR_CHARGE), 1))
        self.undo_stack.clear()
        self.ride = self.raw_ride = self.ride_tune = None
        self.flaws = []
        for kept in self.garage.rides.of(self.bike_id)[:MOST_TRIED]:
            try:
                self.open_ride(kept)
            except DocumentError as error:  # its file is gone or damaged: the one before it may be sound
                self.said.emit("warn", str(error))
            else:
                break
        if (gone := self.garage.store.unreadable_words) and gone != self._told_unreadable:
            self._told_unreadable = gone
            words = f"Unreadable in the garage: {gone}. All else is as it was. What is sound can be saved with: crisp-hornet rescue"
            QTimer.singleShot(0, lambda: self.said.emit("warn", f"{words} --garage {self.garage.folder} --out FOLDER."))
        self._predict_controller()
        self._predict_draft()
        for signal in (
            self.bike_changed,
            self.controller_changed,
            self.draft_changed,
            self.conditions_changed,
            self.rides_changed,
            self.logbook_changed,
        ):
            signal.emit()

    def _clear(self) -> None:
        """No bike, nothing of one."""
        self.bike_id, self.bike, self.draft, self.controller, self.ride, self.ride_tune = (
            0,
            None,
            None,
            None,
            None,
            None,
        )
        self.draft_prediction = self.controller_prediction = self._warnings = None
        self.undo_stack.clear()
        for signal in (
            self.bike_changed,
            self.controller_changed,
            self.draft_changed,
            self.rides_changed,
            self.logbook_changed,
        ):
            signal.emit()

    def switch_units(self) -> None:
        """Show miles, Fahrenheit and pounds, or kilometres, Celsius and kilograms; remembered with the garage."""
        self.units = Units(metric=not self.units.metric)
        try:
            self.garage.settings.keep("units", "metric" if self.units.metric else "imperial")
        except DocumentError as error:
            self.said.emit("warn", str(error))
        self.units_changed.emit()

    # --- the bike -------------------------------------------------------------------------------------------

    def pin(self, why: str) -> None:
        """Something is under way that belongs to the active bike: no other is opened until :meth:`unpin`."""
        self._pins.add(why)

    def unpin(self, why: str) -> None:
        """It is over."""
        self._pins.discard(why)

    def _stays(self) -> bool:
        """Whether the active bike must stay for now; then it is said why."""
        if self._pins:
            self.said.emit("warn", f"Another bike is opened once this is over: {', '.join(sorted(self._pins))}.")
        return bool(self._pins)

    def open_bike(self, bike: Bike) -> None:
        """Make a bike the active one."""
        if self._stays():
            return
        self.keep_draft()
        bike_id = self.kept(lambda: self.garage.bikes.save(bike))
        if bike_id is not None:
            self.bike_id = bike_id
            self.log("bike", f"{bike.name} opened", f"{bike.mass_kg:g} kg as ridden")
            self.reload()

    def open_kept_bike(self, bike_id: int) -> None:
        """Make a bike of the garage the active one."""
        if self._stays():
            return
        self.keep_draft()
        if self.kept(lambda: self.garage.bikes.open(bike_id)):
            self.reload()

    def take_part(self, from_id: int, part: str) -> None:
        """Put a part of another bike of the garage into the active one, with what was learned about it; undoable."""
        if self.bike is not None:
            other = self.kept(lambda: self.garage.bikes.get(from_id))
            if other is None:
                return
            self.change_bike(self.bike.with_part_of(other, part), f"{part} of {other.name}")
            self.log("bike", f"{part.capitalize()} taken from {other.name}")

    def archive_bike(self) -> None:
        """Put the active bike away; the one opened before it comes up. Opened again it is back."""
        if self.bike is None or self._stays():
            return
        name, bike_id = self.bike.name, self.bike_id
        self.keep_draft()
        self.log("bike", "Put away into the archive")
        if self.kept(lambda: self.garage.bikes.archive(bike_id)):
            self.reload()
            self.said.emit(
                "note", f"{name} is put away; nothing of it is lost. Choose it in the garage to bring it back."
            )

    def change_bike(self, bike: Bike, what: str) -> None:
        """Change figures of the active bike, undoably."""
        if self.bike is not None and bike != self.bike:
            self.undo_stack.push(_BikeChange(self, self.bike, bike, what))

    def set_bike(self, bike: Bike) -> None:
        """The active bike as it now is; called by undo and redo too."""
        if self.bike is None:
            return
        per_cell = self.conditions.rested_v / self.bike.battery.series
        rolls_otherwise = bike.drivetrain.wheel_circumference_m != self.bike.drivetrain.wheel_circumference_m
        self.bike = bike
        self.kept(lambda: self.garage.bikes.update(self.bike_id, bike))
        self.speeds = axis_speeds(bike)
        self.conditions = replace(self.conditions, rested_v=round(per_cell * bike.battery.series, 2))
        self._predict_controller()
        self._predict_draft()
        if rolls_otherwise and self.raw_ride is not None:
            self._clean()
        for signal in (self.bike_changed, self.controller_changed, self.draft_changed, self.conditions_changed):
            signal.emit()

    # --- logbook ----------------------------------------------------------------------------------

    def attach(self, path: Path, text: str) -> Entry:
        """A note with a copy of a file. Raises :class:`DocumentError`."""
        entry = self.garage.book.attach(self.bike_id, path, text)
        self.logbook_changed.emit()
        return entry

    def log(self, kind: str, title: str, detail: str = "") -> Entry | None:
        """A line into the logbook of the active bike."""
        entry = self.kept(lambda: self.garage.book.log(self.bike_id, kind, title, detail))
        self.logbook_changed.emit()
        return entry


class _BikeChange(QUndoCommand):
    """One change of the bike's figures."""

    def __init__(self, desk: Desk, before: Bike, after: Bike, what: str) -> None:
        super().__init__(what)
        self._desk, self._before, self._after = desk, before, after

    def redo(self) -> None:
        self._desk.set_bike(self._after)

    def undo(self) -> None:
        self._desk.set_bike(self._before)


def time_words(moment: datetime) -> str:
    """``14:02`` today, ``12 Oct, 14:02`` otherwise."""
    today = datetime.now().date()
    return f"{moment:%H:%M}" if moment.date() == today else f"{moment.day} {moment:%b, %H:%M}"
