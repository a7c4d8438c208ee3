"""First contact: who answers, whether it is the bike that was meant, what it holds, and a backup of it all."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from crisp_hornet.documents import settings
from crisp_hornet.documents.backup import BackedUpRegister, Backup
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.register import Register
from crisp_hornet.documents.store import parse
from crisp_hornet.documents.tune import SETTINGS, TUNE_VERSION, Tune
from crisp_hornet.link.errors import LineDead, WrongDevice
from crisp_hornet.link.line import SILENT, Line, ModbusLine
from crisp_hornet.link.transports import ANSWER_S, transport_to

LONGEST_READ = 40  # words in one question
Raws = dict[str, int]  # what registers hold, raw, by name


@dataclass(frozen=True)
class Identity:
    """What a controller says it is."""

    vendor: str
    product: str
    firmware: str
    serial: str


@dataclass(frozen=True)
class Live:
    """One reading of all live values, with the moment it was taken (monotonic seconds)."""

    at_s: float
    values: dict[str, float]


@dataclass
class Contact:
    """An open line to a known controller, and what its registers last held."""

    line: Line
    map: ControllerMap
    identity: Identity
    raws: Raws = field(default_factory=dict)

    def tune(self, name: str) -> Tune:
        """What the controller holds, as a tune."""
        return tune_of(self.map, self.raws, name)


def open_line(address: str, maps: Sequence[ControllerMap], answer_s: float = ANSWER_S) -> ModbusLine:
    """An open line to whoever answers at ``address``, asked as each description says it is to be asked.

    Raises :class:`~crisp_hornet.link.errors.PortFailed` when the way cannot be opened and
    :class:`~crisp_hornet.link.errors.LineDead` when nobody answers.
    """
    radios = [one.bluetooth for one in maps if one.bluetooth is not None]
    tried: list[tuple[int, int]] = []
    last: LineDead | None = None
    for way in sorted((one.line for one in maps), key=lambda line: -line.baud):
        if (way.baud, way.device) in tried:
            continue
        tried.append((way.baud, way.device))
        line = ModbusLine(transport_to(address, way, radios, answer_s), way.device)
        line.open()
        try:
            line.identify(tries=2)
        except LineDead as error:
            line.close()
            last = error
            continue
        except BaseException:
            line.close()
            raise
        return line
    if last is None or last.why != SILENT:
        raise last or LineDead(
            "Asking who is there", "no description says how to ask", "Add a controller's description."
        )
    asked = ", ".join(f"device {device} at {baud} baud" for baud, device in tried)
    mend = f"Check plug and power. Asked as the descriptions say ({asked}); another controller needs a description of its own."
    raise LineDead(last.what, last.why, mend)


def identify(line: Line, maps: Sequence[ControllerMap]) -> tuple[Identity, ControllerMap]:
    """Who answers, and the description that fits. Raises :class:`WrongDevice` if none does."""
    said = line.identify()
    identity = Identity(said.get(0, ""), said.get(1, ""), said.get(2, ""), said.get(6, ""))
    for one in maps:
        if (one.identity.vendor, one.identity.product) == (identity.vendor, identity.product):
            return identity, one
    raise WrongDevice(
        "This device is not known",
        f"it calls itself {identity.vendor or '?'} {identity.product or '?'}",
        "Nothing was written. Add a description for it, or connect another.",
    )


def readable(controller_map: ControllerMap, firmware: str) -> list[Register]:
    """The registers that a controller of this firmware has."""
    return [
        one
        for one in controller_map.register_list
        if one.since is None or version_key(firmware) >= version_key(one.since)
    ]


def read_raws(
    line: Line, controller_map: ControllerMap, registers: Sequence[Register], longest: int = LONGEST_READ
) -> Raws:
    """What the given registers hold, read in runs of at most ``longest`` words."""
    words: dict[int, int] = {}
    for first, count in runs(registers, longest):
        words.update(zip(range(first, first + count), line.read_settings(first, count), strict=True))
    return {
        one.name: controller_map.raw_of([words[at] for at in range(one.address, one.address + one.words)])
        for one in registers
    }


def runs(registers: Sequence[Register], longest: int = LONGEST_READ) -> list[tuple[int, int]]:
    """Runs (first address, count) without gaps that cover the registers, none longer than ``longest``, none cut through."""
    found: list[tuple[int, int]] = []
    for one in sorted(registers, key=lambda register: register.address):
        if found and one.address == sum(found[-1]) and found[-1][1] + one.words <= longest:
            found[-1] = (found[-1][0], found[-1][1] + one.words)
        else:
            found.append((one.address, one.words))
    return found


def make_contact(line: Line, maps: Sequence[ControllerMap], progress: Callable[[str], None]) -> tuple[Contact, Backup]:
    """Identify, read every register and back it up. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    progress("asking who is there")
    identity, controller_map = identify(line, maps)
    progress(f"reading everything {identity.product} holds")
    registers = readable(controller_map, identity.firmware)
    contact = Contact(line, controller_map, identity, read_raws(line, controller_map, registers))
    return contact, backup_of(contact)


def backup_of(contact: Contact) -> Backup:
    """A backup document of what the contact last read."""
    who = contact.identity
    return Backup(
        taken=datetime.now().astimezone().isoformat(timespec="seconds"),
        vendor=who.vendor,
        product=who.product,
        firmware=who.firmware,
        serial=who.serial,
        registers=[
            BackedUpRegister(
                name=one.name, address=one.address, word=raw, value=one.decode(raw), unit=one.unit,
                type=one.type, calibration=one.is_calibration,
            )
            for one in contact.map.register_list
            if (raw := contact.raws.get(one.name)) is not None
        ],
    )  # fmt: skip


def read_live(contact: Contact) -> Live:
    """One reading of the telemetry block."""
    block = contact.map.telemetry
    words = contact.line.read_live(block.address, block.length)
    values = {one.name: one.value_of(contact.map.raw_of(words[one.at : one.at + one.words])) for one in block.channel}
    return Live(time.monotonic(), values)


def tune_of(controller_map: ControllerMap, raws: Mapping[str, int], name: str) -> Tune:
    """The tune that a controller's registers mean; what it lacks stands as what it does instead.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` if they make no valid tune.
    """
    data: dict[str, object] = {"format": "crisp-hornet/tune", "version": TUNE_VERSION, "name": name}
    held = {lack.name: lack.value for lack in controller_map.lacks} | controller_map.values(raws)
    for path in SETTINGS:
        group, _, key = path.partition(".")
        part = data.setdefault(group, {})
        assert isinstance(part, dict)
        part[key] = held.get(path)
    for path, rows in (("assist.levels.count", "assist"), ("modes.count", "modes")):
        if path in held:
            data[rows] = [] if rows == "modes" else {"levels": []}
    try:
        settings.put_all(data, {path: held[path] for path in settings.FURTHER if path in held})
    except KeyError as error:
        what, why = f"what {controller_map.name} holds", "is none of the choices its description knows"
        raise DocumentError(what, str(error.args[0]), why, "Set it anew, or mend the description.") from None
    return parse(Tune, "crisp-hornet/tune", TUNE_VERSION, data, f"what {controller_map.name} holds")


def version_key(version: str) -> tuple[int, ...]:
    """A firmware version to compare by: ``3.10.1`` is after ``3.9``."""
    return tuple(int("".join(filter(str.isdigit, part)) or 0) for part in version.split("."))


@dataclass(frozen=True)
class Doubt:
    """What speaks against this being the right controller, or one we know how to handle. ``blocks``: nothing is written."""

    id: str
    text: str
    blocks: bool


def doubts(identity: Identity, controller_map: ControllerMap, expected_serial: str | None) -> list[Doubt]:
    """The doubts about a controller, given the serial number the open bike remembers."""
    found = []
    if expected_serial and identity.serial and expected_serial != identity.serial:
        text = f"This is not the bike that is open: its controller is {expected_serial}, here answers {identity.serial}"
        found.append(Doubt("wrong-bike", text, True))
    known = controller_map.firmware
    if known is not None and identity.firmware:
        at = version_key(identity.firmware)
        if at < version_key(known.least):
            text = f"Firmware {identity.firmware} is older than {known.least}, the first that is known to work"
            found.append(Doubt("firmware-old", text, True))
        elif at > version_key(known.newest):
            text = f"Firmware {identity.firmware} is newer than {known.newest}, the last that is known to work"
            found.append(Doubt("firmware-new", text, False))
    return found
