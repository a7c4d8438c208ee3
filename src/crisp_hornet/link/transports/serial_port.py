"""A serial port, on USB or on the board."""

from __future__ import annotations

import select

import serial
from pymodbus.client import ModbusSerialClient
from pymodbus.exceptions import ConnectionException

from crisp_hornet.documents.kinds import Line as LineSettings
from crisp_hornet.link.errors import PortFailed


class PromptSerialClient(ModbusSerialClient):
    """The library's client, but woken by the first byte: its own polling costs a fifth of a fast line's rate."""

    def recv(self, size: int | None) -> bytes:
        """What has come, as soon as something has; nothing after the time for an answer."""
        port = self.socket
        if port is None:
            raise ConnectionException(str(self))
        try:
            ready, _, _ = select.select([port.fileno()], [], [], self.comm_params.timeout_connect)
            return bytes(port.read(max(1, port.in_waiting))) if ready else b""
        except (OSError, TypeError, ValueError) as error:  # a port that has just vanished
            self.close()  # type: ignore[no-untyped-call]
            raise ConnectionException(str(error)) from None


class SerialTransport:
    """RTU frames over a serial port, which is opened for us alone."""

    quiet_s = 0.03

    def __init__(self, port: str, line: LineSettings, answer_s: float) -> None:
        self.address = port
        self.client = PromptSerialClient(port, baudrate=line.baud, timeout=answer_s, retries=0)

    @property
    def alive(self) -> bool:
        """Whether the port is open."""
        return bool(self.client.connected)

    def open(self) -> None:
        """Open the port. Raises :class:`PortFailed` with the reason."""
        if self.client.connect():
            return
        why, mend = _why_closed(self.address)
        raise PortFailed(f"{self.address} cannot be opened", why, mend)

    def waiting(self) -> int:
        """Throw away what came."""
        port = self.client.socket
        if port is None:
            raise OSError("the port is closed")
        try:
            count = int(port.in_waiting)
            if count:
                port.read(count)
        except (serial.SerialException, TypeError) as error:
            raise OSError(str(error)) from error
        return count

    def send(self, data: bytes) -> None:
        """Write bytes."""
        port = self.client.socket
        if port is None:
            raise OSError("the port is closed")
        try:
            port.write(data)
        except (serial.SerialException, TypeError) as error:
            raise OSError(str(error)) from error

    def receive(self, within_s: float) -> bytes:
        """What has come, as soon as something has."""
        port = self.client.socket
        if port is None:
            raise OSError("the port is closed")
        try:
            ready, _, _ = select.select([port.fileno()], [], [], within_s)
            return bytes(port.read(max(1, port.in_waiting))) if ready else b""
        except (serial.SerialException, TypeError, ValueError) as error:  # a port that has just vanished
            raise OSError(str(error)) from error

    def close(self) -> None:
        """Close the port."""
        self.client.close()  # type: ignore[no-untyped-call]


def _why_closed(port: str) -> tuple[str, str]:
    """Why a port does not open, and what to do about it."""
    again = "Check the lead, then look for ports again."
    try:
        serial.Serial(port, exclusive=True).close()
    except serial.SerialException as error:
        text = str(error).lower()
        if error.errno == 2 or "no such file" in text:
            return "there is no such port", again
        if error.errno == 13 or "permission" in text:
            return (
                "your user may not use it",
                "On most systems members of the group 'dialout' may: sudo usermod -aG dialout $USER, then log in anew.",
            )
        if error.errno in (11, 16) or "lock" in text or "busy" in text:
            return "another program is using it", "Close that program, then try again."
        return "it is not a serial port", again
    return "it did not open the first time", again
