"""Whether all is there that the application needs on this machine, and what to do about what is not."""

from __future__ import annotations

import os
import shutil
import sqlite3
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from crisp_hornet.system.libraries import why_not

LEAST_FREE_MB = 200
SYSTEM_BUS = Path("/run/dbus/system_bus_socket")


@dataclass(frozen=True)
class Finding:
    """One thing looked at. ``needed``: without it the application does not work at all."""

    what: str
    fine: bool
    told: str
    needed: bool = False


def look(folder: Path) -> Iterator[Finding]:
    """All that is looked at, for a garage in ``folder``; nothing is changed."""
    version = ".".join(map(str, sys.version_info[:3]))
    yield Finding("Python", sys.version_info >= (3, 11), version, needed=True)
    why = why_not(os.environ)
    yield Finding("window", not why, why or "it can open", needed=True)
    yield _writable(folder)
    yield _room(folder)
    yield _garage(folder / "garage.sqlite")
    yield from _ports()
    radio = SYSTEM_BUS.exists()
    yield Finding(
        "Bluetooth", radio, "the system's service can be asked" if radio else "no message bus: only Bluetooth needs it"
    )


def _writable(folder: Path) -> Finding:
    place = folder
    while not place.exists() and place != place.parent:
        place = place.parent
    fine = os.access(place, os.W_OK)
    return Finding(
        "data folder", fine, str(folder) if fine else f"{place} cannot be written: make it yours", needed=True
    )


def _room(folder: Path) -> Finding:
    place = next(one for one in (folder, *folder.parents) if one.exists())
    free = shutil.disk_usage(place).free // 10**6
    return Finding("room on the disk", free >= LEAST_FREE_MB, f"{free} MB free")


def _garage(path: Path) -> Finding:
    if not path.exists():
        return Finding("garage", True, "none yet: it is made at the first start")
    try:
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as database:
            (said,) = database.execute("PRAGMA quick_check(1)").fetchone()
        database.close()
    except sqlite3.Error as error:
        said = str(error)
    return Finding(
        "garage",
        said == "ok",
        str(path) if said == "ok" else f"{said}. Recover it with: crisp-hornet rescue",
        needed=True,
    )


def _ports() -> Iterator[Finding]:
    from crisp_hornet.link.ports import can_ports, serial_ports

    found = serial_ports()
    if not found:
        yield Finding("serial ports", True, "none: plug in the lead, then look again")
    for port in found:
        fine = os.access(port.address, os.R_OK | os.W_OK)
        mend = "your user may not use it: sudo usermod -aG dialout $USER, then log in anew"
        yield Finding(port.address, fine, port.description if fine else mend)
    for port in can_ports():
        yield Finding(port.address, True, port.description)
