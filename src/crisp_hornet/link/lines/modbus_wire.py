"""One Modbus wire: a question, its answer, nothing else in flight.

RTU frames carry no number, so a late answer could be taken for the answer to the next question. Therefore: no
library retries; after a time-out the late answer is waited for, and how long answers take here is learned from it; after any
time-out or bad frame a question of another kind is asked until its own answer comes, so that both ends are in step again;
length and address of every answer are checked. ``troubles`` counts all that, so that whoever reads after it reads twice.
Source: MODBUS over Serial Line, Specification and Implementation Guide V1.02.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from types import TracebackType
from typing import Any, Self

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
LATE_TIMES, LEAST_LATE_S, MOST_LATE_S = 1.0, 0.6, 3.0  # how much longer a late answer is waited for
MOST_ANSWER_S = 5.0
SYNC_TRIES = 4
READ, READ_LIVE, WRITE, WRITE_MANY, READ_FILE, WRITE_FILE, IDENTIFY = 3, 4, 6, 16, 20, 21, 43  # function codes
BASIC, REGULAR, SPECIFIC = 1, 2, 4  # what is asked of an identification: its first objects, the other usual ones, one
MOST_OBJECTS = 8  # questions for one list of objects
FITS = "Check that the controller's description and its address fit."
FAILURE, ADDRESS_FAILS = 4, (4, 10, 11)  # what gateways, and some controllers, answer for an address that nobody has
EXCEPTIONS = {
    1: ("it does not know this question", FITS),
    2: ("it has no such register", FITS),
    3: ("it does not take this value", "Choose a value inside the controller's range."),
    FAILURE: ("it could not do so", FITS),
    6: ("it is busy: the wheel turns or the throttle is open", "Let the wheel stop and close the throttle."),
    10: ("a gateway has no way to that address", FITS),
    11: ("a gateway reports no answer at that address", FITS),
}
ELSE, READ_BACK = "the reply does not match the request", "What it holds is read back before anything else is done."
WRITE_FAILED = (
    "it could not do so: often its supply is too low",
    "Charge the pack, power it off and on, then read its faults.",
)


class ModbusWire:
    """Words over any transport. Use as a context manager, or ``open`` and ``close``."""

    def __init__(self, transport: Transport, device: int = 1, settle_s: float = 0.3) -> None:
        self.transport, self.device, self.settle_s = transport, device, settle_s
        self.troubles = 0
        self._gone = False
        self._in_step = True

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
        self._gone, self._in_step = False, True

    def close(self) -> None:
        """Close the transport."""
        self.transport.close()

    def read_settings(self, address: int, count: int) -> list[int]:
        """Holding registers as words (count,). Raises :class:`~crisp_hornet.link.errors.LinkError`."""
        return self._read("Reading the settings", READ, address, count, self.transport.client.read_holding_registers)

    def read_live(self, address: int, count: int) -> list[int]:
        """Input registers as words (count,)."""
        return self._read(
            "Reading the live values", READ_LIVE, address, count, self.transport.client.read_input_registers
        )

    def write(self, address: int, words: list[int]) -> None:
        """Set one register, once: a write is never repeated blindly."""
        what, client = f"Writing register {address:#06x}", self.transport.client
        if len(words) == 1:
            answer = self._ask(what, WRITE, lambda: client.write_register(address, words[0], device_id=self.device))
            fits = answer.address == address and list(answer.registers) == words
        else:
            answer = self._ask(what, WRITE_MANY, lambda: client.write_registers(address, words, device_id=self.device))
            fits = answer.address == address and getattr(answer, "count", len(words)) == len(words)
        if not fits:
            self._misfit()
            raise LineGarbled(what, ELSE, READ_BACK)

    def identify(self, tries: int = TRIES) -> dict[int, str]:
        """Texts of the device identification by object: 0 vendor, 1 product, 2 firmware, and what others it tells."""
        found = self._objects(BASIC, 0, tries)
        try:
            found |= self._objects(
                REGULAR, 0, tries
            )  # some answer with the basic ones again, some with the others only
        except AnsweredNo:
            pass  # a device may have basic ones only
        return found

    def identify_object(self, number: int) -> str:
        """The text of one object; "" where there is none."""
        try:
            return self._objects(SPECIFIC, number, TRIES).get(number, "")
        except AnsweredNo:
            return ""

    def _objects(self, read_code: int, first: int, tries: int) -> dict[int, str]:
        found: dict[int, str] = {}
        for _ in range(MOST_OBJECTS):
            answer = self._repeated(
                "Identifying the controller",
                IDENTIFY,
                lambda first=first: self._who(read_code, first),  # type: ignore[misc]
                lambda told: getattr(told, "read_code", None) == read_code,
                tries,
            )
            information: dict[int, Any] = getattr(answer, "information", {})
            found |= {key: bytes(value).decode("ascii", "replace") for key, value in information.items()}
            if not getattr(answer, "more_follows", 0) or read_code == SPECIFIC:
                break
            first = int(getattr(answer, "next_object_id", 0))
        return found

    def who_at(self, device: int, tries: int, within_s: float | None = None) -> dict[int, str]:
        """Who answers at an address of this line; from then on that address is meant. Silence there says nothing about the line:
        whoever answers late would do so with that address in front."""
        self.device = device
        params, usual_s = self.transport.client.comm_params, self._answer_s
        if within_s is not None:
            params.timeout_connect = min(within_s, usual_s)
        try:
            return self.identify(tries)
        finally:
            if within_s is not None:
                params.timeout_connect, self.troubles, self._in_step = usual_s, 0, True

    def _who(self, read_code: int, first: int = 0) -> ModbusPDU:
        client = self.transport.client
        return client.read_device_information(read_code=read_code, object_id=first, device_id=self.device)

    def read_file(self, file: int, record: int, words: int) -> bytes:
        """``words`` words (an even number) of a file from a record on."""
        client = self.transport.client
        wanted = FileRecord(file_number=file, record_number=record, record_length=2 * words)

        def fits(answer: ModbusPDU) -> bool:
            found = getattr(answer, "records", [])
            return len(found) == 1 and len(found[0].record_data) == 2 * words

        answer = self._repeated(
            "Reading a stored file", READ_FILE, lambda: client.read_file_record([wanted], device_id=self.device), fits
        )
        return bytes(answer.records[0].record_data)  # type: ignore[attr-defined]

    def write_file(self, file: int, record: int, data: bytes) -> None:
        """Write one record, once."""
        client = self.transport.client
        one = FileRecord(file_number=file, record_number=record, record_data=data)
        what = f"Writing record {record}"
        self._ask(what, WRITE_FILE, lambda: client.write_file_record([one], device_id=self.device))

    def _read(self, what: str, function: int, address: int, count: int, read: Callable[..., ModbusPDU]) -> list[int]:
        answer = self._repeated(
            what,
            function,
            lambda: read(address, count=count, device_id=self.device),
            lambda found: len(found.registers) == count,
        )
        return list(answer.registers)

    def _repeated(
        self,
        what: str,
        function: int,
        ask: Callable[[], ModbusPDU],
        fits: Callable[[ModbusPDU], bool] = lambda _answer: True,
        tries: int = TRIES,
    ) -> ModbusPDU:
        """Ask a question that changes nothing; its answer must fit. ``tries`` bounds the silence: who answers something else is there."""
        silent = 0
        for _ in range(max(tries, TRIES)):
            try:
                answer = self._ask(what, function, ask)
                if fits(answer):
                    return answer
                self._misfit()
                raise LineGarbled(what, "the answer has another length", "Check the lead and its ground.")
            except (LineDead, LineGarbled) as error:
                last, silent = error, silent + isinstance(error, LineDead)
                if silent >= tries or self._gone:
                    break
        raise last

    def _ask(self, what: str, function: int, ask: Callable[[], ModbusPDU]) -> ModbusPDU:
        if self._unasked():
            self._lost_step()  # an answer nobody waits for: one before it was perhaps another's
        if not self._in_step:
            self._step_in(what)
        answer = self._answer_to(what, ask)
        if answer.function_code & 0x7F != function:  # of an earlier question: a write's answer can look like a reading
            self._misfit()
            raise LineGarbled(what, ELSE, READ_BACK)
        if answer.isError():
            code = int(getattr(answer, "exception_code", 0))
            why, mend = EXCEPTIONS.get(code, (f"it answered with exception {code}", "Read its faults."))
            if function in (WRITE, WRITE_MANY, WRITE_FILE) and code == FAILURE:
                why, mend = WRITE_FAILED
            raise AnsweredNo(what, why, mend, code)
        return answer

    def _answer_to(self, what: str, ask: Callable[[], ModbusPDU]) -> ModbusPDU:
        """The answer to one question, whatever it says."""
        if self._gone:  # the library would open it anew by itself, to whatever is there now
            raise LineDead(what, "the connection was lost", "Connect again.")
        asked_at = time.monotonic()
        try:
            self.transport.waiting()  # whatever came unasked is no answer to what is asked now
            return ask()
        except ModbusException:
            self._lost_step()
            if time.monotonic() - asked_at >= 0.9 * self._answer_s:
                self._wait_for_the_late_one(asked_at)
            self._settle()
            raise LineDead(
                what,
                "the port is gone" if self._gone else SILENT,
                "Check plug and power, then connect again.",
            ) from None
        except (OSError, serial.SerialException, TypeError) as error:  # a port that has just vanished
            self._lose()
            raise LineDead(what, f"the port is gone ({error})", "Check plug and power, then connect again.") from None

    # --- in step ----------------------------------------------------------------------------------------------

    @property
    def _answer_s(self) -> float:
        """How long an answer may take (s)."""
        return float(self.transport.client.comm_params.timeout_connect or 0.0)

    def _misfit(self) -> None:
        """The answer was to something else."""
        self._lost_step()
        self._settle()

    def _lost_step(self) -> None:
        """What comes next may be the answer to an earlier question."""
        self.troubles += 1
        self._in_step = False

    def _unasked(self) -> bool:
        try:
            return not self._gone and bool(self.transport.waiting())
        except OSError:  # told by the question that follows
            return False

    def in_step(self) -> bool:
        """Ask what nothing else asks: whether its own answer comes, and nothing before it."""
        before = self.troubles
        try:
            self._ask("Asking once more", IDENTIFY, lambda: self._who(SPECIFIC))
        except AnsweredNo:  # its own answer all the same
            pass
        except (LineDead, LineGarbled):
            if self._gone:
                raise
        return self.troubles == before

    def _step_in(self, what: str) -> None:
        """Ask something that nothing else asks, until its own answer comes: what was asked before is then answered or lost."""
        for _ in range(SYNC_TRIES):
            answer = self._answer_to(what, lambda: self._who(SPECIFIC))
            if getattr(answer, "read_code", None) == SPECIFIC or answer.function_code == IDENTIFY | 0x80:
                self._in_step = True
                return
            self._misfit()
        raise LineGarbled(what, "its answers do not follow the questions", "Check the lead, then connect again.")

    def _wait_for_the_late_one(self, asked_at: float) -> None:
        """Listen on after a time-out, throw the late answer away, and from then on allow as much time as it took, and half more."""
        longest = min(max(LATE_TIMES * self._answer_s, LEAST_LATE_S), MOST_LATE_S)
        end = time.monotonic() + longest
        try:
            while time.monotonic() < end and self.transport.alive:
                if self.transport.waiting():
                    took = time.monotonic() - asked_at
                    learned = min(max(self._answer_s, 1.5 * took + 0.1), MOST_ANSWER_S)
                    self.transport.client.comm_params.timeout_connect = learned
                    return
                time.sleep(0.002)
        except OSError:
            self._lose()

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
