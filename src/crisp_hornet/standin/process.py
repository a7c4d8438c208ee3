"""The stand-in's process: ports to reach it by, a clock, and lines of text from whoever holds the bike.

On standard input, one act a line, each answered by one line:

``throttle 0.5``, ``slope 0.08``, ``wheel-up 0``, ``turn-back 1`` and what else ``hands.py`` knows; ``unplug``, ``plug``, ``key-off``
(power cycle), ``fault 12`` (raise a fault), ``break 12`` and ``mend 12`` (its cause), ``dip 20`` (volts the supply falls by), ``freeze 1``
(live values stand still), ``set NAME VALUE`` (somebody else changes a setting), ``stick NAME VALUE`` (a register that holds this
whatever is written) and ``loosen``, ``show NAME`` (answers ``is NAME running kept``), ``noise 0.1 7`` (chance of a spoilt answer,
seed), ``cut torque-signal`` and ``join`` (break and mend a wire), ``roll 3`` and ``crank 5`` (turn wheel or crank by hand), ``heat 80``
(the winding), ``key 0`` and ``key 1`` (off, it answers nothing; on again), ``latency 1.05`` and ``doubles 0.01`` (every answer so late; and
once more so much later), ``lag 0.15`` (a write shows so long after its answer), ``ignore-keep 1``, ``unkept-says 0`` (whatever is so;
``unkept-says true`` ends it), ``inhibit 1`` (the motor held off; ``inhibited`` answers whether it is),
``serial NAME`` (another controller answers),
``obey 1`` (the drive follows what its sensors say, right or wrong), ``lever-stuck 0.4``, ``brake-drag 12``,
``weak-group 0.55 2``, ``mend NAME`` (what a job says that hands can mend), ``measure clamp`` and the other instruments of
``instruments.py``, ``display NAME VALUE`` (its own figure) and ``page``, ``snapshot`` (all that
lasts, as JSON; ``--state FILE`` begins from one),
``sensor NAME VALUE`` (a hidden true value), ``sensors 7`` (draw them all by seed), ``after 2 ACT`` (do that when two more
writes have passed), ``cut-after-writes 2`` (``after 2 unplug``).
"""

from __future__ import annotations

import asyncio
import logging
import os
import signal
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from crisp_hornet.documents import wire
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.kinds import CANOPEN
from crisp_hornet.standin.ports import Answer, PseudoTerminal, TcpPort
from crisp_hornet.standin.snapshot import restore
from crisp_hornet.standin.workshop import Workshop

# Questions for other devices and damaged frames are what it is asked to bear: nothing to report.
logging.getLogger("pymodbus").setLevel(logging.CRITICAL)

STEP_S = 0.001
TICK_S, TALK_S = 0.01, 0.005


@dataclass(frozen=True)
class Reached:
    """By what the stand-in can be reached, besides its pseudo-terminal."""

    link: Path | None = None
    tcp: int | None = None
    bridge: int | None = None
    bluetooth_bus: str | None = None
    baud: int | None = None
    sensors: int = 1  # the seed of the sensors' hidden true values
    state: Path | None = None  # a snapshot to begin from


class StandIn(Workshop):
    """One simulated bike behind its ports."""

    def __init__(self, bike: Bike, controller_map: ControllerMap, reached: Reached) -> None:
        super().__init__(bike, controller_map, reached.sensors)
        if reached.state is not None:
            restore(self, wire.read_object(reached.state))
        self._reached = reached
        self.terminal = PseudoTerminal(self.controller, reached.link, self._after, reached.baud)
        self.tcp: list[TcpPort] = []
        self._radio: Any = None

    async def open(self) -> str:
        """Open every port; returns the names they can be reached by, the pseudo-terminal first."""
        names = [self._reached_by(self.terminal.plug())]
        for port, framed in ((self._reached.tcp, True), (self._reached.bridge, False)):
            if port is not None:
                opened = TcpPort(self.controller, framed, self._after)
                self.tcp.append(opened)
                names.append(f"{'tcp' if framed else 'rtu+tcp'}://127.0.0.1:{await opened.open(port)}")
        if self._reached.bluetooth_bus is not None:
            from crisp_hornet.standin.bluetooth import open_bluetooth

            self._radio = await open_bluetooth(  # type: ignore[no-untyped-call]
                self._reached.bluetooth_bus, self.controller, self._after
            )
            names.append(f"ble://{self._radio.address}")
        return " ".join(names)

    def _reached_by(self, name: str) -> str:
        """The terminal's name as an address: what is behind a CAN adapter is reached through it."""
        return f"can://slcan{Path(name).absolute()}" if self.controller.map.line.kind == CANOPEN else name

    async def close(self) -> None:
        """Close every port."""
        self.terminal.unplug()
        for port in self.tcp:
            await port.close()
        if self._radio is not None:
            self._radio.close()

    def plug(self) -> str:
        """The lead is plugged in; the pseudo-terminal's name."""
        return self.terminal.plug()

    def unplug(self) -> None:
        """The lead is pulled, and so is the bridge's."""
        self.terminal.unplug()
        for port in self.tcp:
            port.drop()

    async def run(self) -> None:
        """Keep the simulated bike in step with the clock until cancelled."""
        done = time.monotonic()
        while True:
            now = time.monotonic()
            if now - done > 0.5:  # the machine slept: do not race to catch up
                done = now - 0.5
            while done + STEP_S <= now:
                self.step(STEP_S)
                done += STEP_S
            await asyncio.sleep(TICK_S)

    async def talk(self) -> None:
        """Let it say what it says unasked, until cancelled."""
        while True:
            self.terminal.speak()
            for port in self.tcp:
                port.speak()
            await asyncio.sleep(TALK_S)

    def _after(self, answer: bytes, wrote: bool) -> Answer:
        """What happens on the way back: acts that are due, then whatever spoils the line."""
        acts = self.trouble.after_write() if wrote else []
        for act in acts:
            self.do(act)
        return [] if any(act.startswith(("unplug", "key-off")) for act in acts) else self.trouble.spoilt(answer)


async def serve(
    bike: Bike, controller_map: ControllerMap, reached: Reached, owned: bool = False, acts: Sequence[str] = ()
) -> None:
    """Run until SIGTERM or SIGINT, or, if ``owned``, until standard input closes; ``acts`` are done first.

    Raises :class:`OSError` for a port that is taken and :class:`ValueError` for an act that makes no sense.
    """
    loop = asyncio.get_running_loop()
    stand_in = StandIn(bike, controller_map, reached)
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, stop.set)
    ready = await stand_in.open()
    for act in acts:
        if (said := stand_in.do(act)).startswith("no "):
            raise ValueError(f"--fault {act}: {said[3:]}")
    _say(f"ready {ready}")
    _listen(loop, stand_in, stop.set if owned else None)
    tasks = [asyncio.create_task(work) for work in (stand_in.run(), stand_in.talk())]
    await stop.wait()
    for task in tasks:
        task.cancel()
    await stand_in.close()


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
