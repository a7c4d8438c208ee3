"""One node on a CAN bus: service data objects (SDO) as questions, everything else taken in as it comes.

The library's client speaks the protocol; this side pumps the bus itself instead of leaving that to a thread, so that a question and its
answer stay one after the other. The library checks neither that an acknowledged download was the one that was asked for, nor that a late
answer about the same object is late: both are seen to here. After any trouble an object that nothing else asks for is read until its own
answer comes. Source: CiA 301, CANopen application layer, SDO protocol.
"""

from __future__ import annotations

import struct
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any, Protocol

import can
from canopen import Network, ObjectDictionary, SdoAbortedError, SdoCommunicationError
from canopen.sdo.client import SdoClient

from crisp_hornet.documents.register import Object
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled

SILENT = "no answer came in time"
AGAIN = "Check plug and power, then connect again."
DOWN, UP, LATE = 0x600, 0x580, 1.0
LEAST_LATE_S, MOST_LATE_S, MOST_ANSWER_S = 0.6, 3.0, 5.0
SYNC: Object = (0x1018, 0)  # how many numbers its identity has: nothing else asks for it
SYNC_TRIES, TRIES = 4, 3
MOST_WAITING = 4096
ABORTS = {
    0x0601_0002: ("it is read only", "Check that the description fits."),
    0x0602_0000: ("it has no such object", "Check that the description fits."),
    0x0604_0043: ("it does not take this value", "Choose a value inside the controller's range."),
    0x0606_0000: (
        "it could not do so: often its supply is too low",
        "Charge the pack, power it off and on, then read its faults.",
    ),
    0x0609_0011: ("it has no such object", "Check that the description fits."),
    0x0609_0030: ("it does not take this value", "Choose a value inside the controller's range."),
    0x0800_0022: ("it is busy: the wheel turns or the throttle is open", "Let the wheel stop and close the throttle."),
}


class Bus(Protocol):
    """What is needed of a bus of the library's."""

    def send(self, msg: Any, timeout: float | None = None) -> None:
        """Put a message on the bus."""

    def recv(self, timeout: float | None = None) -> Any:
        """The next message, or None."""

    def shutdown(self) -> None:
        """Let go of it."""


class CanWire:
    """Questions to the node ``node``. ``heard``: called with the identifier and data of what else it says."""

    def __init__(self, address: str, bus: Bus, node: int, answer_s: float) -> None:
        self.address, self.node, self.answer_s = address, node, answer_s
        self.troubles = 0
        self._bus, self._network = bus, Network(bus)  # type: ignore[arg-type]
        self._client = _Client(self)
        self._client.network = self._network
        self._heard: dict[int, Callable[[bytes], None]] = {}
        self.gone = False
        self._in_step = True
        self._last: tuple[str, Object] | None = None

    def hear(self, identifier: int, what: Callable[[bytes], None]) -> None:
        """Call ``what`` with the data of each message of this identifier."""
        self._heard[identifier] = what

    def upload(self, what: str, place: Object, block: bool = False) -> bytes:
        """What an object holds. ``block``: in blocks, where it is long and the node can."""
        for tries_left in reversed(range(TRIES)):
            try:
                return bytes(self._asked(what, ("up", place), lambda: self._client.take(place, block)))
            except (LineDead, LineGarbled):
                if self.gone or not tries_left:
                    raise
        raise AssertionError("unreachable")

    def download(self, what: str, place: Object, data: bytes) -> None:
        """Set an object, once."""
        self._asked(what, ("down", place), lambda: self._client.download(*place, data))

    def command(self, state: int) -> None:
        """A command of the network management (NMT) to this node."""
        self.guarded("Starting the node", lambda: self._network.send_message(0, bytes([state, self.node])))

    def in_step(self) -> bool:
        """Ask what nothing else asks: whether its own answer comes, and nothing before it."""
        before = self.troubles
        try:
            self._asked("Asking once more", ("up", SYNC), lambda: self._client.take(SYNC, False))
        except AnsweredNo:
            pass
        except (LineDead, LineGarbled):
            if self.gone:
                raise
        return self.troubles == before

    def pump(self, within_s: float) -> bool:
        """Take in the next message that comes in time; whether one came."""
        message = self.guarded("Listening", lambda: self._bus.recv(max(within_s, 0.0)))
        if message is None:
            return False
        if message.is_error_frame:
            self.troubles += 1
        elif message.arbitration_id == UP + self.node:
            if len(message.data) == 8:
                self._client.responses.put(bytes(message.data))
        elif (heard := self._heard.get(message.arbitration_id)) is not None:
            heard(bytes(message.data))
        return True

    def drain(self) -> None:
        """Take in what lies waiting."""
        for _ in range(MOST_WAITING):
            if not self.pump(0.0):
                return

    def close(self) -> None:
        """Let go of the bus."""
        if not self.gone:
            self.gone = True
            with suppress(can.CanError, OSError):  # an adapter that was unplugged cannot be told
                self._bus.shutdown()

    def guarded(self, what: str, work: Callable[[], Any]) -> Any:
        """Do something with the bus; what the adapter reports loses it."""
        if self.gone:
            raise LineDead(what, "the connection was lost", "Connect again.")
        try:
            return work()
        except (
            can.CanError,
            OSError,
            ValueError,
            IndexError,
        ) as error:  # the last two: an adapter's text that is cut off
            self.close()
            why = str(error).strip().rstrip(".") or type(error).__name__
            raise LineDead(
                what,
                f"the CAN adapter reports: {why[:120]}",
                "Check adapter, wiring and terminators, then connect again.",
            ) from None

    def _asked(self, what: str, question: tuple[str, Object], ask: Callable[[], Any]) -> Any:
        self.drain()
        if not self._client.responses.empty():
            self._lost_step()  # an answer nobody waits for: one before it was perhaps another's
        if not self._in_step or (question == self._last and question[1] != SYNC):
            self._step_in(what)  # the same again: the first one's answer, come twice, must not pass for the second's
        self._last = question
        return self._answer_to(what, ask)

    def _answer_to(self, what: str, ask: Callable[[], Any]) -> Any:
        asked_at = time.monotonic()
        self._client.clear()
        try:
            return ask()
        except SdoAbortedError as abort:
            why, mend = ABORTS.get(abort.code, (f"it answered with abort {abort.code:08X}", "Read its faults."))
            raise AnsweredNo(what, why, mend, abort.code) from None
        except SdoCommunicationError as error:
            self._lost_step()
            if time.monotonic() - asked_at >= 0.9 * self.answer_s:
                self._wait_for_the_late_one(asked_at)
                raise LineDead(what, SILENT, AGAIN) from None
            raise LineGarbled(
                what, f"the answer does not fit ({error})", "What it holds is read back before anything else is done."
            ) from None

    def _step_in(self, what: str) -> None:
        for _ in range(SYNC_TRIES):
            before = self.troubles
            try:
                self._answer_to(what, lambda: self._client.take(SYNC, False))
            except AnsweredNo:
                pass
            except LineGarbled:
                continue
            if self.troubles == before:
                self._in_step = True
                return
        raise LineGarbled(
            what, "its answers do not follow the questions", "Check wiring and terminators, then connect again."
        )

    def _lost_step(self) -> None:
        self.troubles += 1
        self._in_step = False

    def strange(self) -> None:
        """An answer came that was to another question."""
        self._lost_step()

    def _wait_for_the_late_one(self, asked_at: float) -> None:
        """Listen on, throw the late answer away, and from then on allow as much time as it took, and half more."""
        until = time.monotonic() + min(max(LATE * self.answer_s, LEAST_LATE_S), MOST_LATE_S)
        while (left := until - time.monotonic()) > 0:
            self.pump(left)
            if not self._client.responses.empty():
                self._client.clear()
                self.answer_s = min(max(self.answer_s, 1.5 * (time.monotonic() - asked_at) + 0.1), MOST_ANSWER_S)
                return


class _Client(SdoClient):
    """The library's client, fed by our own pump, and strict about which object an answer names."""

    def __init__(self, wire: CanWire) -> None:
        super().__init__(DOWN + wire.node, UP + wire.node, ObjectDictionary())  # type: ignore[no-untyped-call]
        self._wire = wire
        self._object: tuple[int, int] | None = None

    def clear(self) -> None:
        """Forget what came."""
        while not self.responses.empty():
            self.responses.get_nowait()

    def take(self, place: Object, block: bool) -> bytes:
        """Upload an object."""
        if not block:
            return bytes(self.upload(*place))
        stream: Any = self.open(*place, "rb", buffering=0, block_transfer=True)  # type: ignore[no-untyped-call]
        with stream:
            return bytes(stream.readall())

    def send_request(self, request: bytes) -> None:
        """A request on the bus; an initiating one names the object that the answer must name."""
        command, index, sub = struct.unpack_from("<BHB", request)
        self._object = (index, sub) if command & 0xE0 in (0x20, 0x40) or command & 0xE3 == 0xA0 else None
        self._wire.guarded("Asking the node", lambda: self.network.send_message(self.rx_cobid, request))

    def read_response(self) -> bytes:
        """The next answer that fits, pumped from the bus."""
        until = time.monotonic() + self._wire.answer_s
        while True:
            while self.responses.empty():
                left = until - time.monotonic()
                if left <= 0:
                    raise SdoCommunicationError("No SDO response received")
                self._wire.pump(left)
            response = self.responses.get_nowait()
            if self._object is None or struct.unpack_from("<HB", response, 1) == self._object:
                break
            self._wire.strange()
        if response[0] == 0x80:
            raise SdoAbortedError(struct.unpack_from("<L", response, 4)[0])
        return bytes(response)

    def abort(self, abort_code: int = 0x0800_0000) -> None:
        """Tell the node that a transfer is given up."""
        self._object = None
        request = bytes([0x80, 0, 0, 0]) + abort_code.to_bytes(4, "little")
        self._wire.guarded("Asking the node", lambda: self.network.send_message(self.rx_cobid, request))
