"""The desk: what all stations share, put together.

Stations read from its parts and ask them for changes; each part tells everyone by its own signal. Changes of bike, draft and ride card are
undoable, on one stack.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoStack

from crisp_hornet.bench.desk.ask import Ask
from crisp_hornet.bench.desk.by_hand import ByHand
from crisp_hornet.bench.desk.copies import Copies
from crisp_hornet.bench.desk.draft import Draft
from crisp_hornet.bench.desk.held import Held
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.open_ride import OpenRide
from crisp_hornet.bench.desk.people import People
from crisp_hornet.bench.desk.promises import Promises
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.bench.desk.watch import Watch
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import COPIES

if TYPE_CHECKING:
    from crisp_hornet.bench.desk.others import Others
    from crisp_hornet.documents.controller_map import ControllerMap
    from crisp_hornet.garage.book import Entry
    from crisp_hornet.garage.glance import KeptBike
    from crisp_hornet.link.session import ContactMade

T = TypeVar("T")


class Desk(QObject):
    """Needs a garage with a bike in it to be of use (:attr:`bike` may be None)."""

    units_changed = pyqtSignal()

    def __init__(self, garage: Garage) -> None:
        super().__init__()
        self.garage = garage
        self.shared: Others | None = None  # where several benches share a garage
        self.units = Units(metric=garage.settings.get("units") != "imperial")
        self.active = OpenBike(garage)
        self.story = Story(self.active)
        self.held = Held(self.active, self.story)
        self.draft = Draft(self.active, self.held, self.story)
        self.watch = Watch(self.active, self.held, self.draft, self.story)
        self.ride = OpenRide(self.active, self.held, self.story)
        self.by_hand = ByHand(self.active, self.held, self.draft, self.watch, self.story)
        self.people, self.copies = People(self.active), Copies(self.active, self.draft)
        self.ask, self.promises = Ask(self.active), Promises(self.active, self.held, self.ride, self.story)
        self.said, self.bike_changed = self.active.said, self.active.changed
        self.conditions_changed, self.logbook_changed = self.active.conditions_changed, self.story.changed
        self.ride.read.connect(self._tell_unreadable)
        self._pins: set[str] = set()
        if garage.updated:
            QTimer.singleShot(0, self._tell_updated)
        self._told_unreadable = ""
        self.reload()

    # --- the active bike ------------------------------------------------------------------------------------

    @property
    def bike(self) -> Bike | None:
        """The document of the active bike."""
        return self.active.document

    @property
    def bike_id(self) -> int:
        """Its number in the garage; 0 for none."""
        return self.active.id

    @property
    def conditions(self) -> Conditions:
        """The state of the pack that everything is drawn for."""
        return self.active.conditions

    @property
    def speeds(self) -> Array | None:
        """The speeds (km/h) that everything is drawn at."""
        return self.active.speeds

    @property
    def undo_stack(self) -> QUndoStack:
        """What can be taken back."""
        return self.active.undo_stack

    def kept(self, write: Callable[[], T]) -> T | None:
        """See :meth:`OpenBike.kept`."""
        return self.active.kept(write)

    def log(self, kind: str, title: str, detail: str = "") -> Entry | None:
        """See :meth:`Story.log`."""
        return self.story.log(kind, title, detail)

    def reload(self) -> None:
        """Take up the bike opened last, with its draft, what its controller held last, and its newest ride."""
        there = self.active.reload()
        for part in (self.story, self.held, self.draft, self.watch, self.by_hand, self.ride, self.ask, self.promises):
            part.reload()
        self._tell_unreadable()
        for signal in (self.bike_changed, self.held.changed, self.draft.changed):
            signal.emit()
        if there:
            self.conditions_changed.emit()
        self.ride.changed.emit()
        self.logbook_changed.emit()

    def _tell_unreadable(self) -> None:
        gone = self.garage.store.unreadable_words
        if gone and gone != self._told_unreadable:
            self._told_unreadable = gone
            words = f"Unreadable in the garage: {gone}. All else is as it was. What is sound can be saved with: crisp-hornet rescue"
            QTimer.singleShot(0, lambda: self.said.emit("warn", f"{words} --garage {self.garage.folder} --out FOLDER."))

    def _tell_updated(self) -> None:
        words = "The garage came from an older version and was brought up to date; a copy of how it was lies in"
        self.said.emit("note", f"{words} {self.garage.folder / COPIES}.")

    def finish_erasing(self) -> None:
        """What was erased when the application was killed is erased to its end."""
        if self.garage.unfinished:
            from crisp_hornet.garage.erasing import finish

            self.kept(lambda: finish(self.garage))

    @property
    def scale(self) -> float | None:
        """How large the user had everything shown; None where it was never set."""
        kept = self.garage.settings.get("scale")
        try:
            return float(kept) if isinstance(kept, str) else None
        except ValueError:
            return None

    def switch_units(self) -> None:
        """Show miles, Fahrenheit and pounds, or kilometres, Celsius and kilograms; remembered with the garage."""
        self.units = Units(metric=not self.units.metric)
        self.active.remember("units", "metric" if self.units.metric else "imperial")
        self.units_changed.emit()

    def remembered(self, name: str) -> object:
        """A preference kept with the garage; None if it was never set."""
        return self.garage.settings.get(name)

    @property
    def folder(self) -> Path:
        """Where the garage lies, and what is at work beside it."""
        return self.garage.folder

    # --- which bike -----------------------------------------------------------------------------------------

    def bikes(self) -> list[KeptBike]:
        """All bikes of the garage, the one opened last first."""
        return self.garage.glance.bikes()

    def pin(self, why: str) -> None:
        """Something is under way that belongs to the active bike: no other is opened until :meth:`unpin`."""
        self._pins.add(why)

    def unpin(self, why: str) -> None:
        """It is over."""
        self._pins.discard(why)

    def stays(self) -> bool:
        """Whether the active bike must stay for now; then it is said why."""
        if self._pins:
            self.said.emit("warn", f"Another bike is opened once this is over: {', '.join(sorted(self._pins))}.")
        return bool(self._pins)

    def open_bike(self, bike: Bike) -> None:
        """Make a bike the active one."""
        if self.stays():
            return
        self.draft.keep()
        bike_id = self.kept(lambda: self.garage.bikes.save(bike))
        if bike_id is not None:
            self.active.id = bike_id
            self.log("bike", f"{bike.name} opened", say("{mass} as ridden", mass=quantity(bike.mass_kg, "kg")))
            self.reload()

    def open_kept_bike(self, bike_id: int) -> None:
        """Make a bike of the garage the active one."""
        if self.stays():
            return
        self.draft.keep()
        if self.kept(lambda: self.garage.bikes.open(bike_id)):
            self.reload()

    def take_part(self, from_id: int, part: str) -> None:
        """Put a part of another bike of the garage into the active one, with what was learned about it; undoable."""
        if self.bike is not None:
            other = self.kept(lambda: self.garage.bikes.get(from_id))
            if other is None:
                return
            self.active.change(self.bike.with_part_of(other, part), f"{part} of {other.name}")
            self.log("bike", f"{part.capitalize()} taken from {other.name}")

    def kept_tune(self, bike_id: int) -> tuple[Bike, Tune] | None:
        """Another bike of the garage with its draft; None where it has none, or (then it is said) cannot be read."""
        bike = self.kept(lambda: self.garage.bikes.get(bike_id))
        tune = self.kept(lambda: self.garage.glance.tune(bike_id, "draft")) if bike is not None else None
        return (bike, tune) if bike is not None and tune is not None else None

    def free_name(self, wanted: str) -> str:
        """A name that no bike of the garage has yet."""
        taken = {kept.name for kept in self.bikes()}
        wanted = wanted[:180]
        name, number = wanted, 2
        while name in taken:
            name, number = f"{wanted} {number}", number + 1
        return name

    def undone(self, bike_id: int) -> tuple[Tune | None, Tune | None, int]:
        """How far a bike of the garage is: its draft, what its controller held last, and how many rides it has."""
        glance = self.garage.glance
        return glance.tune(bike_id, "draft"), glance.tune(bike_id, "controller"), glance.rides(bike_id)

    def archive_bike(self) -> None:
        """Put the active bike away; the one opened before it comes up. Opened again it is back."""
        if self.bike is None or self.stays():
            return
        name, bike_id = self.bike.name, self.bike_id
        self.draft.keep()
        self.log("bike", "Moved to the archive")
        if self.kept(lambda: self.garage.bikes.archive(bike_id)):
            self.reload()
            self.said.emit("note", f"{name} is archived; nothing of it is lost. Choose it in the garage to restore it.")

    # --- what the controller said ---------------------------------------------------------------------------

    def take_answer(self, made: ContactMade) -> None:
        """A controller answered: whatever page is open, what it held is kept, unless it is another bike's."""
        if made.is_another:
            self.log("link", "Another bike's controller answered", made.blocked)
            return
        self.held.remember_port(made.port)
        self.take_contact(made.tune, made.backup, made.map)
        if made.interrupted is not None:
            self.log("send", "An interrupted send was found", made.interrupted.text)

    def take_contact(self, tune: Tune | None, backup: Backup, controller_map: ControllerMap | None = None) -> None:
        """A controller answered: what it holds and lacks is known; without a draft, its tune is one to begin with."""
        if controller_map is not None:
            self._take_description(controller_map)
        if controller_map is not self.held.map:
            self.held.map = controller_map
            self.draft.predict()
            self.watch.stale()
        self.held.take_contact(tune, backup)
        if tune is not None and self.draft.tune is None:
            self.draft.set(tune)

    def _take_description(self, controller_map: ControllerMap) -> None:
        """What an assist level is a share of is the controller's: the bike takes it over, undoably, and it is said."""
        bike, share = self.bike, controller_map.level_share
        if bike is None or share is None or bike.controller.level_share == share:
            return
        controller = bike.controller.model_copy(update={"level_share": share})
        self.active.change(bike.model_copy(update={"controller": controller}), "what a level is a share of")
        self.said.emit(
            "note",
            f"On this controller a level is a share of {share.replace('_', ' ')}: predictions count with that now.",
        )

    def take_sent(self, tune: Tune, message: str, changes: list[str], kept: bool) -> None:
        """A send was proved: the controller now holds ``tune``, and so does the draft (values may have been rounded to what the registers
        can hold)."""
        self.held.take_sent(tune, message, changes, kept)
        whole = tune if self.draft.tune is None else tune.completed_from(self.draft.tune)
        if self.draft.tune != whole:
            self.draft.open(whole)
