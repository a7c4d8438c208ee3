"""The backup document: every setting register of a controller as it was found, with its identity."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents import wire
from crisp_hornet.documents.base import Number, Part, Text
from crisp_hornet.documents.store import parse

BACKUP_VERSION = 1


class BackedUpRegister(Part):
    """One register: its raw word, and what it meant (``None``: no limit)."""

    name: Text
    address: Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
    word: Annotated[int, Field(strict=True, ge=0, le=0xFFFF)]
    value: Number | None
    unit: str


class Backup(Part):
    """A whole backup (``crisp-hornet/backup``). ``taken`` is ISO 8601 with its offset from UTC."""

    format: Literal["crisp-hornet/backup"] = "crisp-hornet/backup"
    version: Literal[1] = 1
    taken: Text
    vendor: Text
    product: Text
    firmware: str
    serial: str
    registers: list[BackedUpRegister]

    def words(self) -> dict[int, int]:
        """Address to raw word."""
        return {register.address: register.word for register in self.registers}


def read_backup(path: Path) -> Backup:
    """Read a backup document. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    return parse(Backup, "crisp-hornet/backup", BACKUP_VERSION, wire.read_object(path), str(path))
