"""First contact: who answers, what it holds, a backup of it all, and its live values."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime

from crisp_hornet.documents.backup import BackedUpRegister, Backup
from crisp_hornet.documents.controller_map import ControllerMap, Register
from crisp_hornet.documents.store import parse
from crisp_hornet.documents.tune import SETTINGS, TUNE_VERSION, Tune
from crisp_hornet.link.errors import WrongDevice
from crisp_hornet.link.line import Line

LONGEST_READ = 40  # registers in one question


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
    """An open line to a known controller, and the words its settings last held, by address."""

    line: Line
    map: ControllerMap
    identity: Identity
    words: dict[int, int] = field(default_factory=dict)

    def tune(self, name: str) -> Tune:
        """What the controller holds, as a tune."""
        return tune_of(self.map, self.words, name)


def identify(line: Line, maps: list[ControllerMap]) -> tuple[Identity, ControllerMap]:
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


def read_words(line: Line, registers: list[Register], cancelled: Callable[[], bool] | None = None) -> dict[int, int]:
    """Words of the given registers by address, read in runs."""
    words: dict[int, int] = {}
    for first, count in runs([register.address for register in registers]):
        words.update(zip(range(first, first + count), line.read_settings(first, count), strict=True))
        if cancelled is not None and cancelled():
            break
    return words


def runs(addresses: list[int], longest: int = LONGEST_READ) -> list[tuple[int, int]]:
    """Consecutive runs (first, count) that cover the addresses, none longer than ``longest``."""
    found: list[tuple[int, int]] = []
    for address in sorted(addresses):
        if found and address == sum(found[-1]) and found[-1][1] < longest:
            found[-1] = (found[-1][0], found[-1][1] + 1)
        else:
            found.append((address, 1))
    return found


def make_contact(line: Line, maps: list[ControllerMap], progress: Callable[[str], None]) -> tuple[Contact, Backup]:
    """Identify, read every setting and back it up. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
    progress("asking who is there")
    identity, controller_map = identify(line, maps)
    progress(f"reading all settings of {identity.product}")
    contact = Contact(line, controller_map, identity, read_words(line, controller_map.register_list))
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
                name=one.name,
                address=one.address,
                word=contact.words[one.address],
                value=one.decode(contact.words[one.address]),
                unit=one.unit,
            )
            for one in contact.map.register_list
        ],
    )


def read_live(contact: Contact) -> Live:
    """One reading of the telemetry block."""
    block = contact.map.telemetry
    words = contact.line.read_live(block.address, block.length)
    return Live(time.monotonic(), {one.name: one.decode(words[one.at]) for one in block.channel})


def tune_of(controller_map: ControllerMap, words: dict[int, int], name: str) -> Tune:
    """The tune that a controller's words mean.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` if they make no valid tune.
    """
    data: dict[str, object] = {"format": "crisp-hornet/tune", "version": TUNE_VERSION, "name": name}
    for path in SETTINGS:
        group, _, key = path.partition(".")
        register = controller_map.register(path)
        value = register.decode(words[register.address]) if register is not None else None
        part = data.setdefault(group, {})
        assert isinstance(part, dict)
        part[key] = value
    return parse(Tune, "crisp-hornet/tune", TUNE_VERSION, data, f"what {controller_map.name} holds")
