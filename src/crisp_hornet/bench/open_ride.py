"""The part of the desk that holds the open ride: as it was recorded, without its flaws, and what is known of it besides."""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import replace
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.cleaning import Flaw, cleaned, flaws
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.book import Entry
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.rides import KeptRide

T = TypeVar("T")


class OpenRide(QObject):
    """Held by the desk, which is one."""

    rides_changed = pyqtSignal()
    said = pyqtSignal(str, str)
    garage: Garage
    bike: Bike | None
    bike_id: int
    controller: Tune | None
    ride: Ride | None  # without its flaws
    raw_ride: Ride | None  # as it was recorded
    flaws: list[Flaw]
    left_flaws: frozenset[str]
    ride_id: int
    card: RideCard
    ride_tune: Tune | None
    undo_stack: QUndoStack

    def log(self, kind: str, title: str, detail: str = "") -> Entry | None:
        """A line into the logbook of the active bike."""
        raise NotImplementedError

    def kept(self, write: Callable[[], T]) -> T | None:
        """Write into the garage; where that fails it is said, and the work in hand goes on in memory (then None)."""
        try:
            return write()
        except DocumentError as error:
            self.said.emit("stop", str(error))
            return None

    def take_ride(self, ride: Ride, notes: list[str], card: RideCard | None = None) -> None:
        """Keep an imported ride with the tune known to be on the controller, and lay it on the desk."""
        shown_by = self.bike.drivetrain.wheel_circumference_m if self.bike is not None else None
        card = (card or RideCard()).model_copy(update={"wheel_m": shown_by})
        kept = self.garage.rides.keep(self.bike_id, ride, self.controller, card)
        minutes = float(ride.time_s[-1]) / 60 if len(ride) else 0.0
        self.log("ride", f"Ride imported: {ride.name}", "; ".join([f"{minutes:.1f} min, {len(ride)} rows", *notes]))
        self.open_ride(kept)

    def open_ride(self, kept: KeptRide) -> None:
        """Lay a ride of the garage on the desk. Raises :class:`~crisp_hornet.rides.errors.RideError`."""
        self.raw_ride, self.ride_tune, self.ride_id = self.garage.rides.load(kept), kept.tune, kept.id
        self.card = kept.card
        left = self.garage.settings.get(f"flaws left in ride {kept.id}")
        self.left_flaws = (
            frozenset(one for one in left if isinstance(one, str)) if isinstance(left, list) else frozenset()
        )
        self.flaws = flaws(self.raw_ride)
        self._clean()

    def keep_card(self, card: RideCard) -> None:
        """What is known of the open ride besides its log."""
        if self.raw_ride is not None and card != self.card:
            self.undo_stack.push(_CardChange(self, self.ride_id, self.card, card))

    def set_card(self, ride_id: int, card: RideCard) -> None:
        """The card of a ride as it now is; called by undo and redo too."""
        self.kept(lambda: self.garage.rides.keep_card(ride_id, card))
        if ride_id == self.ride_id:
            self.card = card
        self.rides_changed.emit()

    def leave_flaws(self, left: Set[str]) -> None:
        """Leave some flaws of the open ride as they are, mend the others; remembered with the ride. The original is never changed."""
        self.left_flaws = frozenset(left)
        try:
            self.garage.settings.keep(f"flaws left in ride {self.ride_id}", sorted(left))
        except DocumentError as error:
            self.said.emit("warn", str(error))
        self._clean()

    def _clean(self) -> None:
        assert self.raw_ride is not None
        mended = any(flaw.mends and flaw.id not in self.left_flaws for flaw in self.flaws)
        self.ride = self.as_shown_now(cleaned(self.raw_ride, self.left_flaws) if mended else self.raw_ride, self.card)
        self.rides_changed.emit()

    def as_shown_now(self, ride: Ride, card: RideCard) -> Ride:
        """A ride's wheel speed as the bike document's circumference shows it, which may have been learned since."""
        if self.bike is None or card.wheel_m is None or not ride.has("wheel_speed_kmh"):
            return ride
        stretch = self.bike.drivetrain.wheel_circumference_m / card.wheel_m
        if abs(stretch - 1) < 1e-9:
            return ride
        return replace(ride, channels=ride.channels | {"wheel_speed_kmh": ride.get("wheel_speed_kmh") * stretch})


class _CardChange(QUndoCommand):
    """One change of a ride's card."""

    def __init__(self, desk: OpenRide, ride_id: int, before: RideCard, after: RideCard) -> None:
        super().__init__("card of the ride")
        self._desk, self._ride_id, self._before, self._after = desk, ride_id, before, after

    def redo(self) -> None:
        self._desk.set_card(self._ride_id, self._after)

    def undo(self) -> None:
        self._desk.set_card(self._ride_id, self._before)
