"""A controller at the other end of a wire in virtual time: late, laggy, doubled, lost, swapped and lying, thousands of times a minute.

The application's own line, session and send run unchanged; only the clock and the bytes are missing. Questions and answers are the
library's own messages. Frames arrive in their order unless one is held back; the first that has arrived answers whatever was asked,
as on a serial line.
"""

import itertools
from types import SimpleNamespace

import can
import pymodbus.pdu.file_message as files
import pymodbus.pdu.mei_message as mei
import pymodbus.pdu.register_message as registers
from pymodbus.exceptions import ModbusIOException

from crisp_hornet.demo import HERON
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike
from crisp_hornet.link import contact, gate, operations, send, session
from crisp_hornet.link.lines import canopen, frames, modbus_finding, modbus_wire
from crisp_hornet.link.lines.canopen import line as can_line
from crisp_hornet.link.lines.canopen import wire as can_wire
from crisp_hornet.link.lines.frames import wire as frames_wire
from crisp_hornet.standin import controller as simulated
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.peers import peer_of
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.truth import true_bike

BIKE, WEIR, CULVERT = read_bike(HERON), shipped_map("Weir 60"), shipped_map("Culvert 50")
EXCHANGE_S, FLIGHT_S, PDO_S = (
    0.004,
    0.001,
    0.05,
)  # PDOs less often than in truth: the simulation takes its time for each


class Clock:
    def __init__(self):
        self.now = 100.0

    def monotonic(self):
        return self.now

    def sleep(self, seconds):
        self.now += max(seconds, 1e-4)


class VirtualController:
    """One simulated controller with its faults: ``act`` is called before each question that it carries out."""

    def __init__(self, clock, controller_map=WEIR, serial="TW60-00417"):
        self.clock = clock
        self.hands = Hands()
        self.bike = SimulatedBike(true_bike(BIKE))
        self.it = simulated.SimulatedController(controller_map, self.bike, self.hands)
        self.it.serial = serial
        self.peer = peer_of(self.it)
        self.dead = False

    def answer(self, question):
        """What comes back: to bytes bytes, to a message of the library's one."""
        self.it.catch_up()
        if isinstance(question, can.Message):
            return self.node.take(question.arbitration_id, bytes(question.data))
        return self.peer.receive(question) if isinstance(question, bytes) else self.peer._answer(question)

    @property
    def node(self):
        return self.peer._node

    def holds(self, kept=False):
        self.it.catch_up()
        return self.it.values(kept)


class Wire:
    """A transport and its client. ``spoil(number, question, answer)`` gives the pieces that come back: delay (s) and answer."""

    quiet_s, address = 0.03, "virtual"

    def __init__(self, clock, controllers, answer_s=1.0, spoil=None, before=None):
        self.clock, self.controllers = clock, controllers  # by device address
        self.comm_params = SimpleNamespace(timeout_connect=answer_s)
        self.spoil = spoil or (lambda number, question, answer: [(0.0, answer)])
        self.before = before or (lambda number, question: None)
        self.alive = True
        self.waits = []  # (arrives at, order, answer)
        self.count, self._order = 0, itertools.count()

    @property
    def client(self):
        return self

    def open(self):
        self.alive, self.waits = True, []

    def close(self):
        self.alive = False

    def waiting(self):
        if not self.alive:
            raise OSError("the port is closed")
        came = [one for one in self.waits if one[0] <= self.clock.now]
        self.waits = [one for one in self.waits if one[0] > self.clock.now]
        return len(came)

    def _carry(self, question, device):
        if not self.alive:
            raise OSError("the port is gone")
        self.count += 1
        self.clock.now += EXCHANGE_S
        self.before(self.count, question)
        if not self.alive:
            raise OSError("the port is gone")
        one = self.controllers.get(device)
        if one is not None and not one.it.off and (answer := one.answer(question)):
            for delay_s, piece in self.spoil(self.count, question, answer):
                self.waits.append((self.clock.now + FLIGHT_S + delay_s, next(self._order), piece))
        self.waits.sort(key=lambda wait: wait[:2])

    def _next(self, within_s):
        """The first piece that arrives in time, or None."""
        if not self.alive:
            raise OSError("the port is gone")
        until = self.clock.now + within_s
        if not self.waits or self.waits[0][0] > until:
            self.clock.now = until
            return None
        arrives, _, piece = self.waits.pop(0)
        self.clock.now = max(self.clock.now, arrives)
        return piece

    def send(self, data):
        self._carry(data, next(iter(self.controllers), None))

    def receive(self, within_s):
        return self._next(within_s) or b""

    def _ask(self, question, device):
        self._carry(question, device)
        answer = self._next(self.comm_params.timeout_connect)
        if answer is None:
            raise ModbusIOException("no answer")
        return answer

    def read_holding_registers(self, address, count, device_id):
        return self._ask(registers.ReadHoldingRegistersRequest(address=address, count=count), device_id)

    def read_input_registers(self, address, count, device_id):
        return self._ask(registers.ReadInputRegistersRequest(address=address, count=count), device_id)

    def write_register(self, address, value, device_id):
        return self._ask(registers.WriteSingleRegisterRequest(address=address, registers=[value]), device_id)

    def write_registers(self, address, values, device_id):
        return self._ask(registers.WriteMultipleRegistersRequest(address=address, registers=values), device_id)

    def read_device_information(self, read_code, object_id, device_id):
        return self._ask(mei.ReadDeviceInformationRequest(read_code=read_code, object_id=object_id), device_id)

    def read_file_record(self, records, device_id):
        return self._ask(files.ReadFileRecordRequest(records), device_id)

    def write_file_record(self, records, device_id):
        return self._ask(files.WriteFileRecordRequest(records), device_id)


class CanBus(Wire):
    """A bus in place of a serial line: answers are lists of messages, and the node says its live values by itself."""

    def __init__(self, clock, controllers, **more):
        super().__init__(clock, controllers, **more)
        self._ready, self._said_at = [], clock.now

    def send(self, msg, timeout=None):
        self._carry(msg, next(iter(self.controllers), None))

    def recv(self, timeout=None):
        if not self.alive:
            raise can.CanOperationError("the adapter is gone")
        until = self.clock.now + (timeout or 0.0)
        while not self._ready:
            answers_at = self.waits[0][0] if self.waits else float("inf")
            speaks_at = max(self._said_at + PDO_S, self.clock.now if self.clock.now > self._said_at + PDO_S else 0.0)
            if min(answers_at, speaks_at) > until:
                self.clock.now = until
                return None
            self.clock.now = max(self.clock.now, min(answers_at, speaks_at))
            if answers_at <= speaks_at:
                self._ready = list(self.waits.pop(0)[2])
            else:
                self._said_at = self.clock.now
                self._ready = [one for each in self.controllers.values() for one in each.node.due(self.clock.now)]
        identifier, data = self._ready.pop(0)
        return can.Message(arbitration_id=identifier, data=data, is_extended_id=False)

    def shutdown(self):
        self.alive = False


def wire_for(clock, described, controllers):
    return (CanBus if described.line.kind == "canopen" else Wire)(clock, controllers)


def in_virtual_time(monkeypatch):
    """The clock that the line, the send and the simulated controller go by from now on."""
    clock = Clock()
    for module in (modbus_wire, frames_wire, can_wire, can_line, gate, send, operations, contact, simulated):
        monkeypatch.setattr(module, "time", clock)
    return clock


def reached(monkeypatch, wire):
    """Whatever port is opened, it is this wire."""
    for module in (modbus_finding, frames):
        monkeypatch.setattr(module, "transport_to", lambda *_: wire)
    monkeypatch.setattr(canopen, "open_bus", lambda *_: wire.open() or wire)


def open_on(monkeypatch, wire, maps=(WEIR,), expected=None, journal=None, hands=False):
    reached(monkeypatch, wire)
    port = "can://virtual/bus" if isinstance(wire, CanBus) else "virtual"
    return session.open_session(port, list(maps), expected, journal, hands, lambda _text: None)


__all__ = ["BIKE", "WEIR", "Clock", "VirtualController", "Wire", "gate", "in_virtual_time", "open_on", "reached"]
