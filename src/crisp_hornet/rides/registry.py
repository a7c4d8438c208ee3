"""Which reader takes which file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.rides.errors import RideError


@dataclass(frozen=True)
class Loaded:
    """A ride and what was left out while reading it, in plain words."""

    ride: Ride
    notes: list[str]


Reader = Callable[[Path], Loaded]
READERS: dict[str, Reader] = {}


def reader(*suffixes: str) -> Callable[[Reader], Reader]:
    """Register a reader for file name endings such as ``".csv"``."""

    def register(function: Reader) -> Reader:
        for suffix in suffixes:
            if suffix in READERS:
                raise ValueError(f"two readers for {suffix}")
            READERS[suffix] = function
        return function

    return register


def read_ride(path: Path) -> Loaded:
    """Read a log of any known format. Raises :class:`RideError`."""
    from crisp_hornet.rides import exchange  # noqa: F401  (registers its readers; polars loads only when needed)

    if path.is_dir():
        raise RideError(str(path), "", "this is a directory, not a log", "Name the file inside it.")
    if not path.exists():
        raise RideError(str(path), "", "there is no such file", "Check the name.")
    read = READERS.get(path.suffix.lower())
    if read is None:
        raise RideError(
            str(path),
            "",
            f"no reader for {path.suffix or 'a file without ending'!r}",
            f"Known: {', '.join(sorted(READERS))}.",
        )
    return read(path)
