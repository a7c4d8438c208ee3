"""Stand-ins beside the window: each a process of its own that ends with us."""

from __future__ import annotations

import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.system.itself import command


@contextmanager
def stand_in(link: Path, *more: str) -> Iterator[Callable[[], Simulated]]:
    """A stand-in process that starts by itself; yields what waits for its ports and hands on it (that raises :class:`DocumentError` where
    it does not start). It ends when its standard input closes,
    even if we are killed."""
    arguments = more or ("--tcp", "0", "--bridge", "0")
    line = command("standin", "--owned", "--link", str(link), *arguments)
    process = subprocess.Popen(line, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None and process.stdin is not None
    to, back = process.stdin, process.stdout

    def act(line: str) -> str:
        to.write(line + "\n")
        to.flush()
        return back.readline().strip()

    def ready() -> Simulated:
        said = back.readline().split(maxsplit=1)
        if len(said) != 2 or said[0] != "ready":
            raise DocumentError("the simulated bike", "", "it did not start", "Run: crisp-hornet standin. It says why.")
        return Simulated(tuple(said[1].split()), act)

    try:
        yield ready
    finally:
        process.terminate()
        process.wait(timeout=5)
        process.stdin.close()
        process.stdout.close()
