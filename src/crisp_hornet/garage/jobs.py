"""The job sheets in work."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select

from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import JobRow


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


def _step(step: JobStep) -> dict[str, str | None]:
    return {"text": step.text, "caution": step.caution, "done_at": step.done_at.isoformat() if step.done_at else None}


def _job(row: JobRow) -> Job:
    steps = (
        JobStep(
            step["text"],
            step["caution"],
            datetime.fromisoformat(step["done_at"]).astimezone() if step["done_at"] else None,
        )
        for step in row.steps
    )
    return Job(row.id, row.title, tuple(steps), row.opened_at, row.closed)


class Jobs:
    """Job sheets, by bike."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def start(self, bike_id: int, title: str, steps: list[JobStep]) -> Job:
        """Lay out a new job sheet."""
        with self._store.session() as session:
            row = JobRow(
                bike_id=bike_id,
                title=title[:200],
                steps=[_step(step) for step in steps],
                opened_at=datetime.now().astimezone(),
            )
            session.add(row)
            session.flush()
            return _job(row)

    def keep(self, job: Job) -> None:
        """Keep a job sheet as it now is."""
        with self._store.session() as session:
            row = session.get_one(JobRow, job.id)
            row.title, row.steps, row.closed = job.title[:200], [_step(step) for step in job.steps], job.closed

    def of(self, bike_id: int) -> list[Job]:
        """The job sheets in work on a bike, the newest first."""
        with self._store.session() as session:
            rows = session.scalars(
                select(JobRow).where(JobRow.bike_id == bike_id, ~JobRow.closed).order_by(JobRow.id.desc())
            )
            return [job for row in rows if (job := self._readable(row)) is not None]

    def _readable(self, row: JobRow) -> Job | None:
        try:
            return _job(row)
        except (TypeError, KeyError, ValueError):
            self._store.cannot_read("job sheet", row.id)
            return None
