"""What is to be put onto the controller: the draft, or a backup."""

from __future__ import annotations

from dataclasses import dataclass, field

from crisp_hornet.bench.link_worker import ContactMade
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.difference import Change, LeftOut, difference, left_out
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.restore import Restore, restore


@dataclass(frozen=True)
class Target:
    """The changes that lead there, what is left out, and why it cannot be sent ("" if it can)."""

    changes: list[Change] = field(default_factory=list)
    left_out: list[LeftOut] = field(default_factory=list)
    misfit: str = ""
    restore: Restore | None = None


def draft_target(contact: ContactMade, draft: Tune) -> Target:
    """The draft as the target."""
    try:
        return Target(difference(contact.map, contact.raws, draft), left_out(contact.map, draft))
    except ValueError as error:
        return Target(misfit=f"{error}. Change it on Tune.")


def backup_target(contact: ContactMade, backup: Backup, calibration: bool) -> Target:
    """A backup as the target; calibrations only where asked for."""
    try:
        found = restore(backup, contact.identity, contact.map, contact.raws, calibration)
    except (LinkError, ValueError) as error:
        return Target(misfit=str(error))
    return Target(found.changes, restore=found)
