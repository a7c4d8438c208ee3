"""Starts the stand-in as the process it is, and speaks to it as whoever holds the bike would."""

from __future__ import annotations

import os
import selectors
import subprocess
import sys
from pathlib import Path


class StandInProcess:
    def __init__(self, folder: Path, *options: str) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "crisp_hornet", "standin", "--owned", "--link", str(folder / "bike"), *options],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            bufsize=1,
        )
        line = self._line(timeout=60)
        assert line.startswith("ready "), line
        self.ports = line.split()[1:]
        self.port = self.ports[0]

    def do(self, act: str) -> str:
        self._process.stdin.write(act + "\n")
        return self._line(timeout=30)

    def shows(self, name: str) -> tuple[str, str]:
        """(running, kept) value of a setting inside the stand-in."""
        _, _, running, kept = self.do(f"show {name}").split()
        return running, kept

    def close(self) -> int:
        self._process.terminate()
        code = self._process.wait(timeout=10)
        self._process.stdin.close()
        self._process.stdout.close()
        return code

    def _line(self, timeout: float) -> str:
        with selectors.DefaultSelector() as waiting:
            waiting.register(self._process.stdout, selectors.EVENT_READ)
            assert waiting.select(timeout), "the stand-in says nothing"
        return self._process.stdout.readline().strip()


def is_gone(path: str) -> bool:
    return not os.path.lexists(path)
