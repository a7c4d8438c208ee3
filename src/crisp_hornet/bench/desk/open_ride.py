"""The open ride: as it was recorded, without its flaws, and what is known of it besides."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand

from crisp_hornet.bench.desk.held import Held
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.cleaning import Flaw, cleaned, flaws
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.settings import of_ride

if TYPE_CHECKING:
    from crisp_hornet.garage.rides import KeptRide

MOST_TRIED = 20


@dataclass(eq=False)
class _Now:
    """What is open, all of it together; ``circumference_m``: of the wheel that its speed is shown by."""

    recorded: Ride | None = None
    cleaned: Ride | None = None
    flaws: list[Flaw] = field(default_factory=list)
    left_flaws: frozenset[str] = frozenset()
    id: int = 0
    card: RideCard = field(default_factory=RideCard)
    tune: Tune | None = None
    circumference_m: float = 0.0


class OpenRide(QObject):
    """``recorded`` as the log says; ``cleaned`` without its flaws, but for ``left_flaws``; ``tune`` is what it was ridden on.

    The newest ride of a bike is read when it is first asked for, not when the bike is opened; then ``read`` is said.
    """

    changed = pyqtSignal()
    read = pyqtSignal()

    def __init__(self, bike: OpenBike, held: Held, story: Story) -> None:
        super().__init__()
        self._bike, self._held, self._story = bike, held, story
        self._now = _Now()
        self._looked = False
        self._count: int | None = None
        bike.recompute.connect(self._rolls_otherwise)

    def reload(self) -> None:
        """Another bike is open."""
        self._now, self._looked, self._count = _Now(), False, None

    @property
    def _open(self) -> _Now:
        """The open ride; the first time the newest one that can be read."""
        if not self._looked:
            self._looked = True
            for kept in self.kept()[:MOST_TRIED]:
                try:
                    self._lay_down(kept)
                except DocumentError as error:  # its file is gone or damaged: the one before it may be sound
                    self._bike.said.emit("warn", str(error))
                else:
                    break
            self.read.emit()
        return self._now

    @property
    def count(self) -> int:
        """How many rides the active bike has."""
        if self._count is None:
            self._count = self._bike.garage.glance.rides(self._bike.id) if self._bike.document is not None else 0
        return self._count

    @property
    def recorded(self) -> Ride | None:
        """As it was recorded."""
        return self._open.recorded

    @property
    def cleaned(self) -> Ride | None:
        """Without its flaws."""
        return self._open.cleaned

    @property
    def flaws(self) -> list[Flaw]:
        """What is wrong with it as it was recorded."""
        return self._open.flaws

    @property
    def left_flaws(self) -> frozenset[str]:
        """Which of them are left as they are."""
        return self._open.left_flaws

    @property
    def id(self) -> int:
        """Its number in the garage; 0 for none."""
        return self._open.id

    @property
    def card(self) -> RideCard:
        """What is known of it besides."""
        return self._open.card

    @property
    def tune(self) -> Tune | None:
        """What was on the controller."""
        return self._open.tune

    def kept(self) -> list[KeptRide]:
        """All rides of the active bike, the newest first."""
        return self._bike.garage.rides.of(self._bike.id) if self._bike.document is not None else []

    def load(self, kept: KeptRide) -> Ride:
        """Another ride, as it is shown now. Raises :class:`~crisp_hornet.rides.errors.RideError`."""
        return self.as_shown_now(self._bike.garage.rides.load(kept), kept.card)

    def _rolls_otherwise(self) -> None:
        bike, now = self._bike.document, self._now
        if (
            bike is not None
            and now.recorded is not None
            and bike.drivetrain.wheel_circumference_m != now.circumference_m
        ):
            self._clean()
            self.changed.emit()

    def take(self, ride: Ride, notes: list[str], card: RideCard | None = None) -> None:
        """Keep an imported ride with the tune known to be on the controller, and lay it on the desk."""
        shown_by = self._bike.document.drivetrain.wheel_circumference_m if self._bike.document is not None else None
        card = (card or RideCard()).model_copy(update={"wheel_m": shown_by})
        packs = self._bike.document.packs if self._bike.document is not None else None
        if packs is not None and packs.how == "in turn" and not card.pack:
            card = card.model_copy(update={"pack": packs.each[packs.in_use].name})
        kept = self._bike.garage.rides.keep(self._bike.id, ride, self._held.tune, card)
        self._count = None
        minutes = float(ride.time_s[-1]) / 60 if len(ride) else 0.0
        self._story.log(
            "ride", f"Ride imported: {ride.name}", "; ".join([f"{minutes:.1f} min, {len(ride)} rows", *notes])
        )
        self.open(kept)

    def open(self, kept: KeptRide) -> None:
        """Lay a ride of the garage on the desk. Raises :class:`~crisp_hornet.rides.errors.RideError`."""
        self._lay_down(kept)
        self.changed.emit()

    def _lay_down(self, kept: KeptRide) -> None:
        recorded = self._bike.garage.rides.load(kept)
        told = self._bike.garage.settings.get(of_ride(kept.id))
        left = frozenset(one for one in told if isinstance(one, str)) if isinstance(told, list) else frozenset()
        self._now, self._looked = _Now(recorded, recorded, flaws(recorded), left, kept.id, kept.card, kept.tune), True
        self._clean()

    def keep_card(self, card: RideCard) -> None:
        """What is known of the open ride besides its log."""
        if self.recorded is not None and card != self.card:
            self._bike.undo_stack.push(_CardChange(self, self.id, self.card, card))

    def set_card(self, ride_id: int, card: RideCard) -> None:
        """The card of a ride as it now is; called by undo and redo too."""
        self._bike.kept(lambda: self._bike.garage.rides.keep_card(ride_id, card))
        if ride_id == self.id:
            self._now.card = card
        self.changed.emit()

    def enter_tune(self, tune: Tune) -> None:
        """Which tune the open ride was ridden on, as its rider says; undoable."""
        if self.recorded is not None and tune != self.tune:
            self._bike.undo_stack.push(_TuneChange(self, self.id, self.tune, tune))

    def set_tune(self, ride_id: int, tune: Tune | None) -> None:
        """The tune of a ride as it now is; called by undo and redo too."""
        self._bike.kept(lambda: self._bike.garage.rides.keep_tune(ride_id, tune))
        if ride_id == self.id:
            self._now.tune = tune
        self.changed.emit()

    def leave_flaws(self, left: Set[str]) -> None:
        """Leave some flaws of the open ride as they are, mend the others; remembered with the ride. The original is never changed."""
        self._open.left_flaws = frozenset(left)
        self._bike.remember(of_ride(self.id), sorted(left))
        self._clean()
        self.changed.emit()

    def _clean(self) -> None:
        now, bike = self._now, self._bike.document
        assert now.recorded is not None
        now.circumference_m = bike.drivetrain.wheel_circumference_m if bike is not None else 0.0
        mended = any(flaw.mends and flaw.id not in now.left_flaws for flaw in now.flaws)
        now.cleaned = self.as_shown_now(cleaned(now.recorded, now.left_flaws) if mended else now.recorded, now.card)

    def as_shown_now(self, ride: Ride, card: RideCard) -> Ride:
        """A ride's wheel speed as the bike document's circumference shows it, which may have been learned since."""
        if self._bike.document is None or card.wheel_m is None or not ride.has("wheel_speed_kmh"):
            return ride
        stretch = self._bike.document.drivetrain.wheel_circumference_m / card.wheel_m
        if abs(stretch - 1) < 1e-9:
            return ride
        return replace(ride, channels=ride.channels | {"wheel_speed_kmh": ride.get("wheel_speed_kmh") * stretch})


class _CardChange(QUndoCommand):
    """One change of a ride's card."""

    def __init__(self, ride: OpenRide, ride_id: int, before: RideCard, after: RideCard) -> None:
        super().__init__("card of the ride")
        self._ride, self._ride_id, self._before, self._after = ride, ride_id, before, after

    def redo(self) -> None:
        self._ride.set_card(self._ride_id, self._after)

    def undo(self) -> None:
        self._ride.set_card(self._ride_id, self._before)


class _TuneChange(QUndoCommand):
    """Another tune that a ride was ridden on."""

    def __init__(self, ride: OpenRide, ride_id: int, before: Tune | None, after: Tune | None) -> None:
        super().__init__("tune of the ride")
        self._ride, self._ride_id, self._before, self._after = ride, ride_id, before, after

    def redo(self) -> None:
        self._ride.set_tune(self._ride_id, self._after)

    def undo(self) -> None:
        self._ride.set_tune(self._ride_id, self._before)
