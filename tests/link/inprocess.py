"""The real stand-in behind its real pseudo-terminal, on a thread of this process: fast enough for hundreds of seeds."""

import asyncio
import threading

from crisp_hornet.demo import HERON
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike
from crisp_hornet.standin.process import Reached, StandIn

BIKE = read_bike(HERON)
WEIR = shipped_map("Weir 60")


class Threaded:
    """An event loop on a thread, shared by many stand-ins."""

    def __init__(self):
        self.loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self.loop.run_forever, daemon=True)
        self._thread.start()

    def run(self, work):
        return asyncio.run_coroutine_threadsafe(work, self.loop).result(10)

    def close(self):
        self.loop.call_soon_threadsafe(self.loop.stop)
        self._thread.join(5)
        self.loop.close()


class InProcess:
    """One stand-in; ``do`` is what whoever holds the bike does."""

    def __init__(self, threaded, controller_map=WEIR, **reached):
        self._threaded = threaded
        self.standin = threaded.run(self._make(controller_map, Reached(**reached)))
        self.ports = threaded.run(self.standin.open()).split()
        self._talk = asyncio.run_coroutine_threadsafe(self.standin.talk(), threaded.loop)
        self.port = self.ports[0]

    async def _make(self, controller_map, reached):
        return StandIn(BIKE, controller_map, reached)

    def do(self, act):
        async def doing():
            return self.standin.do(act)

        answer = self._threaded.run(doing())
        assert not answer.startswith("no "), answer
        return answer

    def holds(self, kept=False):
        return self.standin.controller.values(kept)

    def close(self):
        self._talk.cancel()
        self._threaded.run(self.standin.close())
