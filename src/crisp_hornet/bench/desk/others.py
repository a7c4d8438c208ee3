"""What the window asks of a garage that is shared with other benches."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from crisp_hornet.garage.merging import Key, Side


class Others(Protocol):
    """The other benches."""

    def of_bike(self, bike_id: int) -> str:
        """Who has a bike open at another bench; "" for nobody."""

    def decide(self, sides: Mapping[Key, Side]) -> None:
        """Whose counts of what was changed at two benches of the active bike."""
