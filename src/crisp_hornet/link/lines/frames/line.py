"""A controller with frames of its maker's own: named values in pages that are read whole and written whole."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from crisp_hornet.documents.acts import Act, Ask
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import Block, Frames, Texts
from crisp_hornet.documents.register import Register
from crisp_hornet.link.errors import LineGarbled, LinkError
from crisp_hornet.link.line import LONGEST_READ, Event, Identity, Raws
from crisp_hornet.link.lines.frames.pages import is_sound, raw_in, sealed, still, text_in, with_raw
from crisp_hornet.link.lines.frames.wire import FramesWire
from crisp_hornet.link.lines.over_wire import OverWire

LIVE, WHO = "Reading the live values", "Identifying the controller"


class FramesLine(OverWire[FramesWire]):
    """A description's names over a wire."""

    def __init__(self, wire: FramesWire, controller_map: ControllerMap) -> None:
        super().__init__(wire, controller_map)
        self.files = None
        self._pages: dict[str, bytes] = {}  # as last read
        self._sent: dict[str, bytes] = {}  # as last sent, whether or not that was answered

    @property
    def address(self) -> str:
        """Where it leads."""
        return self.wire.transport.address

    def identify(self) -> Identity:
        """Ask who answers."""
        return identity_in(self.wire.ask(WHO, _identity_ask(self.map)), self.map)

    def read(self, registers: Sequence[Register], longest: int = LONGEST_READ, backwards: bool = False) -> Raws:
        """What settings hold; each page is read once, in the description's order or the other way round."""
        wanted = {one.block for one in registers}
        blocks = [block for block in self.map.block if block.name in wanted]
        pages = {block.name: self._read_page(block) for block in blocks[:: -1 if backwards else 1]}
        return {one.name: raw_in(pages[_block(one)], _at(one), one, self._frames.byte_order) for one in registers}

    def together(self, registers: Sequence[Register]) -> list[int]:
        """What stands side by side in one page goes in one write."""
        return [len(list(same)) for _, same in groupby(registers, key=_block)]

    def write(self, values: Sequence[tuple[Register, int]]) -> None:
        """Write a page with some settings changed; one that changed since it was last read is not written over."""
        block = self.map.block_of(_block(values[0][0]))
        what = f"Writing page {block.name}"
        if block.write is None:
            raise LinkError(what, "this page is never written", "Nothing was written.")
        known, page = self._pages.get(block.name), self._read_page(block)
        ours = [still(one, block) for one in (known, self._sent.get(block.name)) if one is not None]
        if known is not None and still(page, block) not in ours:
            self._pages[block.name] = known  # until somebody has looked at it, it is not written at all
            why = "the page changed since it was read: somebody else writes too"
            raise LinkError(what, why, "Read the controller again.")
        for register, raw in values:
            page = with_raw(page, _at(register), register, self._frames.byte_order, raw)
        page = sealed(page, block)
        self._sent[block.name] = page
        self.wire.ask(what, block.write, page, once=True)
        self._pages[block.name] = page

    def act(self, act: Act) -> None:
        """Send the frame that asks for it."""
        command = self.map.command_of(act)
        if command is None or command.ask is None:
            raise LinkError(act.value, "this controller has no such command", "Nothing was written.")
        self.wire.ask(f"Asking it to {act.value.replace('_', ' ')}", command.ask, once=True)

    def read_live(self) -> dict[str, float]:
        """The live values: asked for, or the next that come unasked."""
        live = self.map.telemetry
        assert live is not None  # checked with the description
        payload = self.wire.ask(LIVE, live.ask, moves=True) if live.ask is not None else self.wire.listen(LIVE)
        if len(payload) < live.bytes_long:
            raise LineGarbled(
                LIVE, f"{len(payload)} bytes came, {live.bytes_long} are described", "Check the description."
            )
        order = self._frames.byte_order
        return {one.name: one.value_of(raw_in(payload, one.at or 0, one, order)) for one in live.channel}

    def in_step(self) -> bool:
        """Whether the answers still follow the questions."""
        return self.wire.in_step()

    def history(self) -> list[Event]:
        """It tells the fault that stands, and no earlier ones."""
        return []

    def close(self) -> None:
        """Close the wire."""
        self.wire.transport.close()

    @property
    def _frames(self) -> Frames:
        assert self.map.frames is not None  # checked with the description
        return self.map.frames

    def _read_page(self, block: Block) -> bytes:
        what = f"Reading page {block.name}"
        page = self.wire.ask(what, block.read)
        if len(page) != block.length:
            raise LineGarbled(what, f"{len(page)} bytes came, {block.length} are described", "Check the description.")
        if not is_sound(page, block):
            raise LineGarbled(what, "its own checksum does not fit", "Read it again, or check the description.")
        self._pages[block.name] = page
        return page


def identity_in(payload: bytes, controller_map: ControllerMap) -> Identity:
    """Who says so; the maker is taken from the description, which such answers seldom name."""
    told = controller_map.identity

    def text(place: Texts | None) -> str:
        return text_in(payload, place.at, place.length) if place is not None else ""

    return Identity(told.vendor, text(told.product_at), text(told.firmware_at), text(told.serial_at))


def _identity_ask(controller_map: ControllerMap) -> Ask:
    assert controller_map.identity.ask is not None  # checked with the description
    return controller_map.identity.ask


def _block(register: Register) -> str:
    assert register.block is not None  # checked with the description
    return register.block


def _at(register: Register) -> int:
    assert register.at is not None  # checked with the description
    return register.at
