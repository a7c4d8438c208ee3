"""A file that is opened by a double click, by dropping it on the window, or by name: it goes to the station that takes its kind."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.station import Station
from crisp_hornet.bench.stations.stations import Stations
from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError


class Window(Protocol):
    """What is needed of the window."""

    desk: Desk

    stations: Stations

    def show_station(self, key: str) -> None:
        """Show one."""


def open_file(window: Window, path: Path) -> None:
    """Look what a file is and let its station take it; what is wrong with it is said there."""
    try:
        key, take = TAKERS[_kind_of(path)]
    except DocumentError as error:
        window.desk.said.emit("stop", str(error))
        return
    window.show_station(key)
    take(window.stations[key], path)


def _kind_of(path: Path) -> str:
    """What a file is, by its ending and, of a document, by what it says. Raises :class:`DocumentError`."""
    if not path.is_file():
        raise DocumentError(str(path), "", "there is no such file", "Choose another.")
    ending = path.suffix.lower()
    if ending != ".json":
        return {".zip": "archive", ".toml": "sheet"}.get(ending, "log")
    kind = wire.read_object(path).get("format")
    if kind not in TAKERS:
        why = f"{kind!r}"[:80] + " is none of a bike, a tune or a backup"
        raise DocumentError(str(path), "format", why, "Open it where its kind belongs.")
    return str(kind)


def _bike(page: Station, path: Path) -> None:
    from crisp_hornet.bench.stations.build.build_page import BuildPage

    assert isinstance(page, BuildPage)
    page.read_bike(path)


def _tune(page: Station, path: Path) -> None:
    from crisp_hornet.bench.stations.build.build_page import BuildPage

    assert isinstance(page, BuildPage)
    page.read_tune(path)


def _backup(page: Station, path: Path) -> None:
    from crisp_hornet.bench.stations.hookup.hookup_page import HookUpPage

    assert isinstance(page, HookUpPage)
    page.backups.read(path)


def _sheet(page: Station, path: Path) -> None:
    from crisp_hornet.bench.stations.hookup.hookup_page import HookUpPage

    assert isinstance(page, HookUpPage)
    page.by_hand.read(path)


def _archive(page: Station, path: Path) -> None:
    from crisp_hornet.bench.stations.logbook.logbook_page import LogbookPage

    assert isinstance(page, LogbookPage)
    page.import_bike(path)


def _log(page: Station, path: Path) -> None:
    from crisp_hornet.bench.stations.rides.rides_page import RidesPage

    assert isinstance(page, RidesPage)
    page.import_file(path)


TAKERS: dict[str, tuple[str, Callable[[Station, Path], None]]] = {
    "crisp-hornet/bike": ("build", _bike),
    "crisp-hornet/tune": ("build", _tune),
    "crisp-hornet/backup": ("hookup", _backup),
    "sheet": ("hookup", _sheet),
    "archive": ("logbook", _archive),
    "log": ("rides", _log),
}
