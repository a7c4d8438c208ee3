"""The garage: opens its folder, brings its tables up to date, and keeps what happens.

A ride's file is written before its row, so a crash in between leaves at most a file nobody names. SQLite runs
with a write-ahead log: what was committed survives a kill at any instant.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import platformdirs
from sqlalchemy import Connection, Engine, create_engine, event, select, text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.backup import BACKUP_VERSION, Backup
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.calibration import CALIBRATION_VERSION, Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.book import Book
from crisp_hornet.garage.rides import RideShelf
from crisp_hornet.garage.tables import BackupRow, BikeRow, CalibrationRow, JobRow
from crisp_hornet.garage.tunes import TuneShelf

NEWEST = "0006"


class GarageError(Exception):
    """The garage cannot be opened: what, why, what to do."""


@dataclass(frozen=True)
class KeptBike:
    """A bike of the garage by number and name."""

    id: int
    name: str
    archived: bool


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
        try:
            self._rides.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise GarageError(
                f"The garage {folder} cannot be made: {(error.strerror or '').lower()}. Check that you may write there."
            ) from error
        self._engine = _engine(folder / "garage.sqlite")
        try:
            self._bring_up_to_date()
        except DatabaseError as error:
            self._engine.dispose()
            raise GarageError(
                f"The garage {folder} cannot be opened: {error.orig}. Nothing in it was changed. What is sound of it goes into a new "
                f"one with: crisp-hornet rescue --garage {folder} --out FOLDER; then put that in its place."
            ) from error

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
        wire.write_object(self._settings, {**kept, name: value})

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
            return [KeptBike(row.id, row.name, row.archived) for row in rows]

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
        """The bike opened last, with its number; archived ones do not count."""
        with self._session() as session:
            row = session.scalar(select(BikeRow).where(~BikeRow.archived).order_by(BikeRow.opened_at.desc()))
            if row is None:
                return None
            return row.id, store.parse(
                Bike, "crisp-hornet/bike", BIKE_VERSION, row.document, f"{self.folder}: bike {row.name}"
            )

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
            where = f"{self.folder}: backup"
            return [
                (row.at, store.parse(Backup, "crisp-hornet/backup", BACKUP_VERSION, row.document, where))
                for row in rows
            ]

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
        where = f"{self.folder}: calibration"
        with self._session() as session:
            return [
                store.parse(Calibration, "crisp-hornet/calibration", CALIBRATION_VERSION, row.document, where)
                for row in session.scalars(wanted)
            ]

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
            return [_job(row) for row in rows]

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with Session(self._engine) as session, session.begin():
            yield session

    def _bring_up_to_date(self) -> None:
        with self._engine.begin() as connection:
            version = _version(connection)
            if version == NEWEST:
                return
            # Alembic is slow to import and only needed for a garage of another version
            from alembic import command
            from alembic.config import Config
            from alembic.util import CommandError

            config = Config()
            config.set_main_option("script_location", "crisp_hornet.garage:migrations")
            config.attributes["connection"] = connection
            try:
                command.upgrade(config, "head")
            except CommandError as error:
                raise GarageError(
                    f"The garage {self.folder} comes from a newer version of the application ({version}). "
                    "Update the application."
                ) from error


def _version(connection: Connection) -> str | None:
    if not connection.execute(text("select 1 from sqlite_master where name = 'alembic_version'")).first():
        return None
    row = connection.execute(text("select version_num from alembic_version")).first()
    return str(row[0]) if row else None


def _engine(file: Path) -> Engine:
    engine = create_engine(f"sqlite:///{file}")

    @event.listens_for(engine, "connect")
    def _prepare(connection: object, _record: object) -> None:
        cursor = connection.cursor()  # type: ignore[attr-defined]
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.close()

    return engine
