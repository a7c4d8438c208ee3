"""By what the simulated controller is reached: a pseudo-terminal like a serial port, and TCP like a wireless bridge."""

from __future__ import annotations

import asyncio
import os
import tty
from collections.abc import Callable
from pathlib import Path

from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.peers import Peer, peer_of

Answer = list[tuple[float, bytes]]  # pieces with their delays (s)
After = Callable[[bytes, bool], Answer]  # what becomes of an answer; the flag: a write was carried out
BITS_A_BYTE = 10  # one start, eight data, one stop bit
SILENCE_S = 0.00175  # before and after a frame, at speeds above 19,200 (Modbus over Serial Line, 2.5.1.1)


class PseudoTerminal:
    """A serial port in all but the plug. With ``baud`` it takes the time a real line would."""

    def __init__(self, controller: SimulatedController, link: Path | None, after: After, baud: int | None) -> None:
        self._controller, self._link, self._after, self._baud = controller, link, after, baud
        self._ends: tuple[int, int] | None = None
        self._peer: Peer = peer_of(controller)
        self._asked = 0
        self.plug_name = ""

    def plug(self) -> str:
        """Open a pseudo-terminal and point the link at it; returns its name."""
        self.unplug()
        ours, theirs = os.openpty()
        tty.setraw(theirs)
        os.set_blocking(ours, False)
        # their end stays open here too: otherwise reading ours fails whenever nobody else is connected
        self._ends = (ours, theirs)
        self._peer = peer_of(self._controller)
        asyncio.get_running_loop().add_reader(ours, self._on_bytes)
        name = self.plug_name = os.ttyname(theirs)
        if self._link is not None:
            temporary = self._link.with_name(self._link.name + ".new")
            temporary.unlink(missing_ok=True)
            temporary.symlink_to(name)
            temporary.replace(self._link)
            return str(self._link)
        return name

    def unplug(self) -> None:
        """Pull the plug: whoever is connected sees the line go dead."""
        if self._ends is None:
            return
        asyncio.get_running_loop().remove_reader(self._ends[0])
        for end in self._ends:
            os.close(end)
        self._ends = None
        if self._link is not None:
            self._link.unlink(missing_ok=True)

    def _on_bytes(self) -> None:
        assert self._ends is not None
        try:
            data = os.read(self._ends[0], 4096)
        except BlockingIOError:
            return
        self._asked += len(data)
        answer = self._peer.receive(data)
        if not answer:
            return
        ends, asked, self._asked = self._ends, self._asked, 0
        for delay_s, piece in self._after(answer, self._peer.wrote):
            on_line_s = (
                (asked + len(piece)) * BITS_A_BYTE / self._baud + 2 * SILENCE_S if self._baud is not None else 0.0
            )
            if delay_s + on_line_s == 0 and self._ends is ends:
                os.write(ends[0], piece)
            else:
                asyncio.get_running_loop().call_later(delay_s + on_line_s, self._write_late, ends, piece)

    def speak(self) -> None:
        """Say what is said unasked."""
        if self._ends is not None and (said := self._peer.unasked()):
            for delay_s, piece in self._after(said, False):
                asyncio.get_running_loop().call_later(delay_s, self._write_late, self._ends, piece)

    def _write_late(self, ends: tuple[int, int], piece: bytes) -> None:
        if self._ends is ends:
            os.write(ends[0], piece)


class TcpPort:
    """A TCP port: Modbus TCP where ``framed``, the serial line's frames otherwise. One peer per connection."""

    def __init__(self, controller: SimulatedController, framed: bool, after: After) -> None:
        self._controller, self._framed, self._after = controller, framed, after
        self._server: asyncio.Server | None = None
        self._writers: dict[asyncio.StreamWriter, Peer] = {}

    async def open(self, port: int) -> int:
        """Listen on this machine; 0 takes any free port. Returns the port."""
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", port)
        return int(self._server.sockets[0].getsockname()[1])

    async def close(self) -> None:
        """Stop listening and drop everyone."""
        self.drop()
        if self._server is not None:
            self._server.close()

    def drop(self) -> None:
        """Cut all connections."""
        for writer in list(self._writers):
            writer.transport.abort()

    def speak(self) -> None:
        """Say to everyone what is said unasked."""
        for writer, peer in self._writers.items():
            if said := peer.unasked():
                writer.write(said)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        peer = peer_of(self._controller, tcp=self._framed)
        self._writers[writer] = peer
        loop = asyncio.get_running_loop()
        try:
            while data := await reader.read(4096):
                answer = peer.receive(data)
                for delay_s, piece in self._after(answer, peer.wrote) if answer else []:
                    loop.call_later(delay_s, writer.write, piece)
        except ConnectionError:
            pass  # whoever was connected is gone: nothing is left to say to them
        finally:
            self._writers.pop(writer, None)
            writer.close()
