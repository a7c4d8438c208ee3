"""The backup document: every setting register of a controller as it was found, with its identity."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents import wire
from crisp_hornet.documents.base import Number, Part, Text
from crisp_hornet.documents.register import Raw, Type
from crisp_hornet.documents.store import parse

BACKUP_VERSION = 1


class BackedUpRegister(Part):
    """One register: its raw number, and what it meant (``None``: no limit). ``calibration``: it belongs to that very motor. ``address``:
    where it stood, where the line has addresses."""

    name: Text
    address: Annotated[int, Field(strict=True, ge=0, le=0xFFFF)] | None = None
    word: Raw
    value: Number | None
    unit: str
    type: Type = "u16"
    calibration: bool = False


class Backup(Part):
    """A whole backup (``crisp-hornet/backup``). ``taken`` is ISO 8601 with its offset from UTC;
    ``by_hand``: typed from a display, by nobody's proof."""

    format: Literal["crisp-hornet/backup"] = "crisp-hornet/backup"
    version: Literal[1] = 1
    taken: Text
    vendor: Text
    product: Text
    firmware: str
    serial: str
    by_hand: bool = False
    registers: list[BackedUpRegister]

    def raws(self) -> dict[str, int]:
        """Raw numbers by register name."""
        return {register.name: register.word for register in self.registers}

    def values(self, calibration: bool) -> dict[str, float | None]:
        """Values by register name, calibration left out or taken in."""
        return {register.name: register.value for register in self.registers if calibration or not register.calibration}


def read_backup(path: Path) -> Backup:
    """Read a backup document. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    return parse(Backup, "crisp-hornet/backup", BACKUP_VERSION, wire.read_object(path), str(path))
