"""What a description for Modbus must say: an address for everything, and nothing at two of them."""

from __future__ import annotations

from crisp_hornet.documents.acts import Command
from crisp_hornet.documents.described import Described
from crisp_hornet.documents.map_checks.acts import acts_of, check_acts
from crisp_hornet.documents.map_checks.faulty import faulty

LONGEST_BLOCK = 120


def check_modbus(found: Described) -> None:
    """Addresses. Raises what :func:`faulty` makes."""
    settings = _settings(found)
    _check_telemetry(found)
    acts = acts_of(found)
    for one in acts:
        if one.command.address is None or one.command.word is None:
            raise faulty(f"{one.name} needs an address and a word", *one.place)
    check_acts(acts, _target, lambda address: f"{address:#06x}", settings, "address")
    logs = found.logs
    if logs is not None and None in (logs.count, logs.lengths, logs.first_file):
        raise faulty("logs needs count, lengths and first_file", "logs")


def _target(command: Command) -> tuple[int, object]:
    assert command.address is not None  # looked at before
    return command.address, command.word


def _settings(found: Described) -> dict[int, str]:
    taken: dict[int, str] = {}
    for index, register in enumerate(found.register_list):
        if register.address is None:
            raise faulty(f"register {register.name} has no address", "register", index, "address")
        if register.size_bits not in (16, 32) or register.bit is not None:
            raise faulty(f"register {register.name}: Modbus holds u16, i16, u32 and i32", "register", index, "type")
        for address in range(register.address, register.address + register.words):
            if address > 0xFFFF:
                raise faulty(f"register {register.name} reaches beyond address 0xFFFF", "register", index, "address")
            if address in taken:
                raise faulty(f"register address {address:#06x} stands twice, for {taken[address]} and {register.name}",
                             "register", index, "address")  # fmt: skip
            taken[address] = register.name
    return taken


def _check_telemetry(found: Described) -> None:
    block = found.telemetry
    if block is None or block.address is None:
        raise faulty("telemetry needs the address of its first register", "telemetry")
    places: dict[int, str] = {}
    for index, channel in enumerate(block.channel):
        if channel.at is None or channel.size_bits not in (16, 32) or channel.bit is not None:
            raise faulty(
                f"channel {channel.name} needs at, and one of u16, i16, u32, i32", "telemetry", "channel", index
            )
        for at in range(channel.at, channel.at + channel.words):
            if at in places:
                raise faulty(f"two telemetry channels stand at the same place: {places[at]} and {channel.name}",
                             "telemetry", "channel", index)  # fmt: skip
            places[at] = channel.name
    if block.address + block.length > 0x10000:
        raise faulty("the telemetry block reaches beyond address 0xFFFF", "telemetry", "address")
    if block.length > LONGEST_BLOCK:
        raise faulty(f"the telemetry block is longer than one question can read ({LONGEST_BLOCK} words)", "telemetry")
