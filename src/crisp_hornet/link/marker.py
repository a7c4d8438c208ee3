"""The marker of a send on the disk: whoever comes after a power cut or a kill finds what was being written.

It is there before the first register is written and goes when every register is known again.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Literal, Protocol

from crisp_hornet.documents import wire
from crisp_hornet.documents.base import Part, Text
from crisp_hornet.documents.register import Raw
from crisp_hornet.documents.store import parse
from crisp_hornet.link.contact import Contact
from crisp_hornet.link.difference import Change, said
from crisp_hornet.link.line import Identity


class MarkedRegister(Part):
    """One register of the send: its raw number before and after."""

    name: Text
    before: Raw
    after: Raw


class Marker(Part):
    """A send that began. ``phase``: "writing", or "keeping" once the keep command may have been given."""

    format: Literal["crisp-hornet/send-marker"] = "crisp-hornet/send-marker"
    version: Literal[1] = 1
    at: Text
    product: Text
    serial: str
    keep: bool
    phase: Literal["writing", "keeping"] = "writing"
    registers: list[MarkedRegister]

    @classmethod
    def of(cls, contact: Contact, changes: list[Change], keep: bool, at_once: bool = False) -> Marker:
        """The marker of a send about to begin. ``at_once``: what is written is stored already."""
        return cls(
            at=datetime.now().astimezone().isoformat(timespec="seconds"),
            product=contact.identity.product,
            serial=contact.identity.serial,
            keep=keep,
            phase="keeping" if at_once else "writing",
            registers=[MarkedRegister(name=c.register.name, before=c.raw_before, after=c.raw_after) for c in changes],
        )


class Journal(Protocol):
    """Where the marker is kept. Each call returns only when it is on the disk."""

    def begin(self, marker: Marker) -> None:
        """A send begins."""

    def keeping(self) -> None:
        """The keep command is about to be given."""

    def end(self) -> None:
        """Every register is known again."""

    def found(self, serial: str) -> Marker | None:
        """The marker of an interrupted send to this controller."""

    def settle(self, serial: str) -> None:
        """What was interrupted is known again."""


class NoJournal:
    """Keeps nothing."""

    def begin(self, marker: Marker) -> None:
        """Nothing."""

    def keeping(self) -> None:
        """Nothing."""

    def end(self) -> None:
        """Nothing."""

    def found(self, serial: str) -> Marker | None:
        """Nothing is ever found."""
        return None

    def settle(self, serial: str) -> None:
        """Nothing."""


@dataclass(frozen=True)
class Interrupted:
    """What an interrupted send left behind, register by register, in words for a person."""

    marker: Marker
    old: list[str]
    new: list[str]
    neither: list[str]
    unkept: bool = False  # whether the controller says that what runs is not kept

    @property
    def settled(self) -> bool:
        """Whether the controller holds all the old or all the new values."""
        return not self.neither and not (self.old and self.new)

    @property
    def text(self) -> str:
        """The finding as one line."""
        head = f"A send of {self.marker.at.replace('T', ', ')} was interrupted"
        if not self.neither and not self.new:
            return f"{head}; the controller holds what it held before it."
        if not self.neither and not self.old:
            kept = (
                " They are not permanent: a power cycle restores the old ones. Send makes them permanent."
                if self.unkept or self.marker.phase != "keeping"
                else ""
            )
            return f"{head}; the controller holds all its new values.{kept}"
        parts = [
            f"{', '.join(self.new)} new" if self.new else "",
            f"{', '.join(self.old)} as before" if self.old else "",
            *self.neither,
        ]
        return (
            f"{head}: "
            + "; ".join(part for part in parts if part)
            + ". Do not ride until you have sent a complete tune again."
        )


def resolve(marker: Marker, contact: Contact, unkept: bool = False) -> Interrupted:
    """Compare what the controller holds now with both ends of an interrupted send."""
    old, new, neither = [], [], []
    for marked in marker.registers:
        register, raw = contact.map.register(marked.name), contact.raws.get(marked.name)
        if register is None or raw is None:
            neither.append(f"{marked.name} cannot be read")
        elif raw == marked.after:
            new.append(register.label)
        elif raw == marked.before:
            old.append(register.label)
        else:
            values = [said(register, register.decode(one)) for one in (raw, marked.before, marked.after)]
            neither.append(f"{register.label} reads {values[0]}, neither the old {values[1]} nor the new {values[2]}")
    return Interrupted(marker, old, new, neither, unkept)


def unreadable(identity: Identity, reason: str) -> Interrupted:
    """A marker that cannot be read: something was interrupted, and nobody knows what."""
    marker = Marker(
        at="an unknown time", product=identity.product or "?", serial=identity.serial, keep=False, registers=[]
    )
    return Interrupted(marker, [], [], [f"its marker cannot be read ({reason}), what it wrote is not known"])


class FileJournal:
    """Markers as small files in a folder, one per controller."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._marker: Marker | None = None

    def begin(self, marker: Marker) -> None:
        """A send begins."""
        self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._marker = marker
        self._write()

    def keeping(self) -> None:
        """The keep command is about to be given."""
        if self._marker is not None:
            self._marker = self._marker.model_copy(update={"phase": "keeping"})
            self._write()

    def end(self) -> None:
        """Every register is known again."""
        if self._marker is not None:
            self._file(self._marker.serial).unlink(missing_ok=True)
        self._marker = None

    def found(self, serial: str) -> Marker | None:
        """The marker of an interrupted send to this controller. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
        file = self._file(serial)
        if not file.exists():
            return None
        return parse(Marker, "crisp-hornet/send-marker", 1, wire.read_object(file), str(file))

    def settle(self, serial: str) -> None:
        """What was interrupted has been told, and the controller is known again."""
        self._file(serial).unlink(missing_ok=True)

    def _write(self) -> None:
        assert self._marker is not None
        wire.write_object(self._file(self._marker.serial), self._marker.model_dump(mode="json"), private=True)

    def _file(self, serial: str) -> Path:
        return self._folder / f"{re.sub(r'[^A-Za-z0-9_-]', '_', serial)[:80] or 'unnamed'}.json"
