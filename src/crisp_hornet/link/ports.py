"""Which ports there are, described so that the right one can be told."""

from __future__ import annotations

from dataclasses import dataclass

from serial.tools import list_ports


@dataclass(frozen=True)
class Port:
    """A place to connect to."""

    address: str
    description: str


def serial_ports() -> list[Port]:
    """The serial ports of this machine, those on USB first."""
    found = sorted(list_ports.comports(), key=lambda one: (one.vid is None, one.device))
    return [
        Port(one.device, one.description if one.description not in (None, "n/a") else "serial port") for one in found
    ]
