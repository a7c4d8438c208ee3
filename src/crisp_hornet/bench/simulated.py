"""The simulated bikes beside the window: where they are reached, and hands on the one that was reached last."""

from __future__ import annotations

from collections.abc import Callable, Mapping

Act = Callable[[str], str]


class Simulated:
    """``ports`` are the ways in, the serial one of the first bike first; ``others``: hands on the bike behind a port of another."""

    def __init__(
        self, ports: tuple[str, ...] = (), act: Act = lambda _line: "", others: Mapping[str, Act] | None = None
    ) -> None:
        self._first, self._others = act, dict(others or {})
        self.ports = (*ports, *self._others)
        self._act = act

    @property
    def port(self) -> str:
        """The first way in; "" where nothing is simulated."""
        return self.ports[0] if self.ports else ""

    def act(self, line: str) -> str:
        """Do one thing to the bike that was reached last ("brake 1"); its answer."""
        return self._act(line)

    def used(self, port: str) -> None:
        """A contact was made through a port: hands are on that bike from now on."""
        self._act = self._others.get(port, self._first)
