"""Transmit PDOs: which objects each carries, as the node itself says, and taking them apart.

Source: CiA 301, PDO communication and mapping.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from crisp_hornet.documents.register import Channel, Object
from crisp_hornet.link.errors import AnsweredNo
from crisp_hornet.link.lines.canopen.wire import CanWire

COMMUNICATION, MAPPING = 0x1800, 0x1A00
OFF = 1 << 31  # of a PDO's identifier: it is not sent
BY_EVENT, EVERY_MS = 254, 10
MOST_BYTES = 8
WHAT = "Reading how live values are sent"


@dataclass(frozen=True)
class Pdo:
    """One PDO: its identifier on the bus, and which object takes which bits of it."""

    identifier: int
    places: tuple[tuple[Object, int, int], ...]  # object, first bit, bits

    def values(self, data: bytes) -> dict[Object, int]:
        """The raw number of each object."""
        whole = int.from_bytes(data, "little")
        return {
            place: whole >> first & ((1 << bits) - 1)
            for place, first, bits in self.places
            if first + bits <= 8 * len(data)
        }


def read_pdo(wire: CanWire, number: int) -> Pdo | None:
    """A transmit PDO as the node has it; None where it is off or absent. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    try:
        identifier = _number(wire, (COMMUNICATION + number - 1, 1))
        count = _number(wire, (MAPPING + number - 1, 0))
        mapped = [_number(wire, (MAPPING + number - 1, sub)) for sub in range(1, min(count, 64) + 1)]
    except AnsweredNo:
        return None
    if identifier & OFF or not mapped:
        return None
    places, first = [], 0
    for one in mapped:
        places.append(((one >> 16, one >> 8 & 0xFF), first, one & 0xFF))
        first += one & 0xFF
    return Pdo(identifier & 0x7FF, tuple(places))


def map_pdos(wire: CanWire, numbers: Sequence[int], channels: Sequence[Channel]) -> None:
    """Map the channels into these PDOs, sent every 10 ms. Volatile: it is gone at power-off, and made anew on connecting."""
    left = [one for one in channels if one.object is not None]
    for number in numbers:
        taken: list[Channel] = []
        while left and sum(one.size for one in taken) + left[0].size <= MOST_BYTES:
            taken.append(left.pop(0))
        identifier = _number(wire, (COMMUNICATION + number - 1, 1)) & 0x7FF
        index = MAPPING + number - 1
        _set(wire, (COMMUNICATION + number - 1, 1), identifier | OFF, 4)
        _set(wire, (index, 0), 0, 1)
        for sub, one in enumerate(taken, start=1):
            assert one.object is not None  # chosen so
            _set(wire, (index, sub), one.object[0] << 16 | one.object[1] << 8 | one.size_bits, 4)
        _set(wire, (index, 0), len(taken), 1)
        _set(wire, (COMMUNICATION + number - 1, 2), BY_EVENT, 1)
        _set(wire, (COMMUNICATION + number - 1, 5), EVERY_MS, 2)
        _set(wire, (COMMUNICATION + number - 1, 1), identifier, 4)


def _number(wire: CanWire, place: Object) -> int:
    return int.from_bytes(wire.upload(WHAT, place), "little")


def _set(wire: CanWire, place: Object, value: int, size: int) -> None:
    wire.download("Choosing which live values are sent", place, value.to_bytes(size, "little"))
