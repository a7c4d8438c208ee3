"""Ways to a controller, one file each. Another is one more file and one more line in :data:`KINDS`.

An address names its way: ``/dev/ttyUSB0``, ``tcp://host:port`` (Modbus TCP), ``rtu+tcp://host:port`` (a wireless bridge that
passes serial frames on), ``ble://address``. Each is loaded when it is first gone: what they are made of would slow the start.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from crisp_hornet.documents.kinds import Bluetooth
from crisp_hornet.documents.kinds import Line as LineSettings
from crisp_hornet.link.transports.transport import ANSWER_S, Transport

Make = Callable[[str, LineSettings, Sequence[Bluetooth], float], Transport]


def _serial(address: str, line: LineSettings, _radios: Sequence[Bluetooth], answer_s: float) -> Transport:
    from crisp_hornet.link.transports.serial_port import SerialTransport

    return SerialTransport(address, line, answer_s)


def _tcp(address: str, _line: LineSettings, _radios: Sequence[Bluetooth], answer_s: float) -> Transport:
    from crisp_hornet.link.transports.tcp import TcpTransport

    return TcpTransport(address, answer_s)


def _bridge(address: str, _line: LineSettings, _radios: Sequence[Bluetooth], answer_s: float) -> Transport:
    from crisp_hornet.link.transports.tcp import BridgeTransport

    return BridgeTransport(address, answer_s)


def _bluetooth(address: str, _line: LineSettings, radios: Sequence[Bluetooth], answer_s: float) -> Transport:
    from crisp_hornet.link.transports.bluetooth import BluetoothTransport

    return BluetoothTransport(address, radios, answer_s)


KINDS: dict[str, Make] = {"tcp": _tcp, "rtu+tcp": _bridge, "ble": _bluetooth}


def transport_to(
    address: str, line: LineSettings, radios: Sequence[Bluetooth] = (), answer_s: float = ANSWER_S
) -> Transport:
    """The way to an address, not yet open. Raises :class:`~crisp_hornet.link.errors.PortFailed` for a malformed address."""
    scheme, separator, _ = address.partition("://")
    return KINDS.get(scheme if separator else "", _serial)(address, line, radios, answer_s)


__all__ = ["ANSWER_S", "Transport", "transport_to"]
