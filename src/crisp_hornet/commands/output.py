"""Lines of text for whoever reads a command's output; a reader that is gone, or a full disk, does not change how a command ends."""

from __future__ import annotations

import os
import sys
from typing import TextIO


def tell(text: str) -> None:
    """A line on standard output: what was asked for."""
    _write(sys.stdout, text)


def say(text: str) -> None:
    """A line on standard error: what is going on, or wrong."""
    _write(sys.stderr, " ".join(text.split()))


def _write(stream: TextIO | None, text: str) -> None:
    if stream is None:
        return
    try:
        print(text, file=stream, flush=True)
    except OSError:
        _silence(stream)
    except UnicodeEncodeError:  # a terminal that knows fewer letters
        encoding = stream.encoding or "ascii"
        print(text.encode(encoding, "backslashreplace").decode(encoding), file=stream, flush=True)


def _silence(stream: TextIO) -> None:
    """What is still in the buffer, and what comes later, goes nowhere: the interpreter would complain about it at its end."""
    try:
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, stream.fileno())
        os.close(nowhere)
    except (OSError, ValueError):
        pass  # not a real file: nothing is left to be done for it
