"""The garage: opens its folder, brings its tables up to date, and keeps what happens.

A ride's file is written before its row, so a crash in between leaves at most a file nobody names. SQLite runs
with a write-ahead log: what was committed survives a kill at any instant.
"""

from __future__ import annotations

import hashlib
import sqlite3
import time
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.glance import Glance
from crisp_hornet.garage.opening import (
    ATTACHMENTS,
    DATABASE,
    NEWEST,
    RIDES,
    UNFINISHED,
    GarageError,
    TooNew,
    failed,
    make_file,
    version_of,
)
from crisp_hornet.garage.roads import Roads
from crisp_hornet.garage.settings import Settings
from crisp_hornet.garage.store import Store

if TYPE_CHECKING:  # what goes through SQLAlchemy is loaded when it is first needed
    from crisp_hornet.garage.backups import Backups, Calibrations
    from crisp_hornet.garage.bikes import Bikes
    from crisp_hornet.garage.book import Book
    from crisp_hornet.garage.customers import Customers
    from crisp_hornet.garage.jobs import Jobs
    from crisp_hornet.garage.rides import Rides
    from crisp_hornet.garage.tunes import Tunes

ORPHAN_S = 600.0
SHARES = "shares"  # the preference of this computer's own garage that names another to work on
CONTROLLERS, SENDING = "controllers", "sending"  # folders beside the database: own descriptions, markers of sends


def default_folder() -> Path:
    """Where the user's own garage lies."""
    return Path(platformdirs.user_data_dir("crisp-hornet"))


def is_shared(garage: str) -> bool:
    """Whether a garage is an address that several benches share, not a folder."""
    return "://" in garage


def folder_of(garage: str | None) -> Path:
    """Where a garage lies: the user's own; of a shared one what this bench works on, in a folder of its own."""
    own = default_folder()
    if garage is None or not is_shared(garage):
        return Path(garage) if garage else own
    return own.parent / f"{own.name}-shared" / hashlib.sha256(garage.encode()).hexdigest()[:16]


def chosen(named: str | None) -> str | None:
    """The garage to work on: the one that was named, else the shared one that was chosen for this computer, else none: its own."""
    if named:
        return named
    kept = Settings(default_folder()).get(SHARES)
    return kept if isinstance(kept, str) and is_shared(kept) else None


def choose(address: str | None) -> None:
    """Work on the shared garage at an address from now on, or on this computer's own. Raises :class:`DocumentError`."""
    Settings(default_folder()).keep(SHARES, address)


def _not_opened(folder: Path, error: Exception) -> GarageError:
    """Why a garage cannot be opened, and what to do."""
    if isinstance(error, TooNew):
        return GarageError(
            f"The garage {folder} comes from a newer version of the application ({error}). Update the application."
        )
    if isinstance(error, OSError):
        why = (error.strerror or "it cannot be read").lower()
        return GarageError(
            f"The garage {folder} cannot be opened: {why}. Nothing in it was changed. Make room on the disk, and check that you may "
            "write there."
        )
    if isinstance(error, DocumentError) and "damaged" not in error.reason:
        return GarageError(
            f"The garage {folder} cannot be opened: {error.reason}. Nothing in it was changed. {error.mend}"
        )
    why = error.reason if isinstance(error, DocumentError) else str(error)
    return GarageError(
        f"The garage {folder} cannot be opened: {why}. Nothing in it was changed. What is sound of it goes into a new one with: "
        f"crisp-hornet rescue --garage {folder} --out FOLDER; then put that in its place."
    )


class Garage:
    """An open garage, by what it keeps. Call :meth:`close` when done."""

    def __init__(self, folder: Path) -> None:
        """Open, or make, the garage in ``folder``. Raises :class:`GarageError`."""
        self.folder = folder
        self.updated = False  # it came from an older version and was brought up to date just now
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            folder.chmod(0o700)
            (folder / RIDES).mkdir(exist_ok=True, mode=0o700)
            make_file(folder / DATABASE)
        except OSError as error:
            raise GarageError(
                f"The garage {folder} cannot be made: {(error.strerror or '').lower()}. Check that you may write there."
            ) from error
        self.store = Store(folder)
        self.glance, self.settings, self.roads = Glance(self.store), Settings(folder), Roads(folder)
        try:
            if version_of(folder) != NEWEST:
                self._bring_up_to_date()
            self._clear_orphans()
        except (DocumentError, OSError, TooNew) as error:
            self.store.close()
            raise _not_opened(folder, error) from error

    def _bring_up_to_date(self) -> None:
        from sqlalchemy.exc import DatabaseError

        from crisp_hornet.garage.database import bring_up_to_date

        try:
            self.updated = bring_up_to_date(self.store.engine, self.folder)
        except (DatabaseError, sqlite3.Error) as error:
            raise failed(self.folder, error) from error

    @cached_property
    def bikes(self) -> Bikes:
        """Its bikes."""
        from crisp_hornet.garage.bikes import Bikes

        return Bikes(self.store)

    @cached_property
    def tunes(self) -> Tunes:
        """Their tunes."""
        from crisp_hornet.garage.tunes import Tunes

        return Tunes(self.store)

    @cached_property
    def rides(self) -> Rides:
        """Their rides."""
        from crisp_hornet.garage.rides import Rides

        return Rides(self.store)

    @cached_property
    def book(self) -> Book:
        """Their logbooks."""
        from crisp_hornet.garage.book import Book

        return Book(self.store)

    @cached_property
    def backups(self) -> Backups:
        """What their controllers held."""
        from crisp_hornet.garage.backups import Backups

        return Backups(self.store)

    @cached_property
    def calibrations(self) -> Calibrations:
        """How their sensors did."""
        from crisp_hornet.garage.backups import Calibrations

        return Calibrations(self.store)

    @cached_property
    def customers(self) -> Customers:
        """Whose bikes these are."""
        from crisp_hornet.garage.customers import Customers

        return Customers(self.store)

    @cached_property
    def jobs(self) -> Jobs:
        """The job sheets in work on them."""
        from crisp_hornet.garage.jobs import Jobs

        return Jobs(self.store)

    def close(self) -> None:
        """Close the database."""
        self.store.close()

    @property
    def unfinished(self) -> bool:
        """Whether something was erased not to its end: :func:`crisp_hornet.garage.erasing.finish` does the rest."""
        return (self.folder / UNFINISHED).exists()

    def _clear_orphans(self) -> None:
        """Files that no row names: an import or a note was killed before its row. What is fresh may be another instance's at work."""
        named = {Path(name).name for name in self.glance.files()}
        before = time.time() - ORPHAN_S
        for folder in (self.folder / RIDES, self.store.folder / ATTACHMENTS, self.store.folder):
            for file in folder.iterdir() if folder.is_dir() else ():
                ours = file.name.startswith(".crisp-hornet-") or (
                    folder != self.store.folder and file.name not in named
                )
                if ours and file.is_file() and file.stat().st_mtime < before:
                    file.unlink(missing_ok=True)
