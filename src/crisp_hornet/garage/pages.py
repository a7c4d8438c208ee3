"""Rows read straight from the pages of an SQLite file, for a garage whose tree of pages is broken.

A table's rows lie in leaf pages; inner pages only lead to them. When an inner page is lost, the leaves below it are still there and can be
read one by one. Nothing in a row says of which table it is: that is for the caller to see from its shape.

Source: *Database File Format*, sqlite.org/fileformat2.html (public domain), sections 1.3 to 2.1.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass

Value = int | float | str | bytes | None
USUAL_PAGE, LEAF, HEADER = 4096, 0x0D, 100
MOST_PAYLOAD, MOST_COLUMNS = 64 << 20, 100
INTEGER_BYTES = {1: 1, 2: 2, 3: 3, 4: 4, 5: 6, 6: 8}


class BrokenCell(ValueError):
    """A cell that is no sound row."""


@dataclass(frozen=True)
class Leaf:
    """A leaf page: its number and its sound rows, each (row number, values); ``broken``: so many others."""

    number: int
    rows: list[tuple[int, list[Value]]]
    broken: int


class Pages:
    """The pages of a database file as bytes."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        told = int.from_bytes(data[16:18], "big")
        size = 65536 if told == 1 else told
        sound = data[:6] == b"SQLite" and 512 <= size <= 65536 and size & (size - 1) == 0
        self._size = size if sound else USUAL_PAGE
        self._usable = self._size - (data[20] if sound else 0)
        self.count = len(data) // self._size

    def leaves(self) -> Iterator[Leaf]:
        """Every leaf page of a table that is in use."""
        free = self._free()
        for number in range(1, self.count + 1):
            start = HEADER if number == 1 else 0
            page = self._page(number)
            if page[start] == LEAF and number not in free:
                yield self._leaf(number, page, start)

    def _page(self, number: int) -> bytes:
        if not 1 <= number <= self.count:
            raise BrokenCell(f"there is no page {number}")
        return self._data[(number - 1) * self._size : number * self._size]

    def _free(self) -> set[int]:
        """Pages that hold nothing any more: what lies in them was deleted."""
        free: set[int] = set()
        trunk = int.from_bytes(self._data[32:36], "big")
        while 1 < trunk <= self.count and trunk not in free:
            free.add(trunk)
            page = self._page(trunk)
            listed = min(int.from_bytes(page[4:8], "big"), self._size // 4 - 2)
            free |= {int.from_bytes(page[8 + 4 * at : 12 + 4 * at], "big") for at in range(listed)}
            trunk = int.from_bytes(page[:4], "big")
        return free

    def _leaf(self, number: int, page: bytes, start: int) -> Leaf:
        count = int.from_bytes(page[start + 3 : start + 5], "big")
        rows, broken = [], 0
        for at in range(min(count, self._size // 4)):
            place = start + 8 + 2 * at
            try:
                rows.append(self._cell(page, int.from_bytes(page[place : place + 2], "big")))
            except (BrokenCell, UnicodeDecodeError, IndexError):
                broken += 1
        return Leaf(number, rows, broken)

    def _cell(self, page: bytes, at: int) -> tuple[int, list[Value]]:
        length, at = _varint(page, at)
        row, at = _varint(page, at)
        if not 2 <= length <= MOST_PAYLOAD:
            raise BrokenCell("no such length")
        return row, _values(self._payload(page, at, length))

    def _payload(self, page: bytes, at: int, length: int) -> bytes:
        """What a cell holds, with what of it spilled onto further pages (section 1.6)."""
        most, least = self._usable - 35, (self._usable - 12) * 32 // 255 - 23
        if length <= most:
            found = page[at : at + length]
        else:
            here = least + (length - least) % (self._usable - 4)
            here = here if here <= most else least
            found, further = page[at : at + here], int.from_bytes(page[at + here : at + here + 4], "big")
            seen: set[int] = set()
            while len(found) < length and further and further not in seen:
                seen.add(further)
                spilled = self._page(further)
                found += spilled[4 : 4 + min(self._usable - 4, length - len(found))]
                further = int.from_bytes(spilled[:4], "big")
        if len(found) != length:
            raise BrokenCell("cut off")
        return found


def _varint(data: bytes, at: int) -> tuple[int, int]:
    """(value, place behind it) of one of up to nine bytes, seven bits each."""
    value = 0
    for used in range(8):
        byte = data[at + used]
        value = value << 7 | byte & 0x7F
        if byte < 0x80:
            return value, at + used + 1
    return value << 8 | data[at + 8], at + 9


def _values(record: bytes) -> list[Value]:
    """The columns of a record (section 2.1)."""
    ends, at = _varint(record, 0)
    kinds: list[int] = []
    while at < ends and len(kinds) <= MOST_COLUMNS:
        kind, at = _varint(record, at)
        kinds.append(kind)
    if at != ends or len(kinds) > MOST_COLUMNS:
        raise BrokenCell("no sound header")
    found: list[Value] = []
    for kind in kinds:
        value, at = _value(record, at, kind)
        found.append(value)
    if at != len(record):
        raise BrokenCell("no sound length")
    return found


def _value(record: bytes, at: int, kind: int) -> tuple[Value, int]:
    if kind == 0:
        return None, at
    if kind in INTEGER_BYTES:
        end = at + INTEGER_BYTES[kind]
        return int.from_bytes(record[at:end], "big", signed=True), end
    if kind in (8, 9):
        return kind - 8, at
    if kind == 7:
        return struct.unpack(">d", record[at : at + 8])[0], at + 8
    if kind < 12:
        raise BrokenCell("no such kind of value")
    end = at + (kind - 12) // 2
    if end > len(record):
        raise BrokenCell("cut off")
    return (record[at:end] if kind % 2 == 0 else record[at:end].decode()), end
