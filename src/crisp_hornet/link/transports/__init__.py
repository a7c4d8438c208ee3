"""Ways to a controller, one file each. Another is one more file and one more line in :data:`KINDS`.

An address names its way: ``/dev/ttyUSB0``, ``tcp://host:port`` (Modbus TCP), ``rtu+tcp://host:port`` (a wireless bridge that
passes serial frames on), ``ble://address``.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from crisp_hornet.documents.kinds import Bluetooth
from crisp_hornet.documents.kinds import Line as LineSettings
from crisp_hornet.link.transports.bluetooth import BluetoothTransport
from crisp_hornet.link.transports.serial_port import SerialTransport
from crisp_hornet.link.transports.tcp import BridgeTransport, TcpTransport
from crisp_hornet.link.transports.transport import ANSWER_S, Transport

Make = Callable[[str, LineSettings, Sequence[Bluetooth], float], Transport]
KINDS: dict[str, Make] = {
    "tcp": lambda address, _line, _radios, answer_s: TcpTransport(address, answer_s),
    "rtu+tcp": lambda address, _line, _radios, answer_s: BridgeTransport(address, answer_s),
    "ble": lambda address, _line, radios, answer_s: BluetoothTransport(address, radios, answer_s),
}


def transport_to(
    address: str, line: LineSettings, radios: Sequence[Bluetooth] = (), answer_s: float = ANSWER_S
) -> Transport:
    """The way to an address, not yet open. Raises :class:`~crisp_hornet.link.errors.PortFailed` for a malformed address."""
    scheme, separator, _ = address.partition("://")
    if separator and scheme in KINDS:
        return KINDS[scheme](address, line, radios, answer_s)
    return SerialTransport(address, line, answer_s)


__all__ = ["ANSWER_S", "Transport", "transport_to"]
