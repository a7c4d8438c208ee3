"""What a way to a controller must do."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from pymodbus.client.base import ModbusBaseSyncClient

ANSWER_S = 1.0  # a busy machine may hold either end up for most of a second


class Transport(Protocol):
    """Carries frames. Opened once; when it is lost it stays lost, so that nothing goes on with another device unnoticed."""

    address: str
    quiet_s: float
    """How long it must be silent before what comes next can be trusted to answer the next question."""

    @property
    def client(self) -> ModbusBaseSyncClient:
        """The library's client that speaks Modbus over it."""

    @property
    def alive(self) -> bool:
        """Whether it is still open."""

    def open(self) -> None:
        """Open it. Raises :class:`~crisp_hornet.link.errors.PortFailed` with the reason."""

    def waiting(self) -> int:
        """How many bytes (or packets) have come and were not read; they are thrown away. Raises :class:`OSError` when it is gone."""

    def send(self, data: bytes) -> None:
        """Bytes of any other kind of frame. Raises :class:`OSError` when it is gone."""

    def receive(self, within_s: float) -> bytes:
        """What has come, as soon as something has; nothing after ``within_s``. Raises :class:`OSError` when it is gone."""

    def close(self) -> None:
        """Close it."""
