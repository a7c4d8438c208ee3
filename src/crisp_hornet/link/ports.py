"""Which ports there are, described so that the right one can be told."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from serial.tools import list_ports

from crisp_hornet.link.errors import PortFailed

CAN_TYPE = 280


@dataclass(frozen=True)
class Port:
    """A place to connect to."""

    address: str
    description: str


def with_device(address: str, device: int) -> str:
    """The address of one of several controllers on a port: ``/dev/ttyUSB0#17``."""
    return f"{address}#{device}"


def split_device(address: str) -> tuple[str, int | None]:
    """The port, and which address on it was asked for, if one was. Raises :class:`PortFailed`."""
    port, mark, device = address.rpartition("#")
    if not mark:
        return address, None
    if not (device.isascii() and device.isdigit()) or not 1 <= int(device) <= 247:
        raise PortFailed(f"{address!r}", "after # stands a controller's address, 1 to 247", "Write it as PORT#17.")
    return port, int(device)


def can_ports(folder: Path = Path("/sys/class/net")) -> list[Port]:
    """The CAN interfaces of this machine: those whose hardware type says so (ARPHRD_CAN of the kernel)."""
    found = []
    for place in sorted(folder.glob("*/type")):
        try:
            if int(place.read_text()) == CAN_TYPE:
                found.append(Port(f"can://socketcan/{place.parent.name}", "CAN interface"))
        except (OSError, ValueError):
            continue  # gone meanwhile
    return found


def serial_ports() -> list[Port]:
    """The serial ports of this machine, those on USB first."""
    found = sorted(list_ports.comports(), key=lambda one: (one.vid is None, one.device))
    return [
        Port(one.device, one.description if one.description not in (None, "n/a") else "serial port") for one in found
    ]
