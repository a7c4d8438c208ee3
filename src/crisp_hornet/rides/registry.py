"""Which reader and which writer takes which file. To add one: a file beside this one with ``@reader`` or ``@writer``; a package of its
own adds them by an entry point of the group ``crisp_hornet.rides`` that names a module to import."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from importlib.metadata import entry_points
from pathlib import Path

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import check_file, too_much
from crisp_hornet.rides.table import Table
from crisp_hornet.rides.taking import Loaded, literal, take

Reader = Callable[[Path], Table]
Writer = Callable[[Ride, Path], None]
READERS: dict[str, Reader] = {}
WRITERS: dict[str, Writer] = {}
SHIPPED = ("separated", "exchange", "json_lines", "gpx", "tcx", "fit", "spreadsheet")
_MARKS = ((b"PAR1", ".parquet"), (b"PK\x03\x04", ".xlsx"))


def reader(*suffixes: str) -> Callable[[Reader], Reader]:
    """Register a reader for file name endings such as ``".csv"``."""

    def register(function: Reader) -> Reader:
        for suffix in suffixes:
            if suffix in READERS:
                raise ValueError(f"two readers for {suffix}")
            READERS[suffix] = function
        return function

    return register


def writer(*suffixes: str) -> Callable[[Writer], Writer]:
    """Register a writer for file name endings."""

    def register(function: Writer) -> Writer:
        WRITERS.update(dict.fromkeys(suffixes, function))
        return function

    return register


def load_formats() -> None:
    """Make all readers and writers known. Here and not at the top: they load large libraries."""
    for name in SHIPPED:
        import_module(f"crisp_hornet.rides.{name}")
    for point in entry_points(group="crisp_hornet.rides"):
        point.load()


def read_table(path: Path) -> Table:
    """Read a log of any known format as it lies there. Raises :class:`RideError`."""
    check_file(path)
    load_formats()
    suffix = kind_of(path)
    read = READERS.get(suffix)
    if read is None:
        shown = suffix or "a file without ending"
        raise RideError(str(path), "", f"no reader for {shown!r}", f"Known: {', '.join(sorted(READERS))}.")
    try:
        return read(path)
    except DocumentError:
        raise
    except MemoryError:
        raise too_much(path, "bytes") from None
    except Exception as error:  # noqa: BLE001 - the libraries' parsers raise what they will for files from outside
        raise _unreadable(path, suffix, error) from None
    except BaseException as error:
        if type(error).__name__ != "PanicException":  # what polars raises is no ordinary error
            raise
        raise _unreadable(path, suffix, error) from None


def _unreadable(path: Path, suffix: str, error: BaseException) -> RideError:
    told = " ".join(str(error).split())[:100] or type(error).__name__
    return RideError(str(path), "", f"no {suffix} file we can read ({told})", "Export it again, as CSV for instance.")


def kind_of(path: Path) -> str:
    """The ending by which a file is read: of its name, ``.gz`` left out, unless its first bytes say otherwise."""
    name = path.name.lower().removesuffix(".gz")
    suffix = Path(name).suffix
    try:
        with path.open("rb") as file:
            head = file.read(16)
    except OSError as error:
        raise RideError(
            str(path), "", (error.strerror or "cannot be read").lower(), "Check that you may read it."
        ) from None
    if head[8:12] == b".FIT":
        return ".fit"
    return next((ending for mark, ending in _MARKS if head.startswith(mark)), suffix)


def read_ride(path: Path) -> Loaded:
    """Read a log with the mapping that fits best. Raises :class:`RideError`."""
    from crisp_hornet.rides.mapping import suggest

    table = read_table(path)
    if (plain := literal(table, path)) is not None:
        return plain
    return take(table, suggest(table), path)


def write_ride(ride: Ride, path: Path) -> None:
    """Write a ride in the form its name asks for. Raises :class:`RideError`."""
    load_formats()
    write = WRITERS.get(path.suffix.lower())
    if write is None:
        raise RideError(str(path), "", f"no writer for {path.suffix!r}", f"Known: {', '.join(sorted(WRITERS))}.")
    write(ride, path)
