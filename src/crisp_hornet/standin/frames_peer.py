"""The controller's side of a line with frames of its own. Written from the description alone, byte by byte: it shares no code with the
application's side of the line.
"""

from __future__ import annotations

from crisp_hornet.documents.acts import Act, Ask
from crisp_hornet.documents.kinds import Block, Checksum
from crisp_hornet.documents.register import Coded
from crisp_hornet.standin.controller import ILLEGAL_ADDRESS, ILLEGAL_VALUE, Refusal, SimulatedController

UNSAID = 0x5C  # what stands in the bytes of a page that no description tells of


class FramesPeer:
    """Takes bytes, answers whole questions, and says unasked what its description lets it say."""

    def __init__(self, controller: SimulatedController) -> None:
        frames = controller.map.frames
        assert frames is not None  # made for such descriptions only
        self._controller, self._frames = controller, frames
        self._waiting = b""
        self._unsaid = {block.name: bytes([UNSAID]) * block.length for block in controller.map.block}
        self.wrote = False

    def receive(self, data: bytes) -> bytes:
        """Bytes from the line; returns the answer's bytes, if a question is complete."""
        self.wrote = False
        if self._controller.off or self._controller.bike.state.bms_open:
            self._waiting = b""
            return b""
        self._controller.catch_up()
        self._waiting = (self._waiting + data)[-2 * self._frames.longest :]
        answer = data if self._frames.echo else b""
        while (found := self._question()) is not None:
            answer += self._answer(*found)
        return answer

    def unasked(self) -> bytes:
        """What it says by itself."""
        live = self._controller.map.telemetry
        if live is None or live.heard is None or self._controller.off or self._controller.bike.state.bms_open:
            return b""
        return self._frame(live.heard.command, live.heard.begins + self._live(live.bytes_long))

    # --- questions and answers ----------------------------------------------------------------------------------

    def _answer(self, command: int, payload: bytes) -> bytes:
        try:
            return self._do(command, payload)
        except Refusal as refused:
            refusal = self._frames.refusal
            return b"" if refusal is None else self._frame(refusal.command, bytes([refused.code]))

    def _do(self, command: int, payload: bytes) -> bytes:
        described = self._controller.map
        who = described.identity.ask
        if who is not None and (command, payload) == (who.command, who.sent):
            return self._say(who, self._identity())
        live = described.telemetry
        if live is not None and live.ask is not None and (command, payload) == (live.ask.command, live.ask.sent):
            return self._say(live.ask, self._live(live.bytes_long))
        for block in described.block:
            if (command, payload) == (block.read.command, block.read.sent):
                return self._say(block.read, self._page(block))
            write = block.write
            if write is not None and command == write.command and payload.startswith(write.sent):
                self._take_page(block, payload[len(write.sent) :])
                self.wrote = True
                return self._say(write, b"")
        for act in Act:
            asked = described.command_of(act)
            if (
                asked is not None
                and asked.ask is not None
                and (command, payload) == (asked.ask.command, asked.ask.sent)
            ):
                self._controller.act(act)
                self.wrote = True
                return self._say(asked.ask, b"")
        raise Refusal(ILLEGAL_ADDRESS)

    def _say(self, ask: Ask, data: bytes) -> bytes:
        return b"" if ask.silent else self._frame(ask.answered_by, ask.begins + data)

    def _identity(self) -> bytes:
        told, c = self._controller.map.identity, self._controller
        places = [(told.product_at, told.product), (told.firmware_at, c.firmware), (told.serial_at, c.serial)]
        payload = bytearray(max(place.at + place.length for place, _ in places if place is not None))
        for place, text in places:
            if place is not None:
                payload[place.at : place.at + place.length] = text.encode("ascii")[: place.length].ljust(
                    place.length, b"\0"
                )
        return bytes(payload)

    def _live(self, length: int) -> bytes:
        payload = bytearray(length)
        for channel, raw in self._controller.live_raws():
            _put(payload, channel.at or 0, channel, raw, self._frames.byte_order)
        return bytes(payload)

    def _page(self, block: Block) -> bytes:
        page = bytearray(self._unsaid[block.name])
        for register in self._controller.map.register_list:
            if register.block == block.name:
                raw = self._controller.raw(register.name)
                _put(page, register.at or 0, register, raw, self._frames.byte_order)
        if block.checksum is not None:
            place, size = block.checksum.at, block.checksum.width // 8
            told = _checksum(block.checksum, bytes(page[block.checksum.first :][: block.checksum.count]))
            page[place : place + size] = told.to_bytes(size, block.checksum.order)
        return bytes(page)

    def _take_page(self, block: Block, page: bytes) -> None:
        """All of a page or nothing of it."""
        if len(page) != block.length:
            raise Refusal(ILLEGAL_VALUE)
        if block.checksum is not None:
            place, size = block.checksum.at, block.checksum.width // 8
            told = _checksum(block.checksum, page[block.checksum.first :][: block.checksum.count])
            if page[place : place + size] != told.to_bytes(size, block.checksum.order):
                raise Refusal(ILLEGAL_VALUE)
        changed = []
        for register in self._controller.map.register_list:
            if register.block == block.name:
                raw = _get(page, register.at or 0, register, self._frames.byte_order)
                if raw != self._controller.raw(register.name):
                    self._controller.check(register, raw)
                    changed.append((register, raw))
        for register, raw in changed:
            self._controller.write(register, raw)
        self._unsaid[block.name] = page

    # --- the envelope -------------------------------------------------------------------------------------------

    def _frame(self, command: int, payload: bytes) -> bytes:
        frames = self._frames
        address = frames.address if frames.answer_address is None else frames.answer_address
        inside = {"command": bytes([command]), "payload": payload, "start": b"", "end": b"", "checksum": b""}
        if address is not None:
            inside["address"] = bytes([address])
        if frames.length is not None:
            inside["length"] = self._length(len(payload))
        if frames.checksum is not None:
            start = {"start": bytes.fromhex(frames.start)}
            over = b"".join({**inside, **start}[part] for part in frames.parts if part in frames.checksum.over)
            inside["checksum"] = _checksum(frames.checksum, over).to_bytes(
                frames.checksum.width // 8, frames.checksum.order
            )
        plain = b"".join(inside[part] for part in frames.parts)
        return bytes.fromhex(frames.start) + self._escape(plain) + bytes.fromhex(frames.end)

    def _length(self, payload_size: int) -> bytes:
        length = self._frames.length
        assert length is not None
        size = int(length.type[1:]) // 8
        count = sum(self._size(part, payload_size) for part in length.counts) + length.plus
        return count.to_bytes(size, self._frames.byte_order)

    def _size(self, part: str, payload_size: int) -> int:
        frames = self._frames
        return {
            "start": len(bytes.fromhex(frames.start)),
            "end": len(bytes.fromhex(frames.end)),
            "address": 1,
            "command": 1,
            "length": 0 if frames.length is None else int(frames.length.type[1:]) // 8,
            "payload": payload_size,
            "checksum": 0 if frames.checksum is None else frames.checksum.width // 8,
        }[part]

    def _escape(self, plain: bytes) -> bytes:
        escape = self._frames.escape
        if escape is None:
            return plain
        out = bytearray()
        for one in plain:
            if one == escape.byte or one in bytes.fromhex(escape.of):
                out += bytes([escape.byte, one ^ escape.xor])
            else:
                out.append(one)
        return bytes(out)

    def _question(self) -> tuple[int, bytes] | None:
        """The next whole sound question; bytes before it are dropped."""
        for first in range(len(self._waiting)):
            for last in range(first + 2, len(self._waiting) + 1):
                found = self._sound(self._waiting[first:last])
                if found is not None:
                    self._waiting = self._waiting[last:]
                    return found
        return None

    def _sound(self, raw: bytes) -> tuple[int, bytes] | None:
        """Command and payload, if these bytes are exactly one question."""
        frames = self._frames
        start, end = bytes.fromhex(frames.start), bytes.fromhex(frames.end)
        if not raw.startswith(start) or not raw.endswith(end) or len(raw) < len(start) + len(end):
            return None
        plain = self._unescape(raw[len(start) : len(raw) - len(end)])
        size = len(plain) - sum(self._size(part, 0) for part in frames.parts if part not in ("start", "end"))
        if size < 0:
            return None
        parts, at = {"start": b"", "end": b""}, 0
        for part in frames.parts:
            if part not in ("start", "end"):
                parts[part] = plain[at : at + self._size(part, size)]
                at += self._size(part, size)
        wrong = "length" in parts and parts["length"] != self._length(size)
        wrong |= "address" in parts and frames.address is not None and parts["address"] != bytes([frames.address])
        if frames.checksum is not None and not wrong:
            over = b"".join({**parts, "start": start}[part] for part in frames.parts if part in frames.checksum.over)
            told = _checksum(frames.checksum, over).to_bytes(frames.checksum.width // 8, frames.checksum.order)
            wrong |= parts["checksum"] != told
        return None if wrong else (parts["command"][0], parts["payload"])

    def _unescape(self, raw: bytes) -> bytes:
        escape = self._frames.escape
        if escape is None:
            return raw
        out, skip = bytearray(), False
        for at, one in enumerate(raw):
            if skip:
                skip = False
            elif one == escape.byte and at + 1 < len(raw):
                out.append(raw[at + 1] ^ escape.xor)
                skip = True
            else:
                out.append(one)
        return bytes(out)


def _put(page: bytearray, at: int, coded: Coded, raw: int, order: str) -> None:
    """A raw number into its bytes, or into its bits of them."""
    size = coded.size
    places = [at + k if order == "little" else at + size - 1 - k for k in range(size)]  # the lowest byte first
    first, count = (0, 8 * size) if coded.bit is None else (coded.bit, coded.bits)
    for bit in range(count):
        place, mask = places[(first + bit) // 8], 1 << (first + bit) % 8
        page[place] = page[place] | mask if raw >> bit & 1 else page[place] & ~mask


def _get(page: bytes, at: int, coded: Coded, order: str) -> int:
    size = coded.size
    places = [at + k if order == "little" else at + size - 1 - k for k in range(size)]
    first, count = (0, 8 * size) if coded.bit is None else (coded.bit, coded.bits)
    return sum((page[places[(first + bit) // 8]] >> (first + bit) % 8 & 1) << bit for bit in range(count))


def _checksum(described: Checksum, data: bytes) -> int:
    """Bit by bit, as textbooks write it down (Ross Williams, A painless guide to CRC error detection algorithms, 1993)."""
    if described.kind == "xor":
        found = 0
        for one in data:
            found ^= one
        return found
    mask = (1 << described.width) - 1
    if described.kind == "sum":
        total = sum(data) & mask
        return -total & mask if described.negated else total
    found, top = described.init, 1 << described.width - 1
    for one in data:
        bits = int(f"{one:08b}"[::-1], 2) if described.reflect_in else one
        found ^= bits << described.width - 8
        for _ in range(8):
            found = (found << 1 ^ described.poly if found & top else found << 1) & mask
    if described.reflect_out:
        found = int(f"{found:0{described.width}b}"[::-1], 2)
    return found ^ described.xor_out
