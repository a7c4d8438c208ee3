"""One Modbus line: a question, its answer, nothing else in flight.

RTU frames carry no number, so a late answer could be taken for the answer to the next question. Therefore: no
library retries; after any time-out or bad frame the line is left silent until it is quiet and drained; length and
address of every answer are checked. Source: MODBUS over Serial Line, Specification and Implementation Guide V1.02.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from types import TracebackType
from typing import Any, Protocol, Self

import serial
from pymodbus.exceptions import ModbusException
from pymodbus.pdu import ModbusPDU
from pymodbus.pdu.file_message import FileRecord

from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled
from crisp_hornet.link.transports import Transport

# The library logs whole frames and its own retries; what matters reaches the user through LinkError.
logging.getLogger("pymodbus").setLevel(logging.CRITICAL)

TRIES = 3
SILENT = "no answer came in time"
LONGEST_DRAIN_S = 1.0
EXCEPTIONS = {
    1: ("it does not know this question", "Check that the controller's description fits."),
    2: ("it has no such register", "Check that the controller's description fits."),
    3: ("it does not take this value", "Choose a value inside the controller's range."),
    4: (
        "it could not do so: often its supply is too low",
        "Charge the pack, power it off and on, then read its faults.",
    ),
    6: ("it is busy: the wheel turns or the throttle is open", "Let the wheel stop and close the throttle."),
}


class Line(Protocol):
    """What the rest of ``link`` needs from a line."""

    def read_settings(self, address: int, count: int) -> list[int]:
        """Holding registers as words."""

    def read_live(self, address: int, count: int) -> list[int]:
        """Input registers as words."""

    def write(self, address: int, words: list[int]) -> None:
        """Set one holding register of one or more words."""

    def identify(self) -> dict[int, str]:
        """Objects of the device identification."""

    def read_file(self, file: int, record: int, words: int) -> bytes:
        """Words of a file."""

    def write_file(self, file: int, record: int, data: bytes) -> None:
        """One record of a file."""


class ModbusLine:
    """A line over any transport. Use as a context manager, or ``open`` and ``close``."""

    def __init__(self, transport: Transport, device: int = 1) -> None:
        self.transport, self.device = transport, device
        self._gone = False

    def __enter__(self) -> Self:
        self.open()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def open(self) -> None:
        """Open the transport. Raises :class:`~crisp_hornet.link.errors.PortFailed` with the reason."""
        self.transport.open()
        self._gone = False

    def close(self) -> None:
        """Close the transport."""
        self.transport.close()

    def read_settings(self, address: int, count: int) -> list[int]:
        """Holding registers as words (count,). Raises :class:`~crisp_hornet.link.errors.LinkError`."""
        return self._read("Reading the settings", address, count, self.transport.client.read_holding_registers)

    def read_live(self, address: int, count: int) -> list[int]:
        """Input registers as words (count,)."""
        return self._read("Reading the live values", address, count, self.transport.client.read_input_registers)

    def write(self, address: int, words: list[int]) -> None:
        """Set one register, once: a write is never repeated blindly."""
        what, client = f"Writing register {address:#06x}", self.transport.client
        if len(words) == 1:
            answer = self._ask(what, lambda: client.write_register(address, words[0], device_id=self.device))
            fits = answer.address == address and list(answer.registers) == words
        else:
            answer = self._ask(what, lambda: client.write_registers(address, words, device_id=self.device))
            fits = answer.address == address and getattr(answer, "count", len(words)) == len(words)
        if not fits:
            self._settle()
            raise LineGarbled(
                what, "the answer speaks of something else", "What it holds is read back before anything else is done."
            )

    def identify(self, tries: int = TRIES) -> dict[int, str]:
        """Texts of the device identification: 0 vendor, 1 product, 2 firmware, 6 serial number."""
        client = self.transport.client
        answer = self._repeated(
            "Asking who is there",
            lambda: client.read_device_information(read_code=2, device_id=self.device),
            tries=tries,
        )
        information: dict[int, Any] = getattr(answer, "information", {})
        return {key: bytes(value).decode("ascii", "replace") for key, value in information.items()}

    def read_file(self, file: int, record: int, words: int) -> bytes:
        """``words`` words (an even number) of a file from a record on."""
        client = self.transport.client
        wanted = FileRecord(file_number=file, record_number=record, record_length=2 * words)

        def fits(answer: ModbusPDU) -> bool:
            found = getattr(answer, "records", [])
            return len(found) == 1 and len(found[0].record_data) == 2 * words

        answer = self._repeated(
            "Reading a stored file", lambda: client.read_file_record([wanted], device_id=self.device), fits
        )
        return bytes(answer.records[0].record_data)  # type: ignore[attr-defined]

    def write_file(self, file: int, record: int, data: bytes) -> None:
        """Write one record, once."""
        client = self.transport.client
        one = FileRecord(file_number=file, record_number=record, record_data=data)
        self._ask(f"Writing record {record}", lambda: client.write_file_record([one], device_id=self.device))

    def _read(self, what: str, address: int, count: int, read: Callable[..., ModbusPDU]) -> list[int]:
        answer = self._repeated(
            what, lambda: read(address, count=count, device_id=self.device), lambda found: len(found.registers) == count
        )
        return list(answer.registers)

    def _repeated(
        self,
        what: str,
        ask: Callable[[], ModbusPDU],
        fits: Callable[[ModbusPDU], bool] = lambda _answer: True,
        tries: int = TRIES,
    ) -> ModbusPDU:
        """Ask a question that changes nothing, up to ``tries`` times; its answer must fit."""
        for tries_left in reversed(range(tries)):
            try:
                answer = self._ask(what, ask)
                if fits(answer):
                    return answer
                self._settle()
                raise LineGarbled(what, "the answer has another length", "Check the lead and its ground.")
            except (LineDead, LineGarbled):
                if tries_left == 0 or self._gone:
                    raise
        raise AssertionError("unreachable")

    def _ask(self, what: str, ask: Callable[[], ModbusPDU]) -> ModbusPDU:
        if self._gone:  # the library would open it anew by itself, to whatever is there now
            raise LineDead(what, "the connection was lost", "Connect again.")
        try:
            self.transport.waiting()  # whatever came unasked is no answer to what is asked now
            answer = ask()
        except ModbusException:
            self._settle()
            raise LineDead(
                what,
                "the port is gone" if self._gone else SILENT,
                "Check plug and power, then connect again.",
            ) from None
        except (OSError, serial.SerialException, TypeError) as error:  # a port that has just vanished
            self._lose()
            raise LineDead(what, f"the port is gone ({error})", "Check plug and power, then connect again.") from None
        if answer.isError():
            code = int(getattr(answer, "exception_code", 0))
            why, mend = EXCEPTIONS.get(code, (f"it answered with exception {code}", "Read its faults."))
            raise AnsweredNo(what, why, mend, code)
        return answer

    def _settle(self) -> None:
        """Stay silent until the line is quiet, throwing away what still comes."""
        if not self.transport.alive:
            self._lose()
            return
        try:
            quiet_since = time.monotonic()
            give_up = quiet_since + LONGEST_DRAIN_S
            while time.monotonic() - quiet_since < self.transport.quiet_s and time.monotonic() < give_up:
                if self.transport.waiting():
                    quiet_since = time.monotonic()
                time.sleep(0.002)
        except OSError:
            self._lose()

    def _lose(self) -> None:
        self._gone = True
        self.transport.close()
