"""What is to be put onto the controller: the draft, or a backup."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.difference import Change, LeftOut, difference, left_out
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.operations import Operation, Restore, SendTune, Watched
from crisp_hornet.link.session import ContactMade
from crisp_hornet.link.way_back import WayBack, way_back


@dataclass(frozen=True)
class Target:
    """The changes that lead there, what is left out, and why it cannot be sent ("" if it can)."""

    changes: list[Change] = field(default_factory=list)
    left_out: list[LeftOut] = field(default_factory=list)
    misfit: str = ""
    restore: WayBack | None = None
    tune: Tune | None = None  # the draft, where that is what is sent
    unkept: bool = False  # it runs already, but power-off would take it back

    @property
    def writes(self) -> bool:
        """Whether there is anything to write."""
        return bool(self.changes) or (self.unkept and not self.misfit)

    @property
    def about(self) -> Hashable:
        """What tells this difference from any other: confirmations belong to it alone."""
        return (
            self.restore is not None,
            self.unkept,
            tuple((change.register.name, change.raw_before, change.raw_after) for change in self.changes),
        )

    def operation(self, bike: Bike, watched: Watched, keep: bool) -> Operation:
        """What the session is asked for."""
        if self.restore is not None:
            return Restore(tuple(self.changes), self.restore.other_controller, bike)
        assert self.tune is not None
        return SendTune(self.tune, tuple(self.changes), keep or not self.changes, watched)


def draft_target(contact: ContactMade, draft: Tune) -> Target:
    """The draft as the target."""
    try:
        changes = difference(contact.map, contact.raws, draft)
        return Target(changes, left_out(contact.map, draft), tune=draft, unkept=contact.unkept and not changes)
    except ValueError as error:
        return Target(misfit=f"{error}. Change it on Tune.")


def backup_target(contact: ContactMade, backup: Backup, calibration: bool) -> Target:
    """A backup as the target; calibrations only where asked for."""
    try:
        found = way_back(backup, contact.identity, contact.map, contact.raws, calibration)
    except (LinkError, ValueError) as error:
        return Target(misfit=str(error))
    return Target(found.changes, restore=found, unkept=contact.unkept and not found.changes)
