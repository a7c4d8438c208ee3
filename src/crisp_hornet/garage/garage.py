"""The garage: opens its folder, brings its tables up to date, and keeps what happens.

A ride's file is written before its row, so a crash in between leaves at most a file nobody names. SQLite runs
with a write-ahead log: what was committed survives a kill at any instant.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import platformdirs
from sqlalchemy import select
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.book import ATTACHMENTS, Book
from crisp_hornet.garage.database import (
    DATABASE,
    GarageError,
    TooNew,
    bring_up_to_date,
    failed,
    open_engine,
)
from crisp_hornet.garage.rides import RideShelf
from crisp_hornet.garage.tables import BackupRow, BikeRow, CalibrationRow, EventRow, JobRow, RideRow
from crisp_hornet.garage.tunes import TuneShelf

ORPHAN_S = 600.0


@dataclass(frozen=True)
class KeptBike:
    """A bike of the garage by number and name; ``readable``: whether its document is one."""

    id: int
    name: str
    archived: bool
    readable: bool = True


@dataclass(frozen=True)
class JobStep:
    """One step of a job sheet; ``done_at`` is when it was ticked."""

    text: str
    caution: str = ""
    done_at: datetime | None = None


@dataclass(frozen=True)
class Job:
    """A job sheet in work."""

    id: int
    title: str
    steps: tuple[JobStep, ...]
    opened_at: datetime
    closed: bool = False


def _step(one: JobStep) -> dict[str, str | None]:
    return {"text": one.text, "caution": one.caution, "done_at": one.done_at.isoformat() if one.done_at else None}


def _job(row: JobRow) -> Job:
    steps = (
        JobStep(one["text"], one["caution"], datetime.fromisoformat(one["done_at"]) if one["done_at"] else None)
        for one in row.steps
    )
    return Job(row.id, row.title, tuple(steps), row.opened_at, row.closed)


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


def default_folder() -> Path:
    """Where the user's own garage lies."""
    return Path(platformdirs.user_data_dir("crisp-hornet"))


class Garage(TuneShelf, RideShelf, Book):
    """An open garage. Call :meth:`close` when done."""

    def __init__(self, folder: Path) -> None:
        """Open, or make, the garage in ``folder``. Raises :class:`GarageError`."""
        self.folder = folder
        self._rides = folder / "rides"
        self._settings = folder / "settings.json"
        self.unreadable: dict[str, set[int]] = {}
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            folder.chmod(0o700)
            self._rides.mkdir(exist_ok=True, mode=0o700)
            self._engine = open_engine(folder / DATABASE)
        except OSError as error:
            raise GarageError(
                f"The garage {folder} cannot be made: {(error.strerror or '').lower()}. Check that you may write there."
            ) from error
        try:
            bring_up_to_date(self._engine, folder)
            self._clear_orphans()
        except (DatabaseError, sqlite3.Error, DocumentError, OSError, TooNew) as error:
            self._engine.dispose()
            raise _not_opened(folder, error) from error

    def close(self) -> None:
        """Close the database."""
        self._engine.dispose()

    def setting(self, name: str) -> object:
        """A preference kept with the garage; None if it was never set or cannot be read (then the default serves)."""
        try:
            return wire.read_object(self._settings).get(name)
        except DocumentError:
            return None

    def keep_setting(self, name: str, value: object) -> None:
        """Keep a preference. Raises :class:`~crisp_hornet.documents.errors.DocumentError` if it cannot be written."""
        try:
            kept = wire.read_object(self._settings)
        except DocumentError:
            kept = {}
        wire.write_object(self._settings, {**kept, name: value}, private=True)

    def save_bike(self, bike: Bike) -> int:
        """Keep a bike under its name; returns its number."""
        with self._session() as session:
            row = session.scalar(select(BikeRow).where(BikeRow.name == bike.name))
            if row is None:
                row = BikeRow(name=bike.name)
                session.add(row)
            row.document, row.opened_at, row.archived = store.dump(bike), datetime.now(), False
            session.flush()
            return row.id

    def update_bike(self, bike_id: int, bike: Bike) -> None:
        """Keep a bike's document as it now is; its name may have changed."""
        with self._session() as session:
            row = session.get_one(BikeRow, bike_id)
            row.name, row.document = bike.name, store.dump(bike)

    def bikes(self) -> list[KeptBike]:
        """All bikes, the one opened last first."""
        with self._session() as session:
            rows = session.scalars(select(BikeRow).order_by(BikeRow.opened_at.desc()))
            return [
                KeptBike(row.id, str(row.name), row.archived, self._read(Bike, row, "bike") is not None) for row in rows
            ]

    def bike(self, bike_id: int) -> Bike:
        """The document of a bike."""
        with self._session() as session:
            row = session.get_one(BikeRow, bike_id)
            return store.parse(Bike, "crisp-hornet/bike", BIKE_VERSION, row.document, f"{self.folder}: bike {row.name}")

    def open_bike(self, bike_id: int) -> int:
        """Make a bike the one opened last; it comes out of the archive. Returns its number."""
        with self._session() as session:
            row = session.get_one(BikeRow, bike_id)
            row.opened_at, row.archived = datetime.now(), False
        return bike_id

    def archive_bike(self, bike_id: int) -> int:
        """Put a bike away; nothing of it is lost. Returns its number."""
        with self._session() as session:
            session.get_one(BikeRow, bike_id).archived = True
        return bike_id

    def last_bike(self) -> tuple[int, Bike] | None:
        """The bike opened last, with its number; archived ones do not count, nor those that cannot be read."""
        with self._session() as session:
            rows = session.scalars(select(BikeRow).where(~BikeRow.archived).order_by(BikeRow.opened_at.desc()))
            found = ((row.id, self._read(Bike, row, "bike")) for row in rows)
            return next(((number, bike) for number, bike in found if bike is not None), None)

    def keep_backup(self, bike_id: int, backup: Backup) -> None:
        """Keep a backup of a controller."""
        with self._session() as session:
            session.add(
                BackupRow(bike_id=bike_id, serial=backup.serial, document=store.dump(backup), at=datetime.now())
            )

    def backups(self, bike_id: int) -> list[tuple[datetime, Backup]]:
        """All backups, the newest first."""
        with self._session() as session:
            rows = session.scalars(select(BackupRow).where(BackupRow.bike_id == bike_id).order_by(BackupRow.at.desc()))
            found = [(row.at, self._read(Backup, row, "backup")) for row in rows]
            return [(at, backup) for at, backup in found if backup is not None]

    def keep_calibration(self, bike_id: int, calibration: Calibration) -> None:
        """Keep a calibration of a sensor."""
        row = CalibrationRow(
            bike_id=bike_id, kind=calibration.kind, document=calibration.model_dump(mode="json"), at=datetime.now()
        )
        with self._session() as session:
            session.add(row)

    def calibrations(self, bike_id: int, kind: str | None = None) -> list[Calibration]:
        """The calibrations of a bike, or those of one sensor, the newest first."""
        wanted = select(CalibrationRow).where(CalibrationRow.bike_id == bike_id).order_by(CalibrationRow.id.desc())
        if kind is not None:
            wanted = wanted.where(CalibrationRow.kind == kind)
        with self._session() as session:
            found = [self._read(Calibration, row, "calibration") for row in session.scalars(wanted)]
            return [one for one in found if one is not None]

    def start_job(self, bike_id: int, title: str, steps: list[JobStep]) -> Job:
        """Lay out a new job sheet."""
        with self._session() as session:
            row = JobRow(
                bike_id=bike_id, title=title[:200], steps=[_step(one) for one in steps], opened_at=datetime.now()
            )
            session.add(row)
            session.flush()
            return _job(row)

    def keep_job(self, job: Job) -> None:
        """Keep a job sheet as it now is."""
        with self._session() as session:
            row = session.get_one(JobRow, job.id)
            row.title, row.steps, row.closed = job.title[:200], [_step(one) for one in job.steps], job.closed

    def jobs(self, bike_id: int) -> list[Job]:
        """The job sheets in work on a bike, the newest first."""
        with self._session() as session:
            rows = session.scalars(
                select(JobRow).where(JobRow.bike_id == bike_id, ~JobRow.closed).order_by(JobRow.id.desc())
            )
            return [job for row in rows if (job := self._readable_job(row)) is not None]

    def _readable_job(self, row: JobRow) -> Job | None:
        try:
            return _job(row)
        except (TypeError, KeyError, ValueError):
            self.unreadable.setdefault("job sheet", set()).add(row.id)
            return None

    @contextmanager
    def _session(self) -> Iterator[Session]:
        try:
            with Session(self._engine) as session, session.begin():
                yield session
        except DatabaseError as error:
            raise failed(self.folder, error) from error

    def _clear_orphans(self) -> None:
        """Files that no row names: an import or a note was killed before its row. What is fresh may be another instance's at work."""
        with self._session() as session:
            named = {Path(name).name for name in session.scalars(select(RideRow.file))}
            named |= {Path(name).name for name in session.scalars(select(EventRow.file)) if name}
        before = time.time() - ORPHAN_S
        for folder in (self._rides, self.folder / ATTACHMENTS, self.folder):
            for file in folder.iterdir() if folder.is_dir() else ():
                ours = file.name.startswith(".crisp-hornet-") or (folder != self.folder and file.name not in named)
                if ours and file.is_file() and file.stat().st_mtime < before:
                    file.unlink(missing_ok=True)
