"""A controller at the other end of a wire in virtual time: late, laggy, doubled, lost, swapped and lying, thousands of times a minute.

The application's own line, session and send run unchanged; only the clock and the bytes are missing. Questions and answers are the
library's own messages. Frames arrive in their order unless one is held back; the first that has arrived answers whatever was asked,
as on a serial line.
"""

import itertools
from types import SimpleNamespace

import pymodbus.pdu.file_message as files
import pymodbus.pdu.mei_message as mei
import pymodbus.pdu.register_message as registers
from pymodbus.exceptions import ModbusIOException

from crisp_hornet.demo import HERON
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike
from crisp_hornet.link import contact, finding, gate, modbus_line, operations, send, session
from crisp_hornet.standin import controller as simulated
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.modbus_peer import ModbusPeer
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.truth import true_bike

BIKE, WEIR = read_bike(HERON), shipped_map("Weir 60")
EXCHANGE_S, FLIGHT_S = 0.004, 0.001


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
        self.peer = ModbusPeer(self.it)
        self.dead = False

    def answer(self, question):
        self.it.catch_up()
        return self.peer._answer(question)

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

    def _ask(self, question, device):
        if not self.alive:
            raise OSError("the port is gone")
        self.count += 1
        self.clock.now += EXCHANGE_S
        self.before(self.count, question)
        if not self.alive:
            raise OSError("the port is gone")
        one = self.controllers.get(device)
        if one is not None and not one.it.off:
            answer = one.answer(question)
            for delay_s, piece in self.spoil(self.count, question, answer):
                self.waits.append((self.clock.now + FLIGHT_S + delay_s, next(self._order), piece))
        self.waits.sort(key=lambda wait: wait[:2])
        until = self.clock.now + self.comm_params.timeout_connect
        if not self.waits or self.waits[0][0] > until:
            self.clock.now = until
            raise ModbusIOException("no answer")
        arrives, _, answer = self.waits.pop(0)
        self.clock.now = max(self.clock.now, arrives)
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


def in_virtual_time(monkeypatch):
    """The clock that the line, the send and the simulated controller go by from now on."""
    clock = Clock()
    for module in (modbus_line, send, operations, contact, simulated):
        monkeypatch.setattr(module, "time", clock)
    return clock


def reached(monkeypatch, wire):
    """Whatever port is opened, it is this wire."""
    monkeypatch.setattr(finding, "transport_to", lambda *_: wire)


def open_on(monkeypatch, wire, maps=(WEIR,), expected=None, journal=None, hands=False):
    reached(monkeypatch, wire)
    return session.open_session("virtual", list(maps), expected, journal, hands, lambda _text: None)


__all__ = ["BIKE", "WEIR", "Clock", "VirtualController", "Wire", "gate", "in_virtual_time", "open_on", "reached"]
