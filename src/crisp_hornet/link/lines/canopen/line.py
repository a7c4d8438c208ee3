"""A controller that speaks CANopen: named values in objects, live values in PDOs, faults in emergencies."""

from __future__ import annotations

import time
from collections.abc import Sequence

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import Canopen
from crisp_hornet.documents.register import Channel, Coded, Object, Register
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled, LinkError
from crisp_hornet.link.line import LONGEST_READ, Event, Identity, Raws
from crisp_hornet.link.lines.canopen.files import CanFiles
from crisp_hornet.link.lines.canopen.pdo import Pdo, map_pdos, read_pdo
from crisp_hornet.link.lines.canopen.wire import CanWire
from crisp_hornet.link.lines.over_wire import OverWire

EMERGENCY, HEARTBEAT = 0x080, 0x700
ERRORS, HISTORY = 0x1001, 0x1003  # the error register, the errors it remembers
IDENTITY, NAME, SOFTWARE = 0x1018, 0x1008, 0x100A
START, OPERATIONAL = 1, 5
STATES = {0: "starting", 4: "stopped", 5: "operational", 127: "pre-operational"}
MOST_HISTORY = 32
LIVE = "Reading the live values"


class CanopenLine(OverWire[CanWire]):
    """A description's names over a wire."""

    def __init__(self, wire: CanWire, controller_map: ControllerMap) -> None:
        super().__init__(wire, controller_map)
        self.address = wire.address
        self.state: int | None = None  # of the network management, as its heartbeat says
        self._pdos: list[Pdo] = []
        self._came: dict[int, bytes] = {}  # of each PDO, what came since it was asked for
        self._heard: list[Event] = []
        self._standing = 0  # the fault that stands, by its emergency
        wire.hear(EMERGENCY + wire.node, self._take_emergency)
        wire.hear(HEARTBEAT + wire.node, self._take_heartbeat)

    def begin(self) -> None:
        """Learn what stands and how live values come. Raises :class:`~crisp_hornet.link.errors.LinkError`."""
        self._look_for_faults()
        own = self._own
        if own.start:
            self.wire.command(START)
        if own.map_pdos and own.pdos:
            map_pdos(self.wire, own.pdos, self.map.channels)
        found = [read_pdo(self.wire, number) for number in own.pdos]
        self._pdos = [pdo for pdo in found if pdo is not None]
        for pdo in self._pdos:
            self.wire.hear(pdo.identifier, lambda data, pdo=pdo: self._came.__setitem__(pdo.identifier, data))  # type: ignore[misc]

    @property
    def files(self) -> CanFiles | None:
        """Stored rides, where the description has them."""
        return CanFiles(self.wire, self.map) if self.map.logs is not None else None

    def identify(self) -> Identity:
        """Ask who answers."""
        return identify(self.wire, self.map)

    def read(self, registers: Sequence[Register], longest: int = LONGEST_READ, backwards: bool = False) -> Raws:
        """What settings hold, an object at a time; the other way round when asked again."""
        found = {}
        for one in list(registers)[:: -1 if backwards else 1]:
            found[one.name] = self._raw(f"Reading {one.label}", _object(one), one)
        return {one.name: found[one.name] for one in registers}

    def together(self, registers: Sequence[Register]) -> list[int]:
        """Each by itself."""
        return [1] * len(registers)

    def write(self, values: Sequence[tuple[Register, int]]) -> None:
        """Set objects, one after the other."""
        for register, raw in values:
            data = raw.to_bytes(register.size, "little")
            self.wire.download(f"Writing {register.label}", _object(register), data)

    def act(self, act: Act) -> None:
        """Set the object that asks for it."""
        command = self.map.command_of(act)
        if command is None or command.object is None or command.value is None:
            raise LinkError(act.value, "this controller has no such command", "Nothing was written.")
        data = command.value.to_bytes(int(command.type[1:]) // 8, "little")
        self.wire.download(f"Asking it to {act.value.replace('_', ' ')}", command.object, data)
        if act is Act.CLEAR_FAULTS:
            self._look_for_faults()

    def read_live(self) -> dict[str, float]:
        """The live values: each PDO that comes from now on, and what none of them carries by SDO."""
        self.wire.drain()
        self._came.clear()
        until = time.monotonic() + self.wire.answer_s
        while len(self._came) < len(self._pdos):
            left = until - time.monotonic()
            if left <= 0:
                raise LineDead(LIVE, self._why_silent(), "Power it off and on, then connect again.")
            self.wire.pump(left)
        raws: dict[Object, int] = {}
        for pdo in self._pdos:
            raws |= pdo.values(self._came[pdo.identifier])
        return {one.name: self._live_value(one, raws) for one in self.map.channels}

    def in_step(self) -> bool:
        """Whether the answers still follow the questions."""
        return self.wire.in_step()

    def history(self) -> list[Event]:
        """The emergencies heard, the newest first, then what the node itself remembers of before."""
        told: list[Event] = []
        try:
            count = min(self._number((HISTORY, 0)), MOST_HISTORY)
            told = [Event(self._number((HISTORY, sub)) & 0xFFFF) for sub in range(1, count + 1)]
        except AnsweredNo:
            pass  # it remembers none
        return [*reversed(self._heard), *told[len(self._heard) :]]

    def close(self) -> None:
        """Let go of the bus."""
        self.wire.close()

    @property
    def _own(self) -> Canopen:
        assert self.map.canopen is not None  # checked with the description
        return self.map.canopen

    def _live_value(self, channel: Channel, raws: dict[Object, int]) -> float:
        if channel.object is None:  # the fault, where only emergencies tell it
            return float(self._standing)
        raw = raws.get(channel.object)
        return channel.value_of(self._raw(LIVE, channel.object, channel) if raw is None else raw)

    def _raw(self, what: str, place: Object, coded: Coded) -> int:
        data = self.wire.upload(what, place)
        if len(data) < coded.size or any(data[coded.size :]):
            raise LineGarbled(what, f"{len(data)} bytes came, {coded.size} are described", "Check the description.")
        return int.from_bytes(data[: coded.size], "little")

    def _number(self, place: Object) -> int:
        return int.from_bytes(self.wire.upload("Reading its faults", place), "little")

    def _look_for_faults(self) -> None:
        """Whether a fault stands that was reported before we listened."""
        self.wire.drain()
        try:
            stands = bool(self._number((ERRORS, 0)))
            self._standing = self._number((HISTORY, 1)) & 0xFFFF if stands else 0
        except AnsweredNo:
            pass  # without a history the emergencies to come tell it

    def _take_emergency(self, data: bytes) -> None:
        if len(data) < 3:
            return
        code = int.from_bytes(data[:2], "little")
        self._standing = code if code & 0xFF00 else 0
        if self._standing:
            self._heard = [*self._heard, Event(code, time.monotonic())][-MOST_HISTORY:]

    def _take_heartbeat(self, data: bytes) -> None:
        if data:
            self.state = data[0] & 0x7F

    def _why_silent(self) -> str:
        if self.state not in (None, OPERATIONAL):
            return f"it sends none: its state is {STATES.get(self.state or 0, 'unknown')}"
        return "it sends none"


def identify(wire: CanWire, described: ControllerMap) -> Identity:
    """Who answers: the maker and type by their numbers, name and software in words where the node has them."""
    own, what = described.canopen, "Identifying the controller"
    assert own is not None  # checked with the description

    def number(sub: int) -> int:
        return int.from_bytes(wire.upload(what, (IDENTITY, sub)), "little")

    def text(index: int) -> str:
        try:
            return wire.upload(what, (index, 0)).split(b"\0")[0].decode("ascii", "replace").strip()
        except AnsweredNo:
            return ""

    vendor, product = number(1), number(2)
    try:
        serial = f"{number(4):d}"
    except AnsweredNo:
        serial = ""
    fits = (vendor, product) == (own.vendor_id, own.product_code)
    told = described.identity
    name = text(NAME) or f"{product:#010x}"
    firmware = text(SOFTWARE)
    if fits:
        return Identity(told.vendor, told.product, firmware, "" if serial == "0" else serial)
    return Identity(f"{vendor:#010x}", name, firmware, serial)


def _object(register: Register) -> Object:
    assert register.object is not None  # checked with the description
    return register.object
