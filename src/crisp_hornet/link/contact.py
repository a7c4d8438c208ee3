"""First contact: who answers, whether it is the bike that was meant, what it holds, and a backup of it all."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from crisp_hornet.documents import settings
from crisp_hornet.documents.backup import BackedUpRegister, Backup
from crisp_hornet.documents.controller_map import SERIAL_OBJECT, ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.register import Register
from crisp_hornet.documents.store import parse
from crisp_hornet.documents.tune import SETTINGS, TUNE_VERSION, Tune
from crisp_hornet.link.errors import LineGarbled, WrongDevice
from crisp_hornet.link.line import Line

LONGEST_READ = 40  # words in one question
OTHER_RUNS = (9, 5, 11, 7)  # of the readings that confirm it
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
        """What the controller holds, as a tune. Raises :class:`~crisp_hornet.documents.errors.DocumentError` where it is none."""
        return tune_of(self.map, self.raws, name)

    def sound_tune(self, name: str) -> Tune | None:
        """What the controller holds, as a tune; None where that is none (a fade crossed by a send that was cut)."""
        try:
            return self.tune(name)
        except DocumentError:
            return None


def identity_of(said: Mapping[int, str], serial_object: int = SERIAL_OBJECT) -> Identity:
    """The identity in the answer to a device identification; object 0 is the maker and no serial number."""
    serial = said.get(serial_object, "") if serial_object else ""
    return Identity(said.get(0, ""), said.get(1, ""), said.get(2, ""), serial.strip())


def ask_identity(line: Line, controller_map: ControllerMap, said: dict[int, str] | None = None) -> Identity:
    """Who answers, read as a description says; ``said`` if it was asked already. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    said, number = line.identify() if said is None else said, controller_map.identity.serial_object
    if number and number not in said:
        said[number] = line.identify_object(number)
    return identity_of(said, number)


def map_of(identity: Identity, maps: Sequence[ControllerMap], device: int) -> ControllerMap | None:
    """The description that fits: one for that very address before others, the user's own before a shipped one."""
    named = (identity.vendor, identity.product)
    fits = [one for one in maps if (one.identity.vendor, one.identity.product) == named]
    return next((fit for fit in fits if fit.line.device == device), fits[0] if fits else None)


def identify(line: Line, maps: Sequence[ControllerMap]) -> tuple[Identity, ControllerMap]:
    """Who answers, and the description that fits. Raises :class:`WrongDevice` if none does."""
    said = line.identify()
    identity = identity_of(said)
    found = map_of(identity, maps, line.device)
    if found is None:
        raise WrongDevice(
            "This device is not known",
            f"it reports {identity.vendor or '?'} {identity.product or '?'}",
            "Nothing was written. Add a description for it, or connect another.",
        )
    return ask_identity(line, found, said), found


def readable(controller_map: ControllerMap, firmware: str) -> list[Register]:
    """The registers that a controller of this firmware has."""
    return [
        register
        for register in controller_map.register_list
        if register.since is None or version_key(firmware) >= version_key(register.since)
    ]


def read_raws(
    line: Line,
    controller_map: ControllerMap,
    registers: Sequence[Register],
    longest: int = LONGEST_READ,
    backwards: bool = False,
) -> Raws:
    """What the given registers hold, read in runs of at most ``longest`` words.

    Once anything went wrong on the line an answer may belong to an earlier question: then it is read the other way round, in runs of
    other lengths, until two readings in a row agree; an answer that came too late is another register's in each of them. Raises
    :class:`~crisp_hornet.link.errors.LinkError`.
    """
    found = _read_once(line, controller_map, registers, longest, backwards)
    if line.in_step() and not line.troubles:
        return found
    for other in OTHER_RUNS:
        backwards = not backwards
        again = _read_once(line, controller_map, registers, min(longest, other), backwards)
        if again == found:
            return found
        found = again
    raise LineGarbled(
        "Reading the settings", "two readings of the same registers differ", "Check the lead, then connect again."
    )


def _read_once(
    line: Line, controller_map: ControllerMap, registers: Sequence[Register], longest: int, backwards: bool
) -> Raws:
    words: dict[int, int] = {}
    for first, count in runs(registers, longest)[:: -1 if backwards else 1]:
        words.update(zip(range(first, first + count), line.read_settings(first, count), strict=True))
    return {
        register.name: controller_map.raw_of(
            [words[at] for at in range(register.address, register.address + register.words)]
        )
        for register in registers
    }


def runs(registers: Sequence[Register], longest: int = LONGEST_READ) -> list[tuple[int, int]]:
    """Runs (first address, count) without gaps that cover the registers, none longer than ``longest``, none cut through.

    Neighbours differ in length where they can: an answer that came twice then does not pass for the next one's.
    """
    found: list[tuple[int, int]] = []
    for one in sorted(registers, key=lambda register: register.address):
        here = found[-1] if found else (-1, 0)
        joins = one.address == sum(here) and here[1] + one.words <= longest
        if joins and not (len(found) > 1 and here[1] + one.words == found[-2][1] and one.words < here[1]):
            found[-1] = (here[0], here[1] + one.words)
        else:
            found.append((one.address, one.words))
    return found


def make_contact(line: Line, maps: Sequence[ControllerMap], progress: Callable[[str], None]) -> tuple[Contact, Backup]:
    """Identify, read every register and back it up. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
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
                name=register.name, address=register.address, word=raw, value=register.decode(raw), unit=register.unit,
                type=register.type, calibration=register.is_calibration,
            )
            for register in contact.map.register_list
            if (raw := contact.raws.get(register.name)) is not None
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
    held = {lack.name: lack.value for lack in controller_map.lacks} | controller_map.as_settings(
        controller_map.values(raws)
    )
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
        raise DocumentError(what, str(error.args[0]), why, "Set it again, or correct the description.") from None
    return parse(Tune, "crisp-hornet/tune", TUNE_VERSION, data, f"what {controller_map.name} holds")


def version_key(version: str) -> tuple[int, ...]:
    """A firmware version to compare by: ``3.10.1`` is after ``3.9``."""
    return tuple(int("".join(filter(str.isdigit, part)) or 0) for part in version.split("."))
