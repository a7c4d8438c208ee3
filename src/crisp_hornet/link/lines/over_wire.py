"""What all lines over a wire share: the description they go by, and the troubles that the wire counts."""

from __future__ import annotations

from typing import Generic, Protocol, TypeVar

from crisp_hornet.documents.controller_map import ControllerMap


class Wire(Protocol):
    """Counts how often an answer was late, damaged or to another question."""

    troubles: int


W = TypeVar("W", bound=Wire)


class OverWire(Generic[W]):
    """A description's names over a wire."""

    def __init__(self, wire: W, controller_map: ControllerMap) -> None:
        self.wire, self.map = wire, controller_map
        self.settle_s = controller_map.line.settle_s

    @property
    def troubles(self) -> int:
        """How often an answer was late, damaged or to another question."""
        return self.wire.troubles

    @troubles.setter
    def troubles(self, count: int) -> None:
        self.wire.troubles = count
