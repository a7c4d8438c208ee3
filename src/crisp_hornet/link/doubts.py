"""What speaks against this being the right controller, one that we know how to handle, or one that is as it should be."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.link.contact import version_key
from crisp_hornet.link.line import Identity


@dataclass(frozen=True)
class Doubt:
    """One doubt. ``blocks``: nothing is written; otherwise it is confirmed by its id."""

    id: str
    text: str
    blocks: bool


def doubts(
    identity: Identity, controller_map: ControllerMap, expected_serial: str | None, shown: str = ""
) -> list[Doubt]:
    """The doubts about a controller, given the serial number the open bike remembers and by what the bike has shown itself."""
    found = []
    if expected_serial and identity.serial and expected_serial != identity.serial:
        text = f"Wrong bike: expected controller {expected_serial}, connected {identity.serial}"
        found.append(Doubt("wrong-bike", text, True))
    if expected_serial and not identity.serial and not shown:
        text = f"Not shown to be the bike that is open: its controller is {expected_serial}, the one that answers names no serial number"
        found.append(Doubt("not-shown", text, False))
    known = controller_map.firmware
    if known is not None and identity.firmware:
        at = version_key(identity.firmware)
        if at < version_key(known.least):
            text = f"Firmware {identity.firmware} is older than {known.least}, the oldest tested"
            found.append(Doubt("firmware-old", text, True))
        elif at > version_key(known.newest):
            text = f"Firmware {identity.firmware} is newer than {known.newest}, the last that is known to work"
            found.append(Doubt("firmware-new", text, False))
    return found
