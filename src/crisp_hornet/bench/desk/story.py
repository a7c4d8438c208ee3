"""The story of the active bike as it is written down: logbook, backups, calibrations, job sheets."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.garage.glance import Lines

if TYPE_CHECKING:
    from crisp_hornet.garage.book import Entry
    from crisp_hornet.garage.fleet import Fleet
    from crisp_hornet.garage.jobs import Job, JobStep
    from crisp_hornet.garage.meeting import Taken
    from crisp_hornet.garage.merging import Key, Side


class Story(QObject):
    """``changed``: a line came into the logbook; ``calibrations_changed``: a sensor was judged."""

    changed = pyqtSignal()
    calibrations_changed = pyqtSignal()

    def __init__(self, bike: OpenBike) -> None:
        super().__init__()
        self._bike, self._garage = bike, bike.garage
        self._length: Lines | None = None
        self._backup_at: tuple[datetime | None] | None = None
        self.changed.connect(self.reload)

    # --- logbook ----------------------------------------------------------------------------------------

    def reload(self) -> None:
        """What was counted is another number now."""
        self._length = self._backup_at = None

    @property
    def length(self) -> Lines:
        """How long the logbook is."""
        if self._length is None:
            there = self._bike.document is not None
            self._length = self._garage.glance.lines(self._bike.id) if there else Lines(0, None)
        return self._length

    def lines(self) -> list[Entry]:
        """The logbook, the newest line first."""
        return self._garage.book.of(self._bike.id) if self._bike.document is not None else []

    def log(self, kind: str, title: str, detail: str = "") -> Entry | None:
        """A line into the logbook."""
        entry = self._bike.kept(lambda: self._garage.book.log(self._bike.id, kind, title, detail))
        self.changed.emit()
        return entry

    def attach(self, path: Path, text: str) -> Entry:
        """A note with a copy of a file. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
        entry = self._garage.book.attach(self._bike.id, path, text)
        self.changed.emit()
        return entry

    def archive_to(self, path: Path) -> Callable[[], None]:
        """Work for another thread: the bike with its whole story into a file."""
        from crisp_hornet.garage.archive import export_bike  # here: what it needs would slow the start

        return partial(export_bike, self._garage, self._bike.id, path)

    def archive_from(self, path: Path, decided: Mapping[Key, Side] | None = None) -> Callable[[], Taken]:
        """Work for another thread: a bike with its story into the garage, and what became of it."""
        from crisp_hornet.garage.archive import import_bike

        return partial(import_bike, self._garage, path, decided)

    def all_rides(self, since: datetime | None) -> Callable[[Callable[[float], bool]], Fleet | None]:
        """Work for another thread: all rides of the garage asked together; it hears at each step whether to go on."""
        from crisp_hornet.garage.fleet import Asked, asked_of_all

        return partial(asked_of_all, self._garage, Asked(since=since))

    # --- backups and calibrations -----------------------------------------------------------------------

    def backups(self) -> list[tuple[datetime, Backup]]:
        """What the bike's controllers held, the newest first."""
        return self._garage.backups.of(self._bike.id) if self._bike.document is not None else []

    @property
    def unreadable_backups(self) -> int:
        """How many of them cannot be read."""
        return len(self._garage.store.unreadable.get("backup", ()))

    @property
    def backup_at(self) -> datetime | None:
        """When the newest of them was made."""
        if self._backup_at is None:
            there = self._bike.document is not None
            self._backup_at = (self._garage.glance.backup_at(self._bike.id) if there else None,)
        return self._backup_at[0]

    def keep_backup(self, backup: Backup) -> bool:
        """Keep what a controller held; False (and said) where that failed."""

        def keep() -> bool:
            self._garage.backups.keep(self._bike.id, backup)
            return True

        self._backup_at = None
        return self._bike.kept(keep) is not None

    def calibrations(self, kind: str | None = None) -> list[Calibration]:
        """How the sensors did, or one of them, the newest first."""
        return self._garage.calibrations.of(self._bike.id, kind) if self._bike.document is not None else []

    def keep_calibration(self, calibration: Calibration) -> None:
        """Keep how a sensor was judged, and write it into the logbook."""
        self._bike.kept(lambda: self._garage.calibrations.keep(self._bike.id, calibration))
        self.log(
            "calibration",
            f"{calibration.kind.capitalize()}: {calibration.verdict}",
            f"{calibration.reason}. {calibration.next}".strip(),
        )
        self.calibrations_changed.emit()

    # --- job sheets -------------------------------------------------------------------------------------

    def jobs(self) -> list[Job]:
        """The job sheets in work, the newest first."""
        return self._garage.jobs.of(self._bike.id) if self._bike.document is not None else []

    def start_job(self, title: str, steps: list[JobStep]) -> Job:
        """Lay out a new job sheet."""
        return self._garage.jobs.start(self._bike.id, title, steps)

    def keep_job(self, job: Job) -> None:
        """Keep a job sheet as it now is."""
        self._garage.jobs.keep(job)
