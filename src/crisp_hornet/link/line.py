"""What the rest of ``link`` needs from a line to a controller, whatever its kind: named values, acts, and who answers.

Each kind is a file (or a folder) of ``lines/``; nothing above knows which it is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.register import Register

LONGEST_READ = 40  # words in one question, where a line asks for many at once
Raws = dict[str, int]  # what settings hold, raw, by name


@dataclass(frozen=True)
class Identity:
    """What a controller says it is."""

    vendor: str
    product: str
    firmware: str
    serial: str


@dataclass(frozen=True)
class Event:
    """A fault the controller reported, with the moment it came (monotonic seconds; None: before we listened)."""

    code: int
    at_s: float | None = None


class Files(Protocol):
    """Rides the controller stored, and a second slot for new firmware: what only some lines reach."""

    def stored_rows(self) -> list[int]:
        """How many rows each stored ride has."""

    def read_rows(self, ride: int, first: int, rows: int) -> list[dict[str, float]]:
        """Rows of a stored ride."""

    def write_record(self, number: int, data: bytes) -> None:
        """A record of the new firmware, once."""

    def read_record(self, number: int, size: int) -> bytes:
        """What lies there."""


class Line(Protocol):
    """An open line to a controller whose description is known. ``troubles``: how often an answer was late, damaged or to another
    question; ``settle_s``: how long after its answer a write may take to show. Everything may raise
    :class:`~crisp_hornet.link.errors.LinkError`."""

    troubles: int
    settle_s: float

    @property
    def map(self) -> ControllerMap:
        """The description it goes by."""

    @property
    def address(self) -> str:
        """Where it leads, as given for connecting."""

    @property
    def files(self) -> Files | None:
        """What it stores, where the line reaches it."""

    def identify(self) -> Identity:
        """Ask who answers."""

    def read(self, registers: Sequence[Register], longest: int = LONGEST_READ, backwards: bool = False) -> Raws:
        """What settings hold, asked once. ``longest`` and ``backwards`` ask otherwise, so that a stale answer does not pass twice."""

    def together(self, registers: Sequence[Register]) -> list[int]:
        """How settings to be written in this order go into writes: how many of them into each."""

    def write(self, values: Sequence[tuple[Register, int]]) -> None:
        """Set settings that go together, once: a write is never repeated blindly."""

    def act(self, act: Act) -> None:
        """Ask the controller to do something, once."""

    def read_live(self) -> dict[str, float]:
        """The live values, measured after this was asked or just before."""

    def in_step(self) -> bool:
        """Whether the answers still follow the questions; what does not is a trouble."""

    def history(self) -> list[Event]:
        """The faults it reported, the newest first, where it tells them."""

    def close(self) -> None:
        """Let go of it."""
