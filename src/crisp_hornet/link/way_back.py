"""Bring back what a backup holds: onto the same controller or one of its type, never silently onto another."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.link.difference import Change, changes_to
from crisp_hornet.link.errors import WrongDevice
from crisp_hornet.link.line import Identity, Raws


@dataclass(frozen=True)
class WayBack:
    """The changes that bring a backup back, the calibrations that are left alone, and what cannot be put back."""

    changes: list[Change]
    left_alone: list[str]
    unknown: list[str]
    other_controller: bool


def way_back(
    backup: Backup, identity: Identity, controller_map: ControllerMap, raws: Raws, calibration: bool = False
) -> WayBack:
    """What putting ``backup`` back would change, by name.

    Calibrations are left alone unless asked for: old offsets on a motor that was changed since make the bike jump.
    Raises :class:`WrongDevice` for a backup of another type and :class:`ValueError` for a value that no longer fits.
    """
    if (backup.vendor, backup.product) != (identity.vendor, identity.product):
        raise WrongDevice(
            "This backup is of another type",
            f"it was taken from a {backup.product}, here is a {identity.product}",
            "Draft its tune instead: that carries over what both can hold.",
        )
    wanted = backup.values(calibration)
    changes = changes_to(controller_map, raws, wanted)
    everything = changes_to(controller_map, raws, backup.values(calibration=True))
    chosen = {change.register.name for change in changes}
    return WayBack(
        changes,
        [change.in_words() for change in everything if change.register.name not in chosen],
        [register.name for register in backup.registers if controller_map.register(register.name) is None],
        bool(backup.serial) and backup.serial != identity.serial,
    )


def compare(first: Backup, second: Backup) -> list[tuple[str, float | None, float | None, str]]:
    """Where two backups differ: name, value in each, unit."""
    other = {register.name: register for register in second.registers}
    return [
        (register.name, register.value, other[register.name].value, register.unit)
        for register in first.registers
        if register.name in other and register.value != other[register.name].value
    ]
