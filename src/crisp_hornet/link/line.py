"""What the rest of ``link`` needs from a line to a controller."""

from __future__ import annotations

from typing import Protocol


class Line(Protocol):
    """A line to the controller at address ``device``. ``troubles``: how often an answer was late,
    damaged or to another question; ``settle_s``: how long after its answer a write may take to show."""

    device: int
    troubles: int
    settle_s: float

    def read_settings(self, address: int, count: int) -> list[int]:
        """Holding registers as words."""

    def read_live(self, address: int, count: int) -> list[int]:
        """Input registers as words."""

    def write(self, address: int, words: list[int]) -> None:
        """Set one holding register of one or more words."""

    def in_step(self) -> bool:
        """Whether the answers still follow the questions; what does not is a trouble."""

    def identify(self) -> dict[int, str]:
        """Objects of the device identification."""

    def identify_object(self, number: int) -> str:
        """One of them."""

    def read_file(self, file: int, record: int, words: int) -> bytes:
        """Words of a file."""

    def write_file(self, file: int, record: int, data: bytes) -> None:
        """One record of a file."""
