"""Starts the stand-in as the process it is, and speaks to it as whoever holds the bike would."""

from __future__ import annotations

import os
import selectors
import sys
from multiprocessing.connection import Connection
from pathlib import Path

from crisp_hornet.cli import main
from tests.forks import FORKS


def _play(options: tuple[str, ...], heard: Connection, said: Connection) -> None:
    """The command, with pipes for its standard input and output."""
    os.dup2(heard.fileno(), 0)
    os.dup2(said.fileno(), 1)
    sys.stdin, sys.stdout = open(0), open(1, "w", buffering=1)  # noqa: SIM115
    sys.exit(main(["standin", *options]))


class StandInProcess:
    def __init__(self, folder: Path, *options: str) -> None:
        theirs_in, self._in = FORKS.Pipe(duplex=False)
        self._out, theirs_out = FORKS.Pipe(duplex=False)
        options = ("--owned", "--link", str(folder / "bike"), *options)
        self._process = FORKS.Process(target=_play, args=(options, theirs_in, theirs_out), daemon=True)
        self._process.start()
        theirs_in.close()
        theirs_out.close()
        self._lines = os.fdopen(os.dup(self._out.fileno()), "r")
        line = self._line(timeout=60)
        assert line.startswith("ready "), line
        self.ports = line.split()[1:]
        self.port = self.ports[0]

    def do(self, act: str) -> str:
        os.write(self._in.fileno(), f"{act}\n".encode())
        return self._line(timeout=30)

    def shows(self, name: str) -> tuple[str, str]:
        """(running, kept) value of a setting inside the stand-in."""
        _, _, running, kept = self.do(f"show {name}").split()
        return running, kept

    def close(self) -> int:
        self._process.terminate()
        self._process.join(10)
        for end in (self._in, self._out, self._lines):
            end.close()
        return self._process.exitcode

    def _line(self, timeout: float) -> str:
        with selectors.DefaultSelector() as waiting:
            waiting.register(self._lines, selectors.EVENT_READ)
            assert waiting.select(timeout), "the stand-in says nothing"
        return self._lines.readline().strip()


def is_gone(path: str) -> bool:
    return not os.path.lexists(path)
