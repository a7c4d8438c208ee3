"""The controller's side of the line: Modbus frames in, answers out."""

from __future__ import annotations

from collections.abc import Callable

from pymodbus.exceptions import ModbusIOException
from pymodbus.framer import FramerBase, FramerRTU, FramerSocket
from pymodbus.pdu import DecodePDU, ExceptionResponse, ModbusPDU
from pymodbus.pdu import file_message as files
from pymodbus.pdu import mei_message as mei
from pymodbus.pdu import register_message as registers

from crisp_hornet.standin.controller import ILLEGAL_FUNCTION, Refusal, SimulatedController
from crisp_hornet.standin.modbus_memory import ModbusMemory

WRITES = (registers.WriteSingleRegisterRequest, registers.WriteMultipleRegistersRequest, files.WriteFileRecordRequest)


class ModbusPeer:
    """Feeds bytes to a framer and answers each whole question. ``tcp``: frames with a header instead of a checksum."""

    def __init__(self, controller: SimulatedController, tcp: bool = False) -> None:
        self._controller, self._memory = controller, ModbusMemory(controller)
        self._device = controller.map.line.device
        self._framer: FramerBase = (FramerSocket if tcp else FramerRTU)(DecodePDU(is_server=True))
        self._waiting = b""
        self.wrote = False  # whether the last question was a write that was carried out

    def receive(self, data: bytes) -> bytes:
        """Bytes from the line; returns the answer's bytes, if a question is complete."""
        self.wrote = False
        if self._controller.off or self._controller.bike.state.bms_open:
            self._waiting = b""
            return b""
        self._controller.catch_up()
        self._waiting = (self._waiting + data)[-512:]
        try:
            used, question = self._framer.handleFrame(self._waiting, self._device, 0)
        except ModbusIOException:  # a whole frame with a question that makes no sense
            self._waiting = b""
            return b""
        self._waiting = self._waiting[used:]
        if question is None:
            return b""
        answer = self._answer(question)
        answer.dev_id, answer.transaction_id = self._device, question.transaction_id
        return self._framer.buildFrame(answer)

    def unasked(self) -> bytes:
        """Nothing: who speaks Modbus is asked."""
        return b""

    def _answer(self, question: ModbusPDU) -> ModbusPDU:
        code = question.function_code
        try:
            for kind, handler in self._handlers.items():
                if type(question) is kind:
                    answer = handler(question)
                    self.wrote = kind in WRITES
                    return answer
            return ExceptionResponse(code, ILLEGAL_FUNCTION)
        except Refusal as refusal:
            return ExceptionResponse(code, refusal.code)

    @property
    def _handlers(self) -> dict[type[ModbusPDU], Callable[[ModbusPDU], ModbusPDU]]:
        memory = self._memory
        return {
            registers.ReadHoldingRegistersRequest: lambda q: registers.ReadHoldingRegistersResponse(
                registers=memory.read_holding(q.address, q.count)
            ),
            registers.ReadInputRegistersRequest: lambda q: registers.ReadInputRegistersResponse(
                registers=memory.read_input(q.address, q.count)
            ),
            registers.WriteSingleRegisterRequest: self._write,
            registers.WriteMultipleRegistersRequest: self._write_many,
            mei.ReadDeviceInformationRequest: self._identify,
            files.ReadFileRecordRequest: self._read_file,
            files.WriteFileRecordRequest: self._write_file,
        }

    def _identify(self, question: ModbusPDU) -> ModbusPDU:
        assert isinstance(question, mei.ReadDeviceInformationRequest)
        return mei.ReadDeviceInformationResponse(question.read_code, self._memory.identification())

    def _write(self, question: ModbusPDU) -> ModbusPDU:
        self._memory.write(question.address, [question.registers[0]])
        return registers.WriteSingleRegisterResponse(address=question.address, registers=question.registers)

    def _write_many(self, question: ModbusPDU) -> ModbusPDU:
        self._memory.write(question.address, list(question.registers))
        return registers.WriteMultipleRegistersResponse(address=question.address, count=len(question.registers))

    def _read_file(self, question: ModbusPDU) -> ModbusPDU:
        assert isinstance(question, files.ReadFileRecordRequest)
        found = [
            files.FileRecord(
                record_data=self._memory.read_file(record.file_number, record.record_number, 2 * record.record_length)
            )
            for record in question.records
        ]
        return files.ReadFileRecordResponse(found)

    def _write_file(self, question: ModbusPDU) -> ModbusPDU:
        assert isinstance(question, files.WriteFileRecordRequest)
        for record in question.records:
            self._memory.write_file(record.file_number, record.record_number, record.record_data)
        return files.WriteFileRecordResponse(question.records)
