"""One Modbus RTU line over a serial port: a question, its answer, nothing else in flight.

RTU frames carry no number, so a late answer could be taken for the answer to the next question. Therefore: no
library retries; after any time-out or bad frame the line is left silent until it is quiet and drained; length and
address of every answer are checked. Source: MODBUS over Serial Line, Specification and Implementation Guide V1.02.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from types import TracebackType
from typing import Any, Protocol, Self, TypeVar

import serial
from pymodbus.client import ModbusSerialClient
from pymodbus.exceptions import ModbusException
from pymodbus.pdu import ModbusPDU

from crisp_hornet.documents.controller_map import Line as LineSettings
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled, PortFailed

# The library logs whole frames and its own retries; what matters reaches the user through LinkError.
logging.getLogger("pymodbus").setLevel(logging.CRITICAL)

ANSWER_S = 0.4
QUIET_S = 0.03
TRIES = 3
EXCEPTIONS = {
    1: ("it does not know this question", "Check that the controller's description fits."),
    2: ("it has no such register", "Check that the controller's description fits."),
    3: ("it does not take this value", "Choose a value inside the controller's range."),
    4: ("it failed while doing so", "Power it off and on, then read its faults."),
    6: ("it is busy: the wheel turns or the throttle is open", "Let the wheel stop and close the throttle."),
}
T = TypeVar("T")


class Line(Protocol):
    """What the rest of ``link`` needs from a line."""

    def read_settings(self, address: int, count: int) -> list[int]:
        """Holding registers as words."""

    def read_live(self, address: int, count: int) -> list[int]:
        """Input registers as words."""

    def write(self, address: int, word: int) -> None:
        """Set one holding register."""

    def identify(self) -> dict[int, str]:
        """Objects of the device identification."""


class SerialLine:
    """A line on a serial port. Use as a context manager, or ``open`` and ``close``."""

    def __init__(self, port: str, settings: LineSettings, answer_s: float = ANSWER_S) -> None:
        self.port = port
        self._device = settings.device
        self._client = ModbusSerialClient(port, baudrate=settings.baud, timeout=answer_s, retries=0)

    def __enter__(self) -> Self:
        self.open()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def open(self) -> None:
        """Open the port. Raises :class:`PortFailed` with the reason."""
        if self._client.connect():
            return
        raise PortFailed(
            f"{self.port} cannot be opened", _why_closed(self.port), "Check the lead, then look for ports again."
        )

    def close(self) -> None:
        """Close the port."""
        self._client.close()  # type: ignore[no-untyped-call]

    def read_settings(self, address: int, count: int) -> list[int]:
        """Holding registers as words (count,). Raises :class:`~crisp_hornet.link.errors.LinkError`."""
        return self._read("Reading the settings", address, count, self._client.read_holding_registers)

    def read_live(self, address: int, count: int) -> list[int]:
        """Input registers as words (count,)."""
        return self._read("Reading the live values", address, count, self._client.read_input_registers)

    def write(self, address: int, word: int) -> None:
        """Set one register, once: a write is never repeated blindly."""
        answer = self._ask(
            f"Writing register {address:#06x}",
            lambda: self._client.write_register(address, word, device_id=self._device),
        )
        if answer.address != address or list(answer.registers) != [word]:
            self._settle()
            raise LineGarbled(
                f"Writing register {address:#06x}",
                "the answer speaks of something else",
                "What it holds is read back before anything else is done.",
            )

    def identify(self) -> dict[int, str]:
        """Texts of the device identification: 0 vendor, 1 product, 2 firmware, 6 serial number."""
        answer = self._repeated(
            "Asking who is there", lambda: self._client.read_device_information(read_code=2, device_id=self._device)
        )
        information: dict[int, Any] = getattr(answer, "information", {})
        return {key: bytes(value).decode("ascii", "replace") for key, value in information.items()}

    def _read(self, what: str, address: int, count: int, read: Callable[..., ModbusPDU]) -> list[int]:
        def once() -> ModbusPDU:
            return read(address, count=count, device_id=self._device)

        answer = self._repeated(what, once, count)
        return list(answer.registers)

    def _repeated(self, what: str, ask: Callable[[], ModbusPDU], count: int | None = None) -> ModbusPDU:
        """Ask a question that changes nothing, up to TRIES times; its answer must hold ``count`` words."""
        for tries_left in reversed(range(TRIES)):
            try:
                answer = self._ask(what, ask)
                if count is None or len(answer.registers) == count:
                    return answer
                self._settle()
                raise LineGarbled(what, "the answer has another length", "Check the lead and its ground.")
            except (LineDead, LineGarbled):
                if tries_left == 0 or not self._client.connected:
                    raise
        raise AssertionError("unreachable")

    def _ask(self, what: str, ask: Callable[[], ModbusPDU]) -> ModbusPDU:
        try:
            answer = ask()
        except ModbusException:
            self._settle()
            raise LineDead(
                what,
                "no answer came in time" if self._client.connected else "the port is gone",
                "Check plug and power, then connect again.",
            ) from None
        except (OSError, serial.SerialException, TypeError) as error:  # pyserial on a port that has just vanished
            self._client.close()  # type: ignore[no-untyped-call]
            raise LineDead(what, f"the port is gone ({error})", "Check plug and power, then connect again.") from None
        if answer.isError():
            code = int(getattr(answer, "exception_code", 0))
            why, mend = EXCEPTIONS.get(code, (f"it answered with exception {code}", "Read its faults."))
            raise AnsweredNo(what, why, mend, code)
        return answer

    def _settle(self) -> None:
        """Stay silent until the line is quiet, throwing away what still comes."""
        port = self._client.socket
        if port is None:
            return
        try:
            quiet_since = time.monotonic()
            give_up = quiet_since + 1.0
            while time.monotonic() - quiet_since < QUIET_S and time.monotonic() < give_up:
                if port.in_waiting:
                    port.read(port.in_waiting)
                    quiet_since = time.monotonic()
                time.sleep(0.002)
        except (OSError, serial.SerialException, TypeError):
            self._client.close()  # type: ignore[no-untyped-call]


def _why_closed(port: str) -> str:
    try:
        serial.Serial(port, exclusive=True).close()
    except serial.SerialException as error:
        text = str(error).lower()
        if error.errno == 2 or "no such file" in text:
            return "there is no such port"
        if error.errno == 13 or "permission" in text:
            return "your user may not use it (on most systems the group 'dialout' may)"
        if error.errno in (11, 16) or "lock" in text or "busy" in text:
            return "another program is using it"
        return "it is not a serial port"
    return "it did not open the first time"
