"""A description of frames tried without a controller: the bytes of its questions, and sample answers taken apart, errors by offset.

A sample is a line: ``ask identity``, ``ask live``, ``ask page NAME``, ``ask ACT`` (keep, clear_faults …) for the bytes of a question;
``write PAGE NAME=VALUE … from HEX`` for the bytes of a write into the page HEX; and bytes in hex for an answer.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from crisp_hornet.documents.acts import Act, Ask
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import Block, Frames
from crisp_hornet.link.difference import said
from crisp_hornet.link.lines.frames.codec import Codec, Frame
from crisp_hornet.link.lines.frames.line import identity_in
from crisp_hornet.link.lines.frames.pages import is_sound, raw_in, sealed, with_raw

HEX = re.compile(r"^[0-9A-Fa-f]{2}([ ,:]?[0-9A-Fa-f]{2})*$")
MOST_BYTES = 8192


class Trying:
    """Takes samples, gives lines of text. Raises :class:`ValueError` for a sample that makes no sense."""

    def __init__(self, described: ControllerMap) -> None:
        if described.frames is None:
            raise ValueError(f"{described.name} is no description of frames: its line is {described.line.kind}")
        self._map, self._codec, self._frames = described, Codec(described.frames), described.frames

    @property
    def questions(self) -> dict[str, Ask]:
        """All that can be asked, by the name it has in a sample."""
        found: dict[str, Ask] = {}
        if self._map.identity.ask is not None:
            found["identity"] = self._map.identity.ask
        if self._map.telemetry is not None and self._map.telemetry.ask is not None:
            found["live"] = self._map.telemetry.ask
        found |= {f"page {block.name}": block.read for block in self._map.block}
        for act in Act:
            command = self._map.command_of(act)
            if command is not None and command.ask is not None:
                found[act.value] = command.ask
        return found

    def take(self, sample: str) -> Iterator[str]:
        """What a sample comes to, line by line."""
        text = sample.split("#", maxsplit=1)[0].strip()
        word, _, rest = text.partition(" ")
        if word == "ask":
            yield self._question(rest.strip())
        elif word == "write":
            yield from self._write(rest)
        elif HEX.match(text) and len(text) <= 3 * MOST_BYTES:
            yield from self._answer(bytes.fromhex(re.sub(r"[ ,:]", "", text)))
        elif text:
            raise ValueError(f"{text[:60]!r} is neither ask, write nor bytes in hex")

    def _question(self, name: str) -> str:
        ask = self.questions.get(name)
        if ask is None:
            raise ValueError(f"there is no question {name!r}; there are: {', '.join(self.questions)}")
        return f"{name}: {_hex(self._codec.build(ask.command, ask.sent))}"

    def _write(self, rest: str) -> Iterator[str]:
        head, _, page_hex = rest.partition(" from ")
        name, *changes = head.split()
        block = next((one for one in self._map.block if one.name == name), None)
        if block is None or block.write is None:
            raise ValueError(f"there is no page {name!r} that is written")
        page = bytes.fromhex(page_hex) if HEX.match(page_hex.strip()) else b""
        if len(page) != block.length:
            raise ValueError(f"page {name} has {block.length} bytes, {len(page)} stand behind from")
        for change in changes:
            setting, _, value = change.partition("=")
            register = self._map.register(setting)
            if register is None or register.block != name:
                raise ValueError(f"page {name} holds no {setting!r}")
            raw = register.encode(None if value == "none" else float(value))
            page = with_raw(page, register.at or 0, register, self._frames.byte_order, raw)
        page = sealed(page, block)
        yield f"page {name} becomes: {_hex(page)}"
        yield f"write {name}: {_hex(self._codec.build(block.write.command, block.write.sent + page))}"

    def _answer(self, data: bytes) -> Iterator[str]:
        at = 0
        while at < len(data):
            frame, used, faults = self._codec.take(data[at:])
            yield from (f"byte {at + one.at}: {one.text}" for one in faults)
            if frame is None:
                if at + used < len(data):
                    yield f"byte {at + used}: a frame begins here and is not whole: {len(data) - at - used} bytes"
                elif not faults:
                    yield f"byte {at}: no frame begins here"
                return
            if frame.first:
                yield f"byte {at}: {frame.first} bytes that belong to no frame"
            yield f"byte {at + frame.first}: command {frame.command:02X}, payload of {len(frame.payload)}: {_hex(frame.payload)}"
            yield from self._meant(frame)
            at += used

    def _meant(self, frame: Frame) -> Iterator[str]:
        """What the frame answers, and what is in it."""
        refusal = self._frames.refusal
        if refusal is not None and frame.command == refusal.command:
            code = frame.payload[0] if frame.payload else 0
            yield f"  a refusal: {refusal.codes.get(str(code), f'code {code}')}"
            return
        live = self._map.telemetry
        heard = {"live, unasked": live.heard} if live is not None and live.heard is not None else {}
        for name, ask in {**self.questions, **heard}.items():
            command = ask.command if name in heard else ask.answered_by
            if frame.command == command and frame.payload.startswith(ask.begins):
                yield f"  fits {name}"
                yield from self._inside(name, frame.payload[len(ask.begins) :])
                return
        yield "  fits no answer of this description"

    def _inside(self, name: str, data: bytes) -> Iterator[str]:
        if name == "identity":
            who = identity_in(data, self._map)
            yield f"  product {who.product!r}, firmware {who.firmware!r}, serial number {who.serial!r}"
            if who.product != self._map.identity.product:
                yield f"  the description wants product {self._map.identity.product!r}"
        elif name.startswith("live"):
            yield from self._live(data)
        elif name.startswith("page "):
            yield from _page(self._map, self._frames, self._map.block_of(name.removeprefix("page ")), data)

    def _live(self, data: bytes) -> Iterator[str]:
        for one in self._map.channels:
            at = one.at or 0
            if at + one.size > len(data):
                yield f"  {at:3d}  {one.name}: the payload ends before it"
            else:
                raw = raw_in(data, at, one, self._frames.byte_order)
                yield f"  {at:3d}  {_hex(data[at : at + one.size])}  {one.name} {one.value_of(raw):g} {one.unit}".rstrip()


def _page(described: ControllerMap, frames: Frames, block: Block, data: bytes) -> Iterator[str]:
    if len(data) != block.length:
        yield f"  {len(data)} bytes of page {block.name}, {block.length} are described"
    if len(data) >= block.length and not is_sound(data[: block.length], block):
        yield f"  the page's own checksum does not fit: {_hex(sealed(data[: block.length], block))} would"
    for one in described.register_list:
        at = one.at or 0
        if one.block != block.name or at + one.size > len(data):
            continue
        raw = raw_in(data, at, one, frames.byte_order)
        yield f"  {at:3d}  {_hex(data[at : at + one.size])}  {one.label} {said(one, one.decode(raw))}"


def _hex(data: bytes) -> str:
    return data.hex(" ").upper()
