"""What a controller does on request, and how it is asked to: by a word, an object, a frame, or a plug-in's own words."""

from __future__ import annotations

from enum import Enum
from typing import Annotated

from pydantic import Field

from crisp_hornet.documents.base import Part, Positive, Text
from crisp_hornet.documents.register import Address, Byte, Hex, Object, Type, Word

Value = Annotated[int, Field(strict=True, ge=0, le=0xFFFF_FFFF)]


class Act(Enum):
    """What may be asked of a controller besides its settings."""

    KEEP = "keep"
    CLEAR_FAULTS = "clear_faults"
    DETECT = "detect"
    ZERO = "zero"
    FACTORY = "factory"
    HOLD_OFF = "hold_off"
    ENABLE = "enable"
    ACTIVATE = "activate"


class Ask(Part):
    """A question in a frame: ``command`` and ``payload`` as sent; ``answer``: the command byte of its answer (the same, if not given);
    ``starts``: how the answer's payload begins, what is asked for follows. ``silent``: it is not answered."""

    command: Byte
    payload: Hex = ""
    answer: Byte | None = None
    starts: Hex = ""
    silent: bool = False

    @property
    def sent(self) -> bytes:
        """The payload's bytes."""
        return bytes.fromhex(self.payload)

    @property
    def begins(self) -> bytes:
        """How the answer's payload begins."""
        return bytes.fromhex(self.starts)

    @property
    def answered_by(self) -> int:
        """The command byte of its answer."""
        return self.command if self.answer is None else self.answer


class Command(Part):
    """How the controller is asked to do something: a ``word`` to an ``address`` (Modbus), a ``value`` to an ``object`` (CANopen), a frame
    (``ask``), or a plug-in's ``place``."""

    address: Address | None = None
    word: Word | None = None
    object: Object | None = None
    type: Type = "u32"
    value: Value | None = None
    ask: Ask | None = None
    place: Text | None = None


class Keep(Command):
    """How the controller is made to keep what runs. ``unkept`` names the live value that reads 0 once everything that runs is kept;
    without it the controller cannot say. ``at_once``: what is written is kept already."""

    unkept: Text | None = None
    at_once: bool = False


class Commands(Part):
    """What the controller does on request."""

    clear_faults: Command | None = None
    detect: Command | None = None
    zero: Command | None = None
    factory: Command | None = None


class Inhibit(Part):
    """What holds the motor off. ``state`` names the live value that reads 1 while it does."""

    address: Address | None = None
    object: Object | None = None
    type: Type = "u16"
    place: Text | None = None
    on: Value | None = None
    off: Value | None = None
    ask_on: Ask | None = None
    ask_off: Ask | None = None
    state: Text

    def command(self, on: bool) -> Command:
        """What asks for it, or gives the motor free."""
        word, ask = (self.on, self.ask_on) if on else (self.off, self.ask_off)
        small = word if word is not None and word <= 0xFFFF else None
        return Command(
            address=self.address, word=small, object=self.object, type=self.type, value=word, ask=ask, place=self.place
        )


class Update(Part):
    """How a new firmware goes into the second slot: file records to ``file``, then ``activate``, then a power cycle."""

    hardware: Text
    file: Annotated[int, Field(strict=True, ge=1, le=0xFFFF)]
    record_words: Annotated[int, Field(strict=True, ge=1, le=100)] = 60
    activate: Command
    least_v: Positive | None = None
