"""The garage: opens its folder, brings its tables up to date, and keeps what happens.

A ride's file is written before its row, so a crash in between leaves at most a file nobody names. SQLite runs
with a write-ahead log: what was committed survives a kill at any instant.
"""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

import platformdirs
from sqlalchemy import select
from sqlalchemy.exc import DatabaseError

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.backups import Backups, Calibrations
from crisp_hornet.garage.bikes import Bikes
from crisp_hornet.garage.book import ATTACHMENTS, Book
from crisp_hornet.garage.database import (
    DATABASE,
    GarageError,
    TooNew,
    bring_up_to_date,
    failed,
    open_engine,
)
from crisp_hornet.garage.jobs import Jobs
from crisp_hornet.garage.rides import RIDES, Rides
from crisp_hornet.garage.settings import Settings
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import EventRow, RideRow
from crisp_hornet.garage.tunes import Tunes

ORPHAN_S = 600.0
CONTROLLERS, SENDING = "controllers", "sending"  # folders beside the database: own descriptions, markers of sends


def default_folder() -> Path:
    """Where the user's own garage lies."""
    return Path(platformdirs.user_data_dir("crisp-hornet"))


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
    if isinstance(error, DatabaseError):
        error = failed(folder, error)
    if isinstance(error, DocumentError) and "damaged" not in error.reason:
        return GarageError(
            f"The garage {folder} cannot be opened: {error.reason}. Nothing in it was changed. {error.mend}"
        )
    why = error.reason if isinstance(error, DocumentError) else str(error)
    return GarageError(
        f"The garage {folder} cannot be opened: {why}. Nothing in it was changed. What is sound of it goes into a new one with: "
        f"crisp-hornet rescue --garage {folder} --out FOLDER; then put that in its place."
    )


CONTROLLERS, SENDING = "controllers", "sending"  # folders beside the database: own descriptions, markers of sends


class Garage:
    """An open garage, by what it keeps. Call :meth:`close` when done."""

    def __init__(self, folder: Path) -> None:
        """Open, or make, the garage in ``folder``. Raises :class:`GarageError`."""
        self.folder = folder
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            folder.chmod(0o700)
            (folder / RIDES).mkdir(exist_ok=True, mode=0o700)
            self._engine = open_engine(folder / DATABASE)
        except OSError as error:
            raise GarageError(
                f"The garage {folder} cannot be made: {(error.strerror or '').lower()}. Check that you may write there."
            ) from error
        self.store = store = Store(folder, self._engine)
        self.bikes, self.tunes, self.rides, self.book = Bikes(store), Tunes(store), Rides(store), Book(store)
        self.backups, self.calibrations, self.jobs = Backups(store), Calibrations(store), Jobs(store)
        self.settings = Settings(folder)
        try:
            bring_up_to_date(self._engine, folder)
            self._clear_orphans()
        except (DatabaseError, sqlite3.Error, DocumentError, OSError, TooNew) as error:
            self._engine.dispose()
            raise _not_opened(folder, error) from error

    def close(self) -> None:
        """Close the database."""
        self._engine.dispose()

    def _clear_orphans(self) -> None:
        """Files that no row names: an import or a note was killed before its row. What is fresh may be another instance's at work."""
        with self.store.session() as session:
            named = {Path(name).name for name in session.scalars(select(RideRow.file))}
            named |= {Path(name).name for name in session.scalars(select(EventRow.file)) if name}
        before = time.time() - ORPHAN_S
        for folder in (self.rides.folder, self.store.folder / ATTACHMENTS, self.store.folder):
            for file in folder.iterdir() if folder.is_dir() else ():
                ours = file.name.startswith(".crisp-hornet-") or (
                    folder != self.store.folder and file.name not in named
                )
                if ours and file.is_file() and file.stat().st_mtime < before:
                    file.unlink(missing_ok=True)
