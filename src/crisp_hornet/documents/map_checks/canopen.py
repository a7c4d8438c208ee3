"""What a description for CANopen must say: an object for everything, and nothing at two of them."""

from __future__ import annotations

from crisp_hornet.documents.acts import Command
from crisp_hornet.documents.described import Described
from crisp_hornet.documents.map_checks.acts import acts_of, check_acts
from crisp_hornet.documents.map_checks.faulty import faulty
from crisp_hornet.documents.register import Object

MOST_NODE = 127
COMMUNICATION = range(0x1000, 0x2000)  # the profile's own objects: node number, PDOs, storing


def check_canopen(found: Described) -> None:
    """Objects. Raises what :func:`faulty` makes."""
    if found.canopen is None:
        raise faulty("a canopen line needs the section canopen with vendor_id and product_code")
    if found.line.device > MOST_NODE:
        raise faulty(f"a node number is 1 to {MOST_NODE}", "line", "device")
    settings = _settings(found)
    if found.telemetry is None:
        raise faulty("telemetry is missing: live values tell whether it may be written to", "telemetry")
    for index, channel in enumerate(found.channels):
        if channel.object is None and channel.name != "fault":
            raise faulty(f"channel {channel.name} has no object", "telemetry", "channel", index)
    acts = acts_of(found)
    for one in acts:
        if one.command.object is None or one.command.value is None:
            raise faulty(f"{one.name} needs an object and a value", *one.place)
    check_acts(acts, _target, in_words, settings, "object")
    if found.update is not None:
        raise faulty("new firmware over CANopen is not described here", "update")
    if found.logs is not None and found.logs.object is None:
        raise faulty("logs needs the object of its count", "logs")


def _settings(found: Described) -> dict[Object, str]:
    settings: dict[Object, str] = {}
    for index, register in enumerate(found.register_list):
        if register.object is None:
            raise faulty(f"register {register.name} has no object", "register", index, "object")
        if register.object[0] in COMMUNICATION and register.access == "rw":
            raise faulty(
                f"register {register.name}: objects below 0x2000 are the line's own", "register", index, "object"
            )
        if register.bit is not None:
            raise faulty(
                f"register {register.name}: an object is written whole, not by its bits", "register", index, "bit"
            )
        if register.object in settings:
            raise faulty(f"{in_words(register.object)} stands twice, for {settings[register.object]} and {register.name}",
                         "register", index, "object")  # fmt: skip
        settings[register.object] = register.name
    return settings


def in_words(place: Object) -> str:
    """Index and sub-index as they are usually written."""
    return f"{place[0]:#06x}:{place[1]:02x}"


def _target(command: Command) -> tuple[Object, object]:
    assert command.object is not None  # looked at before
    return command.object, command.value
