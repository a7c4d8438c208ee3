"""The backups and calibrations of the garage: what a controller held, how its sensors did."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select

from crisp_hornet.documents import store
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import BackupRow, CalibrationRow


class Backups:
    """Backups of controllers."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def keep(self, bike_id: int, backup: Backup, at: datetime | None = None) -> None:
        """Keep a backup of a controller, dated now unless said otherwise."""
        with self._store.session() as session:
            session.add(
                BackupRow(
                    bike_id=bike_id,
                    serial=backup.serial,
                    document=store.dump(backup),
                    at=at or datetime.now().astimezone(),
                )
            )

    def of(self, bike_id: int) -> list[tuple[datetime, Backup]]:
        """All backups, the newest first."""
        with self._store.session() as session:
            rows = session.scalars(select(BackupRow).where(BackupRow.bike_id == bike_id).order_by(BackupRow.at.desc()))
            found = [(row.at, self._store.read(Backup, row, "backup")) for row in rows]
            return [(at, backup) for at, backup in found if backup is not None]


class Calibrations:
    """How each sensor was judged."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def keep(self, bike_id: int, calibration: Calibration) -> None:
        """Keep a calibration of a sensor."""
        row = CalibrationRow(
            bike_id=bike_id,
            kind=calibration.kind,
            document=calibration.model_dump(mode="json"),
            at=datetime.now().astimezone(),
        )
        with self._store.session() as session:
            session.add(row)

    def of(self, bike_id: int, kind: str | None = None) -> list[Calibration]:
        """The calibrations of a bike, or those of one sensor, the newest first."""
        wanted = select(CalibrationRow).where(CalibrationRow.bike_id == bike_id).order_by(CalibrationRow.id.desc())
        if kind is not None:
            wanted = wanted.where(CalibrationRow.kind == kind)
        with self._store.session() as session:
            found = [self._store.read(Calibration, row, "calibration") for row in session.scalars(wanted)]
            return [one for one in found if one is not None]
