"""How much a log may hold: bounded while it is read, so that no file costs more than some seconds and a thousand million bytes."""

from __future__ import annotations

from pathlib import Path

from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.rides.errors import RideError

MOST_BYTES = 1 << 30  # of a file as it lies there
MOST_UNPACKED = 400 << 20
MOST_ROWS = 5_000_000
MOST_CELLS = 60_000_000
MOST_WORDS = 5_000_000  # cells that are words: each costs as much as some ten figures
MOST_TEXT = 100 << 20  # bytes in such cells
LONGEST_S = 40 * 86400.0  # of a ride


def check_file(path: Path, most: int = MOST_BYTES) -> int:
    """The size of a file. Raises :class:`RideError` where it is none, empty or absurdly large."""
    try:
        wire.must_be_a_file(path)
        size = path.stat().st_size
    except DocumentError as error:
        raise RideError(error.file, error.place, error.reason, error.mend) from None
    except FileNotFoundError:
        raise RideError(str(path), "", "there is no such file", "Check the name.") from None
    except OSError as error:
        why = (error.strerror or "cannot be read").lower()
        raise RideError(str(path), "", why, "Check that you may read it.") from None
    if size == 0:
        raise RideError(str(path), "", "the file is empty", "Choose another log.")
    if size > most:
        raise RideError(str(path), "", f"larger than {most >> 20} MiB", "Cut the log into single rides.")
    return size


def too_much(path: Path, what: str) -> RideError:
    """A log that holds more than any ride does."""
    return RideError(str(path), "", f"holds far too many {what} for a ride", "Cut the log into single rides.")


def check_shape(path: Path, rows: int, columns: int) -> None:
    """Raises :class:`RideError` for more rows or cells than a ride has."""
    if rows > MOST_ROWS:
        raise too_much(path, "rows")
    if rows * columns > MOST_CELLS:
        raise too_much(path, "cells")
