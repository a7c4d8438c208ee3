"""The controller as a node of a CAN bus: SDO server, PDOs, heartbeat, emergencies. Written from the standard's text, apart from the library
that the application's side uses. Source: CiA 301, CANopen application layer.
"""

from __future__ import annotations

import binascii
from collections.abc import Callable

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.register import Coded, Object
from crisp_hornet.standin.controller import (
    BUSY,
    DEVICE_FAILURE,
    ILLEGAL_ADDRESS,
    ILLEGAL_VALUE,
    Refusal,
    SimulatedController,
)

Message = tuple[int, bytes]
ABORTS = {ILLEGAL_ADDRESS: 0x0602_0000, ILLEGAL_VALUE: 0x0609_0030, DEVICE_FAILURE: 0x0606_0000, BUSY: 0x0800_0022}
TOGGLE, UNKNOWN, READ_ONLY, BAD_SIZE = 0x0503_0000, 0x0504_0001, 0x0601_0002, 0x0607_0010
PDO_BASES = (0x180, 0x280, 0x380, 0x480)
PDO_EVERY_S, HEARTBEAT_S = 0.01, 0.5
BLOCK = 127


class _Abort(Exception):
    def __init__(self, code: int) -> None:
        self.code = code
        super().__init__(f"{code:08X}")


class CanNode:
    """One node. ``take`` a message and get what it answers; ``due`` gives what it says by itself."""

    def __init__(self, controller: SimulatedController) -> None:
        self._controller, self._map = controller, controller.map
        self.node = controller.map.line.device
        self.state = 5  # it starts by itself, as a controller that is to drive must
        self.wrote = False
        self._long: bytes | None = None  # what is uploaded in segments or blocks
        self._at: Object = (0, 0)
        self._toggle = 0
        self._blocks = b""
        self._mapping = self._first_mapping()
        self._told: list[int] = []  # faults reported as emergencies
        self._past: list[int] = []
        self._next_pdo_s = self._next_beat_s = 0.0
        self._settings = {register.object: register for register in self._map.register_list}
        self._channels = {channel.object: channel for channel in self._map.channels}

    def take(self, identifier: int, data: bytes) -> list[Message]:
        """What it answers to a message on the bus."""
        self.wrote = False
        if self._silent:
            return []
        if identifier == 0 and len(data) >= 2 and data[1] in (0, self.node):
            self.state = {1: 5, 2: 4, 128: 127}.get(data[0], self.state)
            return []
        if identifier != 0x600 + self.node or len(data) != 8:
            return []
        self._controller.catch_up()
        try:
            return [(0x580 + self.node, one) for one in self._serve(data)]
        except _Abort as abort:
            return [(0x580 + self.node, self._aborted(abort.code))]
        except Refusal as refusal:
            return [(0x580 + self.node, self._aborted(ABORTS[refusal.code]))]

    def due(self, now_s: float) -> list[Message]:
        """PDOs, heartbeat and emergencies that are due."""
        if self._silent:
            return []
        said = self._emergencies()
        if now_s >= self._next_beat_s:
            self._next_beat_s = now_s + HEARTBEAT_S
            said.append((0x700 + self.node, bytes([self.state])))
        if now_s >= self._next_pdo_s and self.state == 5:
            self._next_pdo_s = max(self._next_pdo_s + PDO_EVERY_S, now_s)
            said += self.pdos()
        return said

    def pdos(self) -> list[Message]:
        """All PDOs as they stand now."""
        raws = {channel.object: (channel, raw) for channel, raw in self._controller.live_raws()}
        said = []
        for number, places in self._mapping.items():
            data = b"".join(raws[place][1].to_bytes(raws[place][0].size, "little") for place in places)
            said.append((PDO_BASES[number - 1] + self.node, data))
        return said

    @property
    def _silent(self) -> bool:
        return self._controller.off or self._controller.bike.state.bms_open

    def _first_mapping(self) -> dict[int, list[Object]]:
        own, left = self._map.canopen, list(self._map.channels)
        assert own is not None  # made for such descriptions only
        mapping: dict[int, list[Object]] = {}
        for number in own.pdos:
            size = 0
            mapping[number] = []
            while left and size + left[0].size <= 8:
                one = left.pop(0)
                size += one.size
                assert one.object is not None  # the stand-in's descriptions name one for each
                mapping[number].append(one.object)
        return mapping

    def _emergencies(self) -> list[Message]:
        said = []
        faults = list(self._controller.faults)
        for code in faults:
            if code not in self._told:
                self._past.insert(0, code)
                said.append((0x80 + self.node, code.to_bytes(2, "little") + bytes([1]) + bytes(5)))
        if self._told and not faults:
            said.append((0x80 + self.node, bytes(8)))
        self._told = faults
        return said

    # --- service data objects -----------------------------------------------------------------------------------

    def _serve(self, data: bytes) -> list[bytes]:
        kinds: dict[int, Callable[[bytes], list[bytes]]] = {
            0x40: self._begin_upload,
            0x60: self._next_segment,
            0x20: self._download,
            0xA0: self._block_upload,
        }
        if data[0] == 0x80:
            self._long = None
            return []
        kind = kinds.get(data[0] & 0xE0)
        if kind is None:
            self._at = (int.from_bytes(data[1:3], "little"), data[3])
            raise _Abort(UNKNOWN)
        return kind(data)

    def _begin_upload(self, data: bytes) -> list[bytes]:
        self._at = (int.from_bytes(data[1:3], "little"), data[3])
        held = self._read(self._at)
        if len(held) <= 4:
            return [bytes([0x43 | (4 - len(held)) << 2]) + data[1:4] + held.ljust(4, b"\0")]
        self._long, self._toggle = held, 0
        return [b"\x41" + data[1:4] + len(held).to_bytes(4, "little")]

    def _next_segment(self, data: bytes) -> list[bytes]:
        if self._long is None:
            raise _Abort(UNKNOWN)
        if data[0] & 0x10 != self._toggle:
            raise _Abort(TOGGLE)
        piece, self._long = self._long[:7], self._long[7:]
        head = self._toggle | (7 - len(piece)) << 1 | (not self._long)
        self._toggle ^= 0x10
        if not self._long:
            self._long = None
        return [bytes([head]) + piece.ljust(7, b"\0")]

    def _download(self, data: bytes) -> list[bytes]:
        self._at = (int.from_bytes(data[1:3], "little"), data[3])
        if not data[0] & 2:
            raise _Abort(BAD_SIZE)  # nothing that is set here is longer than four bytes
        size = 4 - (data[0] >> 2 & 3) if data[0] & 1 else 4
        self._write(self._at, data[4 : 4 + size])
        self.wrote = True
        return [b"\x60" + data[1:4] + bytes(4)]

    def _block_upload(self, data: bytes) -> list[bytes]:
        what = data[0] & 3
        if what == 0:  # begin
            self._at = (int.from_bytes(data[1:3], "little"), data[3])
            self._long = self._read(self._at)
            self._blocks = self._long
            return [b"\xc6" + data[1:4] + len(self._long).to_bytes(4, "little")]
        if self._long is None:
            raise _Abort(UNKNOWN)
        if what == 3:  # start
            return self._block(0)
        if what == 2:  # how far the last block came through
            return self._block(data[1])
        self._long = None  # the end was heard
        return []

    def _block(self, came: int) -> list[bytes]:
        self._blocks = self._blocks[7 * came :]
        if not self._blocks:
            assert self._long is not None
            unused = -len(self._long) % 7
            return [bytes([0xC1 | unused << 2]) + binascii.crc_hqx(self._long, 0).to_bytes(2, "little") + bytes(5)]
        pieces = [self._blocks[at : at + 7] for at in range(0, min(len(self._blocks), 7 * BLOCK), 7)]
        last = 7 * len(pieces) >= len(self._blocks)
        return [
            bytes([number | (0x80 if last and number == len(pieces) else 0)]) + piece.ljust(7, b"\0")
            for number, piece in enumerate(pieces, start=1)
        ]

    def _aborted(self, code: int) -> bytes:
        return b"\x80" + self._at[0].to_bytes(2, "little") + bytes([self._at[1]]) + code.to_bytes(4, "little")

    # --- the object dictionary ----------------------------------------------------------------------------------

    def _read(self, place: Object) -> bytes:
        register = self._settings.get(place)
        if register is not None:
            return self._controller.raw(register.name).to_bytes(register.size, "little")
        channel = self._channels.get(place)
        if channel is not None:
            raw = next(raw for one, raw in self._controller.live_raws() if one is channel)
            return raw.to_bytes(channel.size, "little")
        found = self._profile(place)
        if found is None:
            raise _Abort(0x0602_0000)
        return found

    def _profile(self, place: Object) -> bytes | None:
        """The objects that every node has, and the stored rides."""
        own, c, (index, sub) = self._map.canopen, self._controller, place
        assert own is not None  # made for such descriptions only
        logs = self._map.logs
        if index in range(0x1800, 0x1804) or index in range(0x1A00, 0x1A04):
            return self._pdo_object(index, sub)
        if logs is not None and index == logs.object:
            if sub == 0:
                return bytes([len(c.rides)])
            if sub > len(c.rides):
                return None
            return b"".join(word.to_bytes(2, "little") for row in c.rides[sub - 1] for word in row)
        if index == 0x1003:
            return (
                bytes([len(self._past)]) if sub == 0 else _long(self._past[sub - 1]) if sub <= len(self._past) else None
            )
        held = {
            (0x1000, 0): _long(0),
            (0x1001, 0): bytes([bool(c.faults)]),
            (0x1008, 0): self._map.identity.product.encode("ascii"),
            (0x100A, 0): c.firmware.encode("ascii"),
            (0x1018, 0): b"\x04",
            (0x1018, 1): _long(own.vendor_id),
            (0x1018, 2): _long(own.product_code),
            (0x1018, 3): _long(0x0002_0004),
            (0x1018, 4): _long(int("".join(filter(str.isdigit, c.serial)) or 0) & 0xFFFF_FFFF),
        }
        return held.get(place)

    def _pdo_object(self, index: int, sub: int) -> bytes | None:
        number = (index & 3) + 1
        if number not in self._mapping:
            return None
        if index < 0x1A00:
            return {0: b"\x05", 1: _long(PDO_BASES[number - 1] + self.node), 2: b"\xfe", 5: b"\x0a\x00"}.get(sub)
        places = self._mapping[number]
        if sub == 0:
            return bytes([len(places)])
        if sub > len(places):
            return None
        channel = self._channels[places[sub - 1]]
        return _long(places[sub - 1][0] << 16 | places[sub - 1][1] << 8 | channel.size_bits)

    def _write(self, place: Object, data: bytes) -> None:
        register = self._settings.get(place)
        if register is not None:
            if register.access == "r":
                raise _Abort(READ_ONLY)
            self._controller.write(register, _whole(data, register))
            return
        asked = {act: self._map.command_of(act) for act in Act}
        here = {act: one for act, one in asked.items() if one is not None and one.object == place}
        for act, one in here.items():
            if int.from_bytes(data, "little") == one.value:
                self._controller.act(act)
                return
        if here:
            raise Refusal(ILLEGAL_VALUE)
        if place[0] in range(0x1800, 0x1804) or place[0] in range(0x1A00, 0x1A04):
            self._map_anew(place, int.from_bytes(data, "little"))
            return
        raise _Abort(0x0602_0000)

    def _map_anew(self, place: Object, value: int) -> None:
        """Another mapping, written entry by entry after its count was set to none."""
        index, sub = place
        number = (index & 3) + 1
        if index < 0x1A00:
            return  # when and under which identifier: as it is
        if sub == 0:
            if value == 0:
                self._mapping[number] = []
        elif (value >> 16, value >> 8 & 0xFF) in self._channels:
            self._mapping[number].append((value >> 16, value >> 8 & 0xFF))
        else:
            raise _Abort(0x0604_0041)


def _long(value: int) -> bytes:
    return value.to_bytes(4, "little")


def _whole(data: bytes, coded: Coded) -> int:
    if len(data) != coded.size:
        raise _Abort(BAD_SIZE)
    return int.from_bytes(data, "little")
