"""The controller's side of the line: Modbus RTU frames in, answers out."""

from __future__ import annotations

from collections.abc import Callable

from pymodbus.framer import FramerRTU
from pymodbus.pdu import DecodePDU, ExceptionResponse, ModbusPDU
from pymodbus.pdu import mei_message as mei
from pymodbus.pdu import register_message as registers

from crisp_hornet.standin.controller import Refusal, SimulatedController

ILLEGAL_FUNCTION = 1


class ModbusPeer:
    """Feeds bytes to a framer and answers each whole question."""

    def __init__(self, controller: SimulatedController) -> None:
        self._controller = controller
        self._device = controller.map.line.device
        self._framer = FramerRTU(DecodePDU(is_server=True))
        self._waiting = b""

    def receive(self, data: bytes) -> bytes:
        """Bytes from the line; returns the answer's bytes, if a question is complete."""
        self._waiting = (self._waiting + data)[-512:]
        used, question = self._framer.handleFrame(self._waiting, self._device, 0)
        self._waiting = self._waiting[used:]
        if question is None:
            return b""
        answer = self._answer(question)
        answer.dev_id = self._device
        return self._framer.buildFrame(answer)

    def _answer(self, question: ModbusPDU) -> ModbusPDU:
        code = question.function_code
        try:
            for kind, handler in self._handlers.items():
                if type(question) is kind:
                    return handler(question)
            return ExceptionResponse(code, ILLEGAL_FUNCTION)
        except Refusal as refusal:
            return ExceptionResponse(code, refusal.code)

    @property
    def _handlers(self) -> dict[type[ModbusPDU], Callable[[ModbusPDU], ModbusPDU]]:
        c = self._controller
        return {
            registers.ReadHoldingRegistersRequest: lambda q: registers.ReadHoldingRegistersResponse(
                registers=c.read_holding(q.address, q.count)
            ),
            registers.ReadInputRegistersRequest: lambda q: registers.ReadInputRegistersResponse(
                registers=c.read_input(q.address, q.count)
            ),
            registers.WriteSingleRegisterRequest: self._write,
            mei.ReadDeviceInformationRequest: self._identify,
        }

    def _identify(self, question: ModbusPDU) -> ModbusPDU:
        assert isinstance(question, mei.ReadDeviceInformationRequest)
        return mei.ReadDeviceInformationResponse(question.read_code, self._controller.identification())

    def _write(self, question: ModbusPDU) -> ModbusPDU:
        self._controller.write(question.address, question.registers[0])
        return registers.WriteSingleRegisterResponse(address=question.address, registers=question.registers)
