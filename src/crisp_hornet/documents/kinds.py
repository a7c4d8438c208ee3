"""By what kind of line a controller is spoken to, and what each kind needs to know. One section of the description for each kind."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.acts import Ask
from crisp_hornet.documents.base import Part, Text
from crisp_hornet.documents.register import Byte, Hex, Place

MODBUS, CANOPEN, FRAMES, HAND = "modbus", "canopen", "frames", "hand"
OWN_KINDS = (MODBUS, CANOPEN, FRAMES, HAND)
Device = Annotated[int, Field(strict=True, ge=1, le=247)]
Uuid = Annotated[str, Field(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")]
Order = Literal["big", "little"]
FramePart = Literal["start", "address", "command", "length", "payload", "checksum", "end"]
Width = Annotated[int, Field(strict=True, ge=8, le=32)]
Parameter = Annotated[int, Field(strict=True, ge=0, le=0xFFFF_FFFF)]


class Bluetooth(Part):
    """A service like a serial line: one characteristic to write to, one that notifies."""

    service: Uuid
    write: Uuid
    notify: Uuid


class Line(Part):
    """How to talk to it. ``word_order``: which word of a 32-bit number comes first. ``settle_s``: how long after its answer a
    write may take until it can be read. ``device``: its address; a node number from 1 to 127 on CAN. ``options``: what a plug-in needs."""

    kind: Annotated[str, Field(strict=True, pattern=r"^[a-z][a-z0-9_-]{0,30}$")] = MODBUS
    baud: Annotated[int, Field(strict=True, ge=300, le=4_000_000)] = 115200
    device: Device = 1
    settle_s: Annotated[float, Field(strict=True, ge=0.0, le=5.0)] = 0.3
    answer_s: Annotated[float, Field(strict=True, ge=0.02, le=5.0)] | None = None
    word_order: Literal["high_first", "low_first"] = "high_first"
    options: dict[str, str | int | float | bool] = {}


class Canopen(Part):
    """What CANopen has of its own: the numbers of object 0x1018 that must fit, the bit rate, which transmit PDOs carry live values, whether
    they may be mapped anew on connecting (``map_pdos``, volatile), and whether the node may be started (``start``)."""

    vendor_id: Parameter
    product_code: Parameter
    bitrate: Annotated[int, Field(strict=True, ge=10_000, le=1_000_000)] = 500_000
    pdos: Annotated[list[Annotated[int, Field(strict=True, ge=1, le=4)]], Field(max_length=4)] = []
    map_pdos: bool = False
    start: bool = False


class Checksum(Part):
    """A checksum: ``sum`` (of the bytes, cut to its width), ``xor`` (8 bits), ``crc`` with its parameters (as usual: polynomial without its
    highest bit), or one by its usual ``name`` (such as Crc16Modbus). ``negated``: the sum's two's complement is sent.
    ``over``: the parts of the frame it is made of."""

    kind: Literal["sum", "xor", "crc"] = "crc"
    name: Text | None = None
    width: Width = 8
    poly: Parameter = 0x07
    init: Parameter = 0
    reflect_in: bool = False
    reflect_out: bool = False
    xor_out: Parameter = 0
    negated: bool = False
    order: Order = "big"
    over: list[FramePart] = ["address", "command", "length", "payload"]


class Length(Part):
    """The length byte or word of a frame: it counts the bytes of the parts in ``counts``, and ``plus`` more."""

    type: Literal["u8", "u16"] = "u8"
    counts: Annotated[list[FramePart], Field(min_length=1)] = ["payload"]
    plus: Annotated[int, Field(strict=True, ge=-16, le=16)] = 0


class Escape(Part):
    """Bytes ``of`` that do not stand for themselves behind the start: ``byte`` stands before them, and they are sent xor ``xor``."""

    byte: Byte
    of: Hex
    xor: Byte


class Refusal(Part):
    """What the controller answers when it will not: the command byte; the first byte of the payload is a code, explained in ``codes``."""

    command: Byte
    codes: dict[str, Text] = {}


class Texts(Part):
    """A text in an answer: ``length`` bytes of ASCII from ``at`` on, ended early by 0."""

    at: Place
    length: Annotated[int, Field(strict=True, ge=1, le=64)]


class Frames(Part):
    """The envelope of every frame. ``parts``: what it is made of, in order; ``echo``: what is sent comes back first, as on a wire that is
    used both ways."""

    start: Hex = ""
    end: Hex = ""
    parts: Annotated[list[FramePart], Field(min_length=1, max_length=7)]
    address: Byte | None = None
    answer_address: Byte | None = None
    byte_order: Order = "big"
    length: Length | None = None
    checksum: Checksum | None = None
    escape: Escape | None = None
    refusal: Refusal | None = None
    echo: bool = False
    longest: Annotated[int, Field(strict=True, ge=8, le=4096)] = 300


class BlockChecksum(Checksum):
    """A checksum inside a page: where it lies, and over which bytes of the page."""

    at: Place
    first: Place = 0
    count: Annotated[int, Field(strict=True, ge=1, le=4096)]


class Block(Part):
    """A page of settings, read whole and written whole. ``moves``: bytes (from, count) that move on by themselves, such as a counter."""

    name: Text
    length: Annotated[int, Field(strict=True, ge=1, le=4096)]
    read: Ask
    write: Ask | None = None
    checksum: BlockChecksum | None = None
    moves: Annotated[list[tuple[Place, Annotated[int, Field(strict=True, ge=1, le=4096)]]], Field(max_length=32)] = []


class Sheet(Part):
    """How the settings are found on a display: what it calls itself there, and how to get to the settings and out of them again."""

    enter: Text | None = None
    leave: Text | None = None
    caution: Text | None = None
