"""What the simulated controller stores: a second firmware slot, and rides it recorded itself."""

from __future__ import annotations

import math

from crisp_hornet.documents.acts import Update
from crisp_hornet.documents.described import StoredLogs
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.firmware import parse_firmware

SLOT_BYTES = 1 << 20


class Slots:
    """The second slot: written in records, armed by a command, swapped in by a power cycle."""

    def __init__(self, update: Update | None) -> None:
        self._update = update
        self._slot = bytearray()
        self._armed: str | None = None

    def write(self, record: int, data: bytes) -> None:
        """One record; the first one starts anew."""
        assert self._update is not None
        start = 2 * record * self._update.record_words
        if record == 0:
            self._slot.clear()
            self._armed = None
        if start + len(data) <= SLOT_BYTES:
            self._slot.extend(bytes(max(0, start + len(data) - len(self._slot))))
            self._slot[start : start + len(data)] = data

    def read(self, record: int, length: int) -> bytes:
        """Words of the slot."""
        assert self._update is not None
        return bytes(self._slot[2 * record * self._update.record_words :][: 2 * length])

    def arm(self) -> bool:
        """Check what lies in the slot; only a sound image for this hardware will start."""
        assert self._update is not None
        try:
            image = parse_firmware(bytes(self._slot), "slot")
        except DocumentError:
            return False
        if image.hardware != self._update.hardware:
            return False
        self._armed = image.version
        return True

    def swap(self) -> str | None:
        """At power-on: the version that now runs, if one was armed."""
        armed, self._armed = self._armed, None
        return armed


def stored_rides(logs: StoredLogs, series: int) -> list[list[list[int]]]:
    """Two short rides as rows of words, recorded before anyone connected."""

    def row(share: float, cold: float) -> list[int]:
        values = {
            "wheel_speed_kmh": 24 * math.sin(math.pi * share) ** 0.5 if 0 < share < 1 else 0.0,
            "pack_v": series * (3.95 - 0.12 * math.sin(math.pi * share)),
            "battery_a": 18 * math.sin(math.pi * share) ** 2,
            "motor_c": cold + 30 * share,
        }
        words: list[int] = []
        for column in logs.column:
            low, high = column.raw_range
            raw = min(max(round((values.get(column.name, 0.0) - column.offset) / column.scale), low), high)
            words.append(raw & 0xFFFF)
        return words

    return [[row(k / (count - 1), 14.0 + 3 * index) for k in range(count)] for index, count in enumerate((240, 90))]
