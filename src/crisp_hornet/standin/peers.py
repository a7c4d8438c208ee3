"""The controller's side of each kind of line that carries bytes."""

from __future__ import annotations

from typing import Protocol

from crisp_hornet.documents.kinds import CANOPEN, FRAMES
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.frames_peer import FramesPeer
from crisp_hornet.standin.modbus_peer import ModbusPeer
from crisp_hornet.standin.slcan_peer import SlcanPeer


class Peer(Protocol):
    """Bytes in, bytes out."""

    @property
    def wrote(self) -> bool:
        """Whether the last question was a write that was carried out."""

    def receive(self, data: bytes) -> bytes:
        """Bytes from the line; returns what is answered."""

    def unasked(self) -> bytes:
        """What is said by itself, a few dozen times a second."""


def peer_of(controller: SimulatedController, tcp: bool = False) -> Peer:
    """The peer that its description asks for."""
    if controller.map.line.kind == FRAMES:
        return FramesPeer(controller)
    if controller.map.line.kind == CANOPEN:
        return SlcanPeer(controller)
    return ModbusPeer(controller, tcp)
