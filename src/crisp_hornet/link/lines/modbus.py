"""A controller that speaks Modbus: named values in words at addresses."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.described import SERIAL_OBJECT
from crisp_hornet.documents.register import Register
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.line import LONGEST_READ, Event, Identity, Raws
from crisp_hornet.link.lines.modbus_files import ModbusFiles
from crisp_hornet.link.lines.modbus_wire import ModbusWire
from crisp_hornet.link.lines.over_wire import OverWire


class ModbusLine(OverWire[ModbusWire]):
    """A description's names over a wire."""

    @property
    def address(self) -> str:
        """Where it leads."""
        return self.wire.transport.address

    @property
    def files(self) -> ModbusFiles | None:
        """Stored rides and the second slot, where the description has them."""
        return ModbusFiles(self.wire, self.map) if self.map.logs is not None or self.map.update is not None else None

    def identify(self) -> Identity:
        """Ask who answers."""
        said, number = self.wire.identify(), self.map.identity.serial_object
        if number and number not in said:
            said[number] = self.wire.identify_object(number)
        return identity_of(said, number)

    def read(self, registers: Sequence[Register], longest: int = LONGEST_READ, backwards: bool = False) -> Raws:
        """What settings hold, in runs of at most ``longest`` words."""
        words: dict[int, int] = {}
        for first, count in runs(registers, longest)[:: -1 if backwards else 1]:
            words.update(zip(range(first, first + count), self.wire.read_settings(first, count), strict=True))
        return {one.name: self.map.raw_of([words[at] for at in _places(one)]) for one in registers}

    def together(self, registers: Sequence[Register]) -> list[int]:
        """Each by itself."""
        return [1] * len(registers)

    def write(self, values: Sequence[tuple[Register, int]]) -> None:
        """Set one setting."""
        for register, raw in values:
            self.wire.write(_places(register)[0], self.map.words_of(register, raw))

    def act(self, act: Act) -> None:
        """Write the word that asks for it."""
        command = self.map.command_of(act)
        if command is None or command.address is None or command.word is None:
            raise LinkError(act.value, "this controller has no such command", "Nothing was written.")
        self.wire.write(command.address, [command.word])

    def read_live(self) -> dict[str, float]:
        """One reading of the telemetry block."""
        block = self.map.telemetry
        assert block is not None and block.address is not None  # checked with the description
        words = self.wire.read_live(block.address, block.length)
        found = {}
        for one in block.channel:
            at = one.at or 0
            found[one.name] = one.value_of(self.map.raw_of(words[at : at + one.words]))
        return found

    def in_step(self) -> bool:
        """Whether the answers still follow the questions."""
        return self.wire.in_step()

    def history(self) -> list[Event]:
        """It tells the fault that stands, and no earlier ones."""
        return []

    def close(self) -> None:
        """Close the wire."""
        self.wire.close()


def identity_of(said: Mapping[int, str], serial_object: int = SERIAL_OBJECT) -> Identity:
    """The identity in the answer to a device identification; object 0 is the maker and no serial number."""
    serial = said.get(serial_object, "") if serial_object else ""
    return Identity(said.get(0, ""), said.get(1, ""), said.get(2, ""), serial.strip())


def runs(registers: Sequence[Register], longest: int = LONGEST_READ) -> list[tuple[int, int]]:
    """Runs (first address, count) without gaps that cover the registers, none longer than ``longest``, none cut through.

    Neighbours differ in length where they can: an answer that came twice then does not pass for the next one's.
    """
    found: list[tuple[int, int]] = []
    for places in sorted((_places(one) for one in registers), key=lambda places: places[0]):
        at, words = places[0], len(places)
        here = found[-1] if found else (-1, 0)
        joins = at == sum(here) and here[1] + words <= longest
        if joins and not (len(found) > 1 and here[1] + words == found[-2][1] and words < here[1]):
            found[-1] = (here[0], here[1] + words)
        else:
            found.append((at, words))
    return found


def _places(register: Register) -> range:
    """The addresses a setting takes."""
    assert register.address is not None  # checked with the description
    return range(register.address, register.address + register.words)
