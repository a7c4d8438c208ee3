"""Rides that the node stored itself, as one long object each, uploaded in blocks."""

from __future__ import annotations

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.described import StoredLogs
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.lines.canopen.wire import CanWire

MOST_LOGS, MOST_BYTES = 64, 4 << 20
WHAT = "Reading a stored ride"


class CanFiles:
    """What a description says of them."""

    def __init__(self, wire: CanWire, controller_map: ControllerMap) -> None:
        self._wire, self._map = wire, controller_map
        self._rides: dict[int, bytes] = {}

    def stored_rows(self) -> list[int]:
        """How many rows each stored ride has: it is read to know."""
        count = int.from_bytes(self._wire.upload(WHAT, (self._index, 0)), "little")
        return [len(self._ride(ride)) // self._row for ride in range(min(count, MOST_LOGS))]

    def read_rows(self, ride: int, first: int, rows: int) -> list[dict[str, float]]:
        """Rows of a stored ride."""
        data, found = self._ride(ride), []
        for number in range(first, first + rows):
            row, at = {}, number * self._row
            for column in self._logs.column:
                row[column.name] = column.value_of(int.from_bytes(data[at : at + column.size], "little"))
                at += column.size
            found.append(row)
        return found

    def write_record(self, number: int, data: bytes) -> None:
        """Not by this line."""
        raise LinkError("New firmware", "over CANopen it is not described", "Nothing was written.")

    def read_record(self, number: int, size: int) -> bytes:
        """Not by this line."""
        raise LinkError("New firmware", "over CANopen it is not described", "Nothing was written.")

    @property
    def _logs(self) -> StoredLogs:
        assert self._map.logs is not None  # made only where there are
        return self._map.logs

    @property
    def _index(self) -> int:
        assert self._logs.object is not None  # checked with the description
        return self._logs.object

    @property
    def _row(self) -> int:
        return sum(column.size for column in self._logs.column)

    def _ride(self, ride: int) -> bytes:
        if ride not in self._rides:
            data = self._wire.upload(WHAT, (self._index, ride + 1), block=True)
            if len(data) > MOST_BYTES:
                raise LinkError(WHAT, "it is absurdly long", "Check the description.")
            self._rides[ride] = data
        return self._rides[ride]
