"""Stored rides and a second slot for firmware, as files and records of Modbus (functions 20 and 21)."""

from __future__ import annotations

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.described import StoredLogs
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.lines.modbus_wire import ModbusWire

MOST_LOGS = 64


class ModbusFiles:
    """What a description says of them."""

    def __init__(self, wire: ModbusWire, controller_map: ControllerMap) -> None:
        self._wire, self._map = wire, controller_map

    def stored_rows(self) -> list[int]:
        """How many rows each stored ride has."""
        count, lengths, _ = self._places()
        rides = min(self._wire.read_live(count, 1)[0], MOST_LOGS)
        return self._wire.read_live(lengths, rides) if rides else []

    def read_rows(self, ride: int, first: int, rows: int) -> list[dict[str, float]]:
        """Rows of a stored ride; a record is one row."""
        logs, (_, _, first_file) = self._logs(), self._places()
        row_words = sum(column.words for column in logs.column)
        data = self._wire.read_file(first_file + ride, first, rows * row_words)
        words = [int.from_bytes(data[at : at + 2], "big") for at in range(0, len(data), 2)]
        found, at = [], 0
        for _ in range(rows):
            row = {}
            for column in logs.column:
                row[column.name] = column.value_of(self._map.raw_of(words[at : at + column.words]))
                at += column.words
            found.append(row)
        return found

    def write_record(self, number: int, data: bytes) -> None:
        """A record of the new firmware."""
        self._wire.write_file(self._slot(), number, data)

    def read_record(self, number: int, size: int) -> bytes:
        """What lies there."""
        return self._wire.read_file(self._slot(), number, size // 2)

    def _logs(self) -> StoredLogs:
        if self._map.logs is None:
            raise LinkError(
                "Stored rides", "this controller stores none that its description knows of", "Record live instead."
            )
        return self._map.logs

    def _places(self) -> tuple[int, int, int]:
        logs = self._logs()
        assert (
            logs.count is not None and logs.lengths is not None and logs.first_file is not None
        )  # checked with the description
        return logs.count, logs.lengths, logs.first_file

    def _slot(self) -> int:
        if self._map.update is None:
            raise LinkError(
                "New firmware", "this controller's description declares no second slot", "Nothing was written."
            )
        return self._map.update.file
