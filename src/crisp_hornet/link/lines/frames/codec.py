"""Frames to bytes and back, as a description lays them out. Fields are built and taken apart by construct; what is found wrong is told by
the offset at which it stands.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import construct

from crisp_hornet.documents.checksums import checksum_of, width_of
from crisp_hornet.documents.kinds import Frames, Order


@dataclass(frozen=True)
class Frame:
    """One whole frame: its command byte, its payload, and the raw bytes at ``first`` to ``end`` of what was looked at."""

    command: int
    payload: bytes
    first: int = 0
    end: int = 0


@dataclass(frozen=True)
class Fault:
    """What is wrong with bytes that begin like a frame, and at which offset."""

    at: int
    text: str

    def __str__(self) -> str:
        return f"byte {self.at}: {self.text}"


class Codec:
    """The envelope of one description."""

    def __init__(self, frames: Frames) -> None:
        self.frames = frames
        self._start, self._end = bytes.fromhex(frames.start), bytes.fromhex(frames.end)
        self._inner = [part for part in frames.parts if part not in ("start", "end")]
        self._sizes = {"address": 1, "command": 1, "length": self._length_size, "checksum": self._checksum_size}
        self._fixed = sum(self._sizes[part] for part in self._inner if part != "payload")

    def build(self, command: int, payload: bytes, answer: bool = False) -> bytes:
        """The bytes of a frame. ``answer``: as the controller would send it."""
        plain: dict[str, Any] = {"command": command, "payload": payload}
        frames = self.frames
        if frames.address is not None:
            plain["address"] = frames.answer_address if answer and frames.answer_address is not None else frames.address
        if frames.length is not None:
            plain["length"] = self._counted(len(payload)) + frames.length.plus
        layout = self._layout(len(payload))
        if frames.checksum is not None:
            unsigned = layout.build({**plain, "checksum": 0})
            plain["checksum"] = checksum_of(frames.checksum, self._covered(unsigned, len(payload)))
        return self._start + self._escaped(layout.build(plain)) + self._end

    def take(self, data: bytes) -> tuple[Frame | None, int, list[Fault]]:
        """The first whole frame in what came, how many bytes are done with, and what looked like a frame and was none.

        A damaged frame costs no sound one behind it: the search goes on one byte after its beginning.
        """
        faults: list[Fault] = []
        at, waits_at = 0, len(data)
        while at < len(data):
            if self._start and not data.startswith(self._start, at):
                at = self._next_start(data, at)
                if not data.startswith(self._start, at):
                    waits_at = min(waits_at, at)  # perhaps its first bytes
                    break
            found = self._frame_at(data, at)
            if isinstance(found, Frame):
                return found, found.end, faults
            if found is None:
                waits_at = min(waits_at, at)
                if not faults:
                    break
            else:
                faults.append(found)
            at += 1  # once something is damaged, what seems to wait for more may be noise: a whole one behind it counts
        return None, waits_at, faults

    def _next_start(self, data: bytes, at: int) -> int:
        """Where a frame may begin next: where ``start`` stands, or where its first bytes do at the very end."""
        found = data.find(self._start, at)
        if found >= 0:
            return found
        for kept in range(min(len(self._start) - 1, len(data) - at), 0, -1):
            if data.endswith(self._start[:kept]):
                return len(data) - kept
        return len(data)

    def _frame_at(self, data: bytes, first: int) -> Frame | Fault | None:
        """The frame that begins there; what is wrong with it; None while it is not whole yet."""
        wanted: int | None = None
        plain = bytearray()
        end = first + len(self._start)
        for byte, behind in self._plain_bytes(data, end):
            if byte is None:
                wanted, end = len(plain), behind  # the end byte
                break
            plain.append(byte)
            end = behind
            if wanted is None and self.frames.length is not None:
                wanted = self._wanted(plain)
            if wanted is not None and (wanted < self._fixed or wanted > self.frames.longest):
                return Fault(first, f"a length of {wanted} bytes, which no frame has")
            if wanted is not None and len(plain) == wanted:
                break
            if len(plain) > self.frames.longest:
                return Fault(first, f"longer than {self.frames.longest} bytes without an end")
        if wanted is None or len(plain) < wanted:
            return None
        if self._end and self.frames.length is not None:
            if len(data) < end + len(self._end):
                return None
            if not data.startswith(self._end, end):
                return Fault(end, f"{data[end]:02X} where the end {self.frames.end} belongs")
            end += len(self._end)
        return self._whole(bytes(plain), first, end)

    def _whole(self, plain: bytes, first: int, end: int) -> Frame | Fault:
        size = len(plain) - self._fixed
        if size < 0:
            return Fault(first, f"only {len(plain)} bytes, {self._fixed} are needed")
        found = self._layout(size).parse(plain)
        frames = self.frames
        theirs = frames.address if frames.answer_address is None else frames.answer_address
        if frames.address is not None and found["address"] not in (frames.address, theirs):
            return Fault(first, f"address {found['address']:02X}, not {theirs:02X}")
        if frames.checksum is not None:
            own = checksum_of(frames.checksum, self._covered(plain, size))
            if own != found["checksum"]:
                digits = 2 * self._checksum_size
                return Fault(
                    end - self._checksum_size - len(self._end),
                    f"checksum {found['checksum']:0{digits}X}, computed {own:0{digits}X}",
                )
        return Frame(int(found["command"]), bytes(found["payload"]), first, end)

    # --- parts and their sizes ------------------------------------------------------------------------------

    @cached_property
    def _length_size(self) -> int:
        return 0 if self.frames.length is None else int(self.frames.length.type[1:]) // 8

    @cached_property
    def _checksum_size(self) -> int:
        return 0 if self.frames.checksum is None else width_of(self.frames.checksum) // 8

    def _layout(self, payload_size: int) -> Any:
        """The fields behind the start, for a payload of that many bytes."""
        checksum_order: Order = self.frames.checksum.order if self.frames.checksum is not None else "big"
        fields = {
            "address": construct.Int8ub,
            "command": construct.Int8ub,
            "length": _whole_number(self._length_size, self.frames.byte_order),
            "payload": construct.Bytes(payload_size),
            "checksum": _whole_number(self._checksum_size, checksum_order),
        }
        return construct.Struct(*(part / fields[part] for part in self._inner))

    def _counted(self, payload_size: int) -> int:
        assert self.frames.length is not None
        sizes = {**self._sizes, "payload": payload_size, "start": len(self._start), "end": len(self._end)}
        return sum(sizes[part] for part in self.frames.length.counts)

    def _wanted(self, plain: bytearray) -> int | None:
        """How many bytes the frame has behind its start, once its length is there."""
        assert self.frames.length is not None
        before = self._inner[: self._inner.index("length")]
        at = sum(self._sizes[part] for part in before)
        if len(plain) < at + self._length_size:
            return None
        told = int.from_bytes(plain[at : at + self._length_size], self.frames.byte_order) - self.frames.length.plus
        without = self._counted(0)
        return self._fixed + told - without if "payload" in self.frames.length.counts else self._fixed

    def _covered(self, plain: bytes, payload_size: int) -> bytes:
        """The bytes that the checksum is made of."""
        assert self.frames.checksum is not None
        over, at, found = self.frames.checksum.over, 0, b""
        sizes = {**self._sizes, "payload": payload_size}
        for part in self._inner:
            if part in over:
                found += plain[at : at + sizes[part]]
            at += sizes[part]
        return (self._start if "start" in over else b"") + found

    # --- bytes that do not stand for themselves ---------------------------------------------------------------

    def _escaped(self, plain: bytes) -> bytes:
        escape = self.frames.escape
        if escape is None:
            return plain
        special = {*bytes.fromhex(escape.of), escape.byte}
        return b"".join(bytes([escape.byte, one ^ escape.xor]) if one in special else bytes([one]) for one in plain)

    def _plain_bytes(self, data: bytes, at: int) -> Iterator[tuple[int | None, int]]:
        """Each byte that is meant, and where the next begins; None for the end byte of frames that have no length."""
        escape = self.frames.escape
        while at < len(data):
            if self._end and self.frames.length is None and data.startswith(self._end, at):
                yield None, at + len(self._end)
                return
            if escape is not None and data[at] == escape.byte:
                if at + 1 == len(data):
                    return
                yield data[at + 1] ^ escape.xor, at + 2
                at += 2
            else:
                yield data[at], at + 1
                at += 1


def _whole_number(size: int, order: Order) -> Any:
    return construct.BytesInteger(max(size, 1), swapped=order == "little")
