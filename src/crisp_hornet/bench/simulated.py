"""The simulated bike beside the window: where it is reached, and hands on it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Simulated:
    """``ports`` are its ways in, the serial one first. ``act`` does one thing to it ("brake 1") and returns its answer."""

    ports: tuple[str, ...] = ()
    act: Callable[[str], str] = lambda _line: ""

    @property
    def port(self) -> str:
        """The first way in; "" where nothing is simulated."""
        return self.ports[0] if self.ports else ""
