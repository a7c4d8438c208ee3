"""Over the network: Modbus TCP, or a wireless bridge that passes serial frames on."""

from __future__ import annotations

import select
import socket
from urllib.parse import urlsplit

from pymodbus.client import ModbusTcpClient
from pymodbus.framer import FramerType

from crisp_hornet.link.errors import PortFailed

MODBUS_PORT = 502


class TcpTransport:
    """Modbus TCP."""

    framer = FramerType.SOCKET
    quiet_s = 0.05  # a network holds answers back longer than a wire

    def __init__(self, address: str, answer_s: float) -> None:
        self.address = address
        self.host, self.port = host_and_port(address)
        self.client = ModbusTcpClient(self.host, port=self.port, framer=self.framer, timeout=answer_s, retries=0)

    @property
    def alive(self) -> bool:
        """Whether the connection is open."""
        return bool(self.client.connected)

    def open(self) -> None:
        """Connect. Raises :class:`PortFailed` with the reason."""
        if self.client.connect():  # type: ignore[no-untyped-call]
            return
        raise PortFailed(
            f"{self.address} cannot be reached", self._why_closed(), "Check its power, the network, and host and port."
        )

    def _why_closed(self) -> str:
        try:
            socket.create_connection((self.host, self.port), timeout=1.0).close()
        except socket.gaierror:
            return f"host {self.host} not found"
        except TimeoutError:
            return "it does not answer"
        except ConnectionRefusedError:
            return f"nothing listens there on port {self.port}"
        except OSError as error:
            return (error.strerror or "the network refuses").lower()
        return "it did not answer the first time"

    def waiting(self) -> int:
        """Throw away what came."""
        connection = self.client.socket
        if connection is None:
            raise OSError("the connection is closed")
        connection.setblocking(False)
        try:
            came = connection.recv(4096)
        except BlockingIOError:
            return 0
        if not came:
            raise OSError("the other end closed the connection")
        return len(came)

    def send(self, data: bytes) -> None:
        """Write bytes."""
        connection = self.client.socket
        if connection is None:
            raise OSError("the connection is closed")
        connection.setblocking(True)
        connection.sendall(data)

    def receive(self, within_s: float) -> bytes:
        """What has come, as soon as something has."""
        connection = self.client.socket
        if connection is None:
            raise OSError("the connection is closed")
        ready, _, _ = select.select([connection], [], [], within_s)
        came = bytes(connection.recv(4096)) if ready else b""
        if ready and not came:
            raise OSError("the other end closed the connection")
        return came

    def close(self) -> None:
        """Close the connection."""
        self.client.close()  # type: ignore[no-untyped-call]


class BridgeTransport(TcpTransport):
    """RTU frames over a TCP connection."""

    framer = FramerType.RTU
    quiet_s = 0.08


def host_and_port(address: str) -> tuple[str, int]:
    """Host and port of ``scheme://host:port``. Raises :class:`PortFailed` where it is not one."""
    try:
        parts = urlsplit(address)
        host, port = parts.hostname, parts.port
    except ValueError:
        host, port = None, None
    if not host:
        raise PortFailed(f"{address!r}", "this is no network address", "Write it as tcp://host:port.")
    return host, port or MODBUS_PORT
