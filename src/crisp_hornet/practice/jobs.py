"""The jobs there are: those that ship, in their order, and the user's own."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from crisp_hornet.documents import store
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Job, read_job

SHIPPED = Path(__file__).parent / "jobs"
BIKES = Path(__file__).parent / "bikes"


@dataclass(frozen=True)
class JobFile:
    """A job and the file it stands in. ``key`` names it for good; ``number`` is its place among those that ship, 0 for an own one."""

    key: str
    number: int
    job: Job

    @property
    def title(self) -> str:
        """Number and name."""
        return f"{self.number} {self.job.name}" if self.number else self.job.name


@lru_cache(maxsize=1)
def shipped() -> tuple[JobFile, ...]:
    """The jobs that ship, in the order in which they are best done."""
    files = sorted(SHIPPED.glob("*.json"))
    return tuple(JobFile(path.stem, number, read_job(path)) for number, path in enumerate(files, 1))


def own(folder: Path) -> tuple[list[JobFile], list[str]]:
    """The user's own jobs in a folder, and why some of its files are none."""
    found, faulty = [], []
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else []:
        try:
            found.append(JobFile(f"own-{path.stem}", 0, read_job(path)))
        except DocumentError as error:
            faulty.append(str(error))
    return found, faulty


def find(name: str, folder: Path | None = None) -> JobFile:
    """A job by its number or key, or by the path of its file. Raises :class:`DocumentError`."""
    known: list[JobFile] = list(shipped())
    if folder is not None:
        known += own(folder)[0]
    for one in known:
        if name in (one.key, str(one.number)) and name != "0":
            return one
    path = Path(name)
    if path.suffix == ".json":
        return JobFile(f"own-{path.stem}", 0, read_job(path))
    last = len(shipped())
    raise DocumentError(name, "", "there is no such job", f"Give a number from 1 to {last}, or the file of a job.")


def bike_of(job: Job) -> Bike:
    """The bike of a job. Raises :class:`DocumentError` where it names one that does not ship."""
    if isinstance(job.bike, Bike):
        return job.bike
    path = BIKES / f"{job.bike}.bike.json"
    if not job.bike.isidentifier() or not path.is_file():
        raise DocumentError(job.name, "bike", f"there is no bike {job.bike!r}", "Put the bike's document there.")
    return store.read_bike(path)
