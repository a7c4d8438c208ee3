"""What a description of a controller holds: its settings, live values, faults, and what it can do.

What a kind of line needs to know besides stands in ``kinds.py``.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.acts import Ask, Commands, Inhibit, Keep, Update
from crisp_hornet.documents.base import Count, Number, Part, Positive, Text
from crisp_hornet.documents.bike import ShareOf
from crisp_hornet.documents.kinds import Block, Bluetooth, Canopen, Frames, Line, Sheet, Texts
from crisp_hornet.documents.register import Address, Channel, Coded, Register, Word

SERIAL_OBJECT = 6  # by the standard a free text, "user application name": many put the serial number there


class Telemetry(Part):
    """The live values. Modbus: a run of input registers from ``address`` on, read in one question. Frames: asked for (``ask``), or
    ``heard`` unasked. CANopen and plug-ins: each where its channel says."""

    address: Address | None = None
    ask: Ask | None = None
    heard: Ask | None = None
    channel: Annotated[list[Channel], Field(min_length=1, max_length=200)]

    @property
    def length(self) -> int:
        """How many words the block spans."""
        return max(channel.at + channel.words for channel in self.channel if channel.at is not None)

    @property
    def names(self) -> set[str]:
        """The names of all channels."""
        return {channel.name for channel in self.channel}

    @property
    def bytes_long(self) -> int:
        """How many bytes of payload the channels span."""
        return max(channel.at + channel.size for channel in self.channel if channel.at is not None)


class Fault(Part):
    """What a fault code means, what usually causes it, and what to check next."""

    code: Count
    name: Text
    meaning: Text
    causes: list[Text] = []
    check: Text


class Lack(Part):
    """A setting of the tune that this controller does not have: what it does instead (no ``value``: no limit), and why."""

    name: Text
    value: Number | None = None
    reason: Text


class Firmware(Part):
    """From which firmware version to which this description is known to work."""

    least: Text
    newest: Text


class LogColumn(Coded):
    """One value of a stored row; rows hold their columns one after the other."""

    name: Text


class StoredLogs(Part):
    """Rides the controller stores itself. Modbus: ``count`` and, from ``lengths`` on, the rows of each are input registers (lengths
    one word each); log k is file ``first_file + k``. CANopen: ``object`` holds the count in sub-index 0, and ride k in k + 1."""

    count: Address | None = None
    lengths: Address | None = None
    first_file: Annotated[int, Field(strict=True, ge=1, le=0xFFFF)] | None = None
    object: Word | None = None
    interval_s: Positive
    column: Annotated[list[LogColumn], Field(min_length=1)]


class Identity(Part):
    """What the controller must answer to a device identification for this description to fit. ``serial_object``: which object of it is
    the serial number (Modbus); 0 where none is. Frames ask for it (``ask``) and find the texts in the answer."""

    vendor: Text
    product: Text
    serial_object: Annotated[int, Field(strict=True, ge=0, le=255)] = SERIAL_OBJECT
    ask: Ask | None = None
    product_at: Texts | None = None
    firmware_at: Texts | None = None
    serial_at: Texts | None = None


class Described(Part):
    """All of a description (``crisp-hornet/controller-map``), unchecked. ``level_share``: what an assist level's power share is a share
    of, where there are levels."""

    format: Literal["crisp-hornet/controller-map"]
    version: Literal[1]
    name: Text
    identity: Identity
    line: Line = Line()
    firmware: Firmware | None = None
    bluetooth: Bluetooth | None = None
    canopen: Canopen | None = None
    frames: Frames | None = None
    block: Annotated[list[Block], Field(max_length=64)] = []
    sheet: Sheet | None = None
    register_list: Annotated[list[Register], Field(alias="register", min_length=1)]
    lacks: list[Lack] = []
    telemetry: Telemetry | None = None
    keep: Keep | None = None
    commands: Commands = Commands()
    inhibit: Inhibit | None = None
    fault: list[Fault] = []
    level_share: ShareOf | None = None
    update: Update | None = None
    logs: StoredLogs | None = None

    def register(self, name: str) -> Register | None:
        """The register of a name, or ``None`` when this controller lacks it."""
        return next((register for register in self.register_list if register.name == name), None)

    @property
    def channels(self) -> list[Channel]:
        """The live values it has."""
        return self.telemetry.channel if self.telemetry is not None else []

    def block_of(self, name: str) -> Block:
        """The page of a name. Raises :class:`KeyError`."""
        return next(block for block in self.block if block.name == name)
