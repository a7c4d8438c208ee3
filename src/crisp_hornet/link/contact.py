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
from crisp_hornet.link.errors import LineGarbled
from crisp_hornet.link.line import LONGEST_READ, Identity, Line, Raws

OTHER_RUNS = (9, 5, 11, 7)  # of the readings that confirm it


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


def readable(controller_map: ControllerMap, firmware: str) -> list[Register]:
    """The registers that a controller of this firmware has."""
    return [
        register
        for register in controller_map.register_list
        if register.since is None or version_key(firmware) >= version_key(register.since)
    ]


def read_raws(
    line: Line,
    registers: Sequence[Register],
    longest: int = LONGEST_READ,
    backwards: bool = False,
) -> Raws:
    """What the given registers hold, read in runs of at most ``longest`` words.

    Once anything went wrong on the line an answer may belong to an earlier question: then it is read the other way round, in runs of
    other lengths, until two readings in a row agree; an answer that came too late is another register's in each of them. Raises
    :class:`~crisp_hornet.link.errors.LinkError`.
    """
    found = line.read(registers, longest, backwards)
    if line.in_step() and not line.troubles:
        return found
    for other in OTHER_RUNS:
        backwards = not backwards
        again = line.read(registers, min(longest, other), backwards)
        if again == found:
            return found
        found = again
    raise LineGarbled(
        "Reading the settings", "two readings of the same registers differ", "Check the lead, then connect again."
    )


def make_contact(line: Line, progress: Callable[[str], None]) -> tuple[Contact, Backup]:
    """Identify, read every setting and back it up. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    identity = line.identify()
    progress(f"reading everything {identity.product} holds")
    contact = Contact(line, line.map, identity, read_raws(line, readable(line.map, identity.firmware)))
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
    """One reading of the live values."""
    return Live(time.monotonic(), contact.line.read_live())


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
