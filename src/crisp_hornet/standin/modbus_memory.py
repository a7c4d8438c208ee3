"""The simulated controller as Modbus sees it: words at addresses, and files of records."""

from __future__ import annotations

from collections.abc import Iterator

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.register import Register
from crisp_hornet.standin.controller import ILLEGAL_ADDRESS, ILLEGAL_VALUE, Refusal, SimulatedController


class ModbusMemory:
    """Addresses of one controller."""

    def __init__(self, controller: SimulatedController) -> None:
        self._controller, self._map = controller, controller.map
        self._places = {at: register for register in self._map.register_list for at in _addresses(register)}

    def identification(self) -> dict[int, bytes]:
        """The basic and regular objects of a device identification."""
        identity, c = self._map.identity, self._controller
        texts = {0: identity.vendor, 1: identity.product, 2: c.firmware, 4: identity.product, 6: c.serial}
        return {key: text.encode("ascii") for key, text in texts.items()}

    def read_holding(self, address: int, count: int) -> list[int]:
        """Settings. Raises :class:`Refusal` where a register does not exist."""
        inhibit = self._map.inhibit
        if inhibit is not None and (address, count) == (inhibit.address, 1):
            held = inhibit.on if self._controller.inhibited else inhibit.off
            return [held or 0]
        return [self._word(at) for at in range(address, address + count)]

    def _word(self, at: int) -> int:
        register = self._places.get(at)
        if register is None:
            raise Refusal(ILLEGAL_ADDRESS)
        words = self._map.words_of(register, self._controller.raw(register.name))
        return words[at - _addresses(register)[0]]

    def read_input(self, address: int, count: int) -> list[int]:
        """Live values, and where stored rides are told."""
        block = self._map.telemetry
        if block is not None and block.address is not None and block.address <= address:
            start = address - block.address
            if start + count <= block.length:
                return self._live_words()[start : start + count]
        logs = self._map.logs
        if logs is not None and logs.count is not None and logs.lengths is not None:
            rides = self._controller.rides
            told = {logs.count: len(rides)} | {logs.lengths + k: len(ride) for k, ride in enumerate(rides)}
            if all(at in told for at in range(address, address + count)):
                return [told[at] for at in range(address, address + count)]
        raise Refusal(ILLEGAL_ADDRESS)

    def _live_words(self) -> list[int]:
        block = self._map.telemetry
        assert block is not None  # looked at before
        words = [0] * block.length
        for channel, raw in self._controller.live_raws():
            at = channel.at or 0
            words[at : at + channel.words] = self._map.words_of(channel, raw)
        return words

    def write(self, address: int, words: list[int]) -> None:
        """Set a register, or do what a command register asks. Raises :class:`Refusal`."""
        asked = list(self._acts(address))
        if asked:
            for act, word in asked:
                if words == [word]:
                    return self._controller.act(act)
            raise Refusal(ILLEGAL_VALUE)
        register = self._places.get(address)
        if register is None or register.words != len(words) or register.address != address:
            raise Refusal(ILLEGAL_ADDRESS)
        return self._controller.write(register, self._map.raw_of(words))

    def _acts(self, address: int) -> Iterator[tuple[Act, int | None]]:
        for act in Act:
            command = self._map.command_of(act)
            if command is not None and command.address == address:
                yield act, command.word

    def read_file(self, file: int, record: int, length: int) -> bytes:
        """Words of a stored ride, or of the second slot."""
        logs, rides = self._map.logs, self._controller.rides
        if logs is not None and logs.first_file is not None and 0 <= file - logs.first_file < len(rides):
            row_words = sum(column.words for column in logs.column)
            data = b"".join(
                word.to_bytes(2, "big") for row in rides[file - logs.first_file] for word in row
            )  # a record is one row
            found = data[2 * record * row_words :][: 2 * length]
        elif self._map.update is not None and file == self._map.update.file:
            found = self._controller.slots.read(record, length)
        else:
            raise Refusal(ILLEGAL_ADDRESS)
        if len(found) != 2 * length:
            raise Refusal(ILLEGAL_ADDRESS)
        return found

    def write_file(self, file: int, record: int, data: bytes) -> None:
        """A piece of a new firmware into the second slot."""
        if self._map.update is None or file != self._map.update.file:
            raise Refusal(ILLEGAL_ADDRESS)
        self._controller.write_slot(record, data)


def _addresses(register: Register) -> range:
    assert register.address is not None  # checked with the description
    return range(register.address, register.address + register.words)
