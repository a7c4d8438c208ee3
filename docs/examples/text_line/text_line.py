"""A kind of line that no description could describe: an invented controller that answers lines of text over TCP.

    who            product;firmware;serial
    get NAME       a whole number
    set NAME 12    ok
    do NAME        ok
    live           pack_v=6371 throttle=0 ...

What it refuses begins with "no ". In the description, ``place`` is the NAME of a setting, a live value or an act.
"""

from __future__ import annotations

import socket
from collections.abc import Sequence

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.register import Register
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled, LinkError, Nobody, PortFailed
from crisp_hornet.link.line import LONGEST_READ, Event, Identity, Raws

WAY, LONGEST = "text://", 4096
WHO = "Identifying the controller"


class TextKind:
    """What the entry point names: how such controllers are found."""

    name = "text"

    def reaches(self, port: str) -> bool:
        """``text://host:port`` only."""
        return port.startswith(WAY)

    def open(self, port: str, maps: Sequence[ControllerMap], device: int | None, answer_s: float) -> TextLine:
        """Ask who is there, and take the description whose product that is."""
        wire = Wire(port, answer_s)
        try:
            product = wire.ask(WHO, "who").split(";")[0]
            fits = [one for one in maps if one.identity.product == product]
            if not fits:
                raise Nobody(WHO, f"a {product} answers, which no description of this kind names", port)
            return TextLine(wire, fits[0])
        except BaseException:
            wire.close()
            raise


class TextLine:
    """One controller, by the names of its description."""

    def __init__(self, wire: Wire, described: ControllerMap) -> None:
        self.wire, self.map, self.address = wire, described, wire.port
        self.settle_s, self.files = described.line.settle_s, None

    @property
    def troubles(self) -> int:
        """How often an answer was late or made no sense."""
        return self.wire.troubles

    @troubles.setter
    def troubles(self, count: int) -> None:
        self.wire.troubles = count

    def identify(self) -> Identity:
        """Who answers."""
        told = self.wire.ask(WHO, "who").split(";")
        if len(told) != 3:
            raise LineGarbled(WHO, "it does not tell product, firmware and serial number", "Check the description.")
        return Identity(self.map.identity.vendor, *told)

    def read(self, registers: Sequence[Register], longest: int = LONGEST_READ, backwards: bool = False) -> Raws:
        """Settings, one after the other."""
        asked = list(registers)[:: -1 if backwards else 1]
        found = {one.name: self.wire.number(f"Reading {one.label}", f"get {one.place}") for one in asked}
        return {one.name: found[one.name] & ((1 << one.number_bits) - 1) for one in registers}

    def together(self, registers: Sequence[Register]) -> list[int]:
        """Each by itself."""
        return [1] * len(registers)

    def write(self, values: Sequence[tuple[Register, int]]) -> None:
        """Set settings, once."""
        for register, raw in values:
            self.wire.ask(f"Writing {register.label}", f"set {register.place} {raw}", once=True)

    def act(self, act: Act) -> None:
        """Ask for something, once."""
        command = self.map.command_of(act)
        if command is None:
            raise LinkError(act.value, "this controller has no such command", "Nothing was written.")
        self.wire.ask(f"Asking it to {act.value}", f"do {command.place}", once=True)

    def read_live(self) -> dict[str, float]:
        """All live values in one line."""
        told = dict(
            pair.split("=", 1) for pair in self.wire.ask("Reading the live values", "live").split() if "=" in pair
        )
        try:
            return {one.name: one.value_of(int(told[one.place or ""])) for one in self.map.channels}
        except (KeyError, ValueError):
            raise LineGarbled(
                "Reading the live values", "one is missing or no number", "Check the description."
            ) from None

    def in_step(self) -> bool:
        """Each answer ends before the next question: TCP keeps their order, and after trouble the wire is let go."""
        return True

    def history(self) -> list[Event]:
        """It remembers none."""
        return []

    def close(self) -> None:
        """Let go."""
        self.wire.close()


class Wire:
    """A question, its answer, one line each. After any trouble the connection is closed: a late answer then has nowhere to go."""

    def __init__(self, port: str, answer_s: float) -> None:
        self.port, self.troubles = port, 0
        host, _, number = port.removeprefix(WAY).rpartition(":")
        try:
            self._socket: socket.socket | None = socket.create_connection((host, int(number)), answer_s)
        except (OSError, ValueError) as error:
            raise PortFailed(f"{port} cannot be reached", str(error), "Write it as text://host:port.") from None
        self._socket.settimeout(answer_s)

    def ask(self, what: str, line: str, once: bool = False) -> str:
        """The answer to a line. Raises LinkError."""
        if self._socket is None:
            raise LineDead(what, "the connection was lost", "Connect again.")
        came = b""
        try:
            self._socket.sendall(f"{line}\n".encode())
            while not came.endswith(b"\n"):
                piece = self._socket.recv(LONGEST)
                if not piece or len(came) > LONGEST:
                    raise OSError("the other end closed the connection")
                came += piece
        except OSError as error:
            self.troubles += 1
            self.close()
            raise LineDead(what, str(error) or "no answer came in time", "Connect again.") from None
        told = came.decode("ascii", "replace").strip()
        if told.startswith("no "):
            raise AnsweredNo(what, told.removeprefix("no "), "Check wheel, throttle and value.", 0)
        return told

    def number(self, what: str, line: str) -> int:
        """An answer that is a whole number."""
        try:
            return int(self.ask(what, line))
        except ValueError:
            raise LineGarbled(what, "the answer is no number", "Check the description.") from None

    def close(self) -> None:
        """Let go."""
        if self._socket is not None:
            self._socket.close()
        self._socket = None
