"""A CAN adapter on a serial port, with the node behind it: messages as lines of text (slcan)."""

from __future__ import annotations

import time

from crisp_hornet.standin.can_node import CanNode, Message
from crisp_hornet.standin.controller import SimulatedController

DONE, NO = b"\r", b"\a"


class SlcanPeer:
    """Lines in, lines out."""

    def __init__(self, controller: SimulatedController) -> None:
        self._node = CanNode(controller)
        self._waiting = b""
        self._open = False

    @property
    def wrote(self) -> bool:
        """Whether the last message was a write that was carried out."""
        return self._node.wrote

    def receive(self, data: bytes) -> bytes:
        """Text from the serial port; returns what comes back."""
        *lines, self._waiting = (self._waiting + data).split(b"\r")
        self._waiting = self._waiting[-64:]
        return b"".join(self._line(line) for line in lines)

    def unasked(self) -> bytes:
        """What the node says by itself."""
        return b"".join(map(_text, self._node.due(time.monotonic()))) if self._open else b""

    def _line(self, line: bytes) -> bytes:
        if not line:
            return b""
        kind, rest = line[:1], line[1:]
        if kind in (b"O", b"L", b"C"):
            self._open = kind != b"C"
            return DONE
        if kind == b"t" and self._open:
            try:
                identifier, size = int(rest[:3], 16), int(rest[3:4], 16)
                data = bytes.fromhex(rest[4 : 4 + 2 * size].decode("ascii"))
            except (ValueError, UnicodeDecodeError):
                return NO
            return b"z\r" + b"".join(map(_text, self._node.take(identifier, data)))
        return DONE if kind in b"SsZXY" else NO


def _text(message: Message) -> bytes:
    identifier, data = message
    return f"t{identifier:03X}{len(data)}{data.hex().upper()}\r".encode("ascii")
