"""The stand-in's process: a pseudo-terminal, a clock, and lines of text from whoever holds the bike.

On standard input, one act a line: ``throttle 0.5``, ``slope 0.08``, ``wheel-up 0``, ``unplug``, ``plug``, ``key-off``
(power cycle), ``cut-after-writes 2`` (the plug falls out after so many more register writes), ``show NAME`` (answers
``is NAME value kept``). Each act is answered by one line.
"""

from __future__ import annotations

import asyncio
import os
import signal
import sys
import time
import tty
from collections.abc import Callable
from pathlib import Path

from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.modbus_peer import ModbusPeer
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.truth import true_bike

STEP_S = 0.001
TICK_S = 0.01


class StandIn:
    """One simulated bike behind one pseudo-terminal."""

    def __init__(self, bike: Bike, controller_map: ControllerMap, link: Path | None) -> None:
        self.hands = Hands()
        self.bike = SimulatedBike(true_bike(bike))
        self.controller = SimulatedController(controller_map, self.bike, self.hands)
        self._link = link
        self._ends: tuple[int, int] | None = None
        self._peer = ModbusPeer(self.controller)
        self._writes_left: int | None = None

    def plug(self) -> str:
        """Open a pseudo-terminal and point the link at it; returns its name."""
        self.unplug()
        ours, theirs = os.openpty()
        tty.setraw(theirs)
        os.set_blocking(ours, False)
        # their end stays open here too: otherwise reading ours fails whenever nobody else is connected
        self._ends = (ours, theirs)
        self._peer = ModbusPeer(self.controller)
        asyncio.get_running_loop().add_reader(ours, self._on_bytes)
        name = os.ttyname(theirs)
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

    def do(self, line: str) -> str:
        """Carry out one line of text and answer it."""
        word, _, rest = line.strip().partition(" ")
        try:
            match word:
                case "plug":
                    return f"ok {self.plug()}"
                case "unplug":
                    self.unplug()
                case "key-off":
                    self.controller.power_cycle()
                case "cut-after-writes":
                    self._writes_left = int(rest)
                case "show":
                    return self._show(rest)
                case _:
                    self.hands.take(word, float(rest))
        except ValueError as error:
            return f"no {error}"
        return "ok"

    async def run(self) -> None:
        """Keep the simulated bike in step with the clock until cancelled."""
        done = time.monotonic()
        while True:
            now = time.monotonic()
            if now - done > 0.5:  # the machine slept: do not race to catch up
                done = now - 0.5
            while done + STEP_S <= now:
                self.bike.step(STEP_S, self.hands, self.controller.settings)
                done += STEP_S
            await asyncio.sleep(TICK_S)

    def _show(self, name: str) -> str:
        register = self.controller.map.register(name)
        if register is None:
            raise ValueError(f"no setting {name}")
        running = register.decode(self.controller.running[register.address])
        kept = register.decode(self.controller.kept[register.address])
        return f"is {name} {running} {kept}"

    def _on_bytes(self) -> None:
        assert self._ends is not None
        try:
            data = os.read(self._ends[0], 4096)
        except BlockingIOError:
            return
        answer = self._peer.receive(data)
        if answer and answer[1] == 6 and self._writes_left is not None:
            if self._writes_left == 0:
                self._writes_left = None
                self.unplug()
                return
            self._writes_left -= 1
        if answer and self._ends is not None:
            os.write(self._ends[0], answer)


async def serve(bike: Bike, controller_map: ControllerMap, link: Path | None, owned: bool = False) -> None:
    """Run until SIGTERM or SIGINT, or, if ``owned``, until standard input closes."""
    loop = asyncio.get_running_loop()
    stand_in = StandIn(bike, controller_map, link)
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, stop.set)
    _say(f"ready {stand_in.plug()}")
    _listen(loop, stand_in, stop.set if owned else None)
    clock = asyncio.create_task(stand_in.run())
    await stop.wait()
    clock.cancel()
    stand_in.unplug()


def _listen(loop: asyncio.AbstractEventLoop, stand_in: StandIn, at_end: Callable[[], None] | None) -> None:
    """Answer lines from standard input, where there is one to read."""
    waiting = bytearray()

    def on_input() -> None:
        data = os.read(0, 4096)
        if not data:
            loop.remove_reader(0)
            if at_end is not None:
                at_end()
        waiting.extend(data)
        while (end := waiting.find(b"\n")) >= 0:
            line = waiting[:end].decode("utf-8", "replace")
            del waiting[: end + 1]
            if line.strip():
                _say(stand_in.do(line))

    try:
        loop.add_reader(0, on_input)
    except (OSError, ValueError):
        pass  # no readable standard input (a file, or none): nobody holds the bike


def _say(line: str) -> None:
    sys.stdout.write(line + "\n")
    sys.stdout.flush()
