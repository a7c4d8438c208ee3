"""How far the jobs are: a small file beside them, and a folder for each that was begun."""

from __future__ import annotations

import json
import shutil
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path

from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError

FOLDER = "practice"  # of a garage's folder
STATES = "practice.json"
STATE = "bike.json"
OWN = "jobs"
BEGUN, SOLVED, FLAWED, ENDED = "begun", "solved", "solved, with a flaw", "ended"
MOST_BYTES = 32 << 20


@dataclass(frozen=True)
class Standing:
    """How a job stands. ``state`` is one of begun, solved, solved with a flaw, ended; ``hints``: how many are open."""

    state: str
    seed: int
    at: str
    hints: int = 0
    guided: bool = False

    @property
    def when(self) -> datetime | None:
        """When it came to stand so."""
        try:
            return datetime.fromisoformat(self.at)
        except ValueError:
            return None


class Progress:
    """The jobs of one user, in ``folder``."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    @property
    def own_jobs(self) -> Path:
        """Where own jobs are put."""
        return self.folder / OWN

    def all(self) -> dict[str, Standing]:
        """Each job that was begun; what cannot be read counts as not begun."""
        try:
            kept = wire.parse_object(wire.read_bytes(self.folder / STATES, MOST_BYTES), STATES)
        except DocumentError:
            return {}
        found = {}
        for key, row in kept.items():
            try:
                found[key] = Standing(
                    str(row["state"]), int(row["seed"]), str(row["at"]), int(row["hints"]), bool(row["guided"])
                )
            except (KeyError, TypeError, ValueError):
                continue
        return found

    def of(self, key: str) -> Standing | None:
        """How one job stands; None before it was begun."""
        return self.all().get(key)

    def keep(self, key: str, state: str, seed: int, hints: int = 0, guided: bool = False) -> Standing:
        """Note how a job stands now. Raises :class:`DocumentError` where that cannot be kept."""
        standing = Standing(state, seed, datetime.now().astimezone().isoformat(timespec="seconds"), hints, guided)
        every = self.all() | {key: standing}
        self.make()
        data = json.dumps({name: asdict(one) for name, one in every.items()}, indent=1).encode()
        wire.write_bytes(self.folder / STATES, data, private=True)
        return standing

    def place(self, key: str) -> Path:
        """The folder of a job that was begun: its garage and its bike's state."""
        return self.folder / key

    def begin_anew(self, key: str) -> None:
        """Forget what was done in a job; how it stood before is kept until it is begun."""
        for path in self.place(key).glob("*"):
            if path.is_dir() and not path.is_symlink():
                shutil.rmtree(path, ignore_errors=True)
            elif path.name != "lock":
                path.unlink(missing_ok=True)

    def state_file(self, key: str) -> Path:
        """Where the simulated bike's state lies between two sittings."""
        return self.place(key) / STATE

    def make(self) -> None:
        """Make the folder. Raises :class:`DocumentError`."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise DocumentError(
                str(self.folder), "", (error.strerror or "it cannot be made").lower(), "Check that you may write there."
            ) from error
