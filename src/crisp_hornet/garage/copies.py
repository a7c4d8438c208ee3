"""Copies of a whole garage, dated, in a folder elsewhere: the database as it is at one instant, and every file that it names.

A file of a ride or an attachment never changes once it is written, so each is copied once and shared by all copies. Sources: *VACUUM INTO*
in SQLite's documentation (a consistent copy while others write); *pg_dump* in PostgreSQL's.
"""

from __future__ import annotations

import re
import shutil
import sqlite3
import subprocess
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import erasing
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.meeting import MET
from crisp_hornet.garage.opening import ATTACHMENTS, BUSY_S, DATABASE, RIDES, failed
from crisp_hornet.garage.roads import FOLDER as ROADS

NAME = re.compile(r"^(?:garage|shared)-\d{8}-\d{6}\.(?:sqlite|dump)$")
ERASED = "erased.json"  # of all copies there: names of what was erased, none of what it was
OURS = re.compile(r"^[0-9a-f]{32}\.[a-z]+$")  # files of rides and attachments
FILES, BESIDE = (RIDES, ATTACHMENTS), (ROADS, MET)
MOST_KEPT = 1000


@dataclass(frozen=True)
class Copied:
    """Where a copy lies, how many files came with it that were not there yet, and how many older copies were let go."""

    path: Path
    files: int
    dropped: int


def copy_garage(garage: Garage, to: Path, keep: int, now: datetime | None = None) -> Copied:
    """A copy of a garage as it is now; of all its copies there the newest ``keep`` stay. Raises :class:`DocumentError`: no room, or a file
    that is gone."""
    path = _place(to, "garage", "sqlite", now)
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    try:
        with closing(sqlite3.connect(garage.folder / DATABASE, timeout=BUSY_S)) as connection:
            connection.execute("vacuum into ?", (str(part),))
        _remember_erased(garage, to)
        files = sum(
            _copied(garage.folder / folder, to / folder) for folder in FILES
        )  # after: what it names is there by then
        for folder in BESIDE:
            if (garage.folder / folder).is_dir():
                shutil.copytree(garage.folder / folder, to / folder, dirs_exist_ok=True)
        part.chmod(0o600)
        part.rename(path)
    except sqlite3.Error as error:
        raise failed(garage.folder, error) from error
    except OSError as error:
        raise _not_written(to, error) from error
    finally:
        part.unlink(missing_ok=True)
    dropped = _let_go(to, "garage", keep)
    try:
        _let_files_go(garage, to)
    except (OSError, sqlite3.Error) as error:
        raise DocumentError(
            str(to),
            "",
            f"files that no copy names any more lie there still: {error}",
            "Check that you may write there.",
        ) from error
    return Copied(path, files, dropped)


def copy_shared(address: str, to: Path, keep: int, now: datetime | None = None) -> Copied:
    """The same of a shared garage, by PostgreSQL's own program; rides and attachments lie in it. Raises :class:`DocumentError`."""
    path = _place(to, "shared", "dump", now)
    part = path.with_suffix(".part")
    try:
        done = subprocess.run(
            ["pg_dump", "--format=custom", f"--file={part}", "--no-owner", address],
            capture_output=True,
            text=True,
            check=False,
        )
    except OSError as error:
        raise DocumentError(
            str(to), "", "pg_dump is missing", "Install PostgreSQL's client (postgresql-client)."
        ) from error
    if done.returncode != 0:
        part.unlink(missing_ok=True)
        why = (done.stderr.strip().splitlines() or ["it says nothing"])[0][:160]
        raise DocumentError(str(to), "", f"pg_dump failed: {why}", "Check the address and that you may read there.")
    part.chmod(0o600)
    part.rename(path)
    return Copied(path, 0, _let_go(to, "shared", keep))


def bring_back(copy: Path, into: Path) -> int:
    """A garage from a copy, in a folder that has none; how many files came. Raises :class:`DocumentError`."""
    if (into / DATABASE).exists():
        raise DocumentError(
            str(into), "", "holds a garage already", "Name a folder that has none: a copy replaces nothing."
        )
    if not copy.is_file() or copy.suffix != ".sqlite":
        raise DocumentError(str(copy), "", "is no copy of a garage", "Name one, as garage-20261129-020000.sqlite.")
    try:
        into.mkdir(parents=True, exist_ok=True, mode=0o700)
        files = sum(_copied(copy.parent / folder, into / folder) for folder in FILES)
        for folder in BESIDE:
            if (copy.parent / folder).is_dir():
                shutil.copytree(copy.parent / folder, into / folder, dirs_exist_ok=True)
        with wire.written_whole(into / DATABASE, private=True) as whole:
            shutil.copyfile(copy, whole)
    except OSError as error:
        raise _not_written(into, error) from error
    again = Garage(into)  # brought up to date, or it says why not
    try:
        erasing.erase(again, _erased(copy.parent))  # what was erased since that copy does not come back with it
    finally:
        again.close()
    return files


def _remember_erased(garage: Garage, to: Path) -> None:
    with garage.store.session() as session:
        known = erasing.erased(session) | {one.uid: one.what for one in _erased(to)}
    wire.write_object(to / ERASED, {"erased": [[uid, what] for uid, what in known.items()]}, private=True)


def _erased(to: Path) -> list[erasing.Thing]:
    """What was erased by the time of the newest copy there."""
    try:
        told = wire.read_object(to / ERASED).get("erased")
    except DocumentError:
        return []
    sound = [one for one in told if isinstance(one, list) and len(one) == 2] if isinstance(told, list) else []
    return [erasing.Thing(what, str(uid)) for uid, what in sound if what in ("bike", "customer", "positions")]


def _place(to: Path, kind: str, ending: str, now: datetime | None) -> Path:
    try:
        to.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise _not_written(to, error) from error
    return to / f"{kind}-{now or datetime.now().astimezone():%Y%m%d-%H%M%S}.{ending}"


def _not_written(to: Path, error: OSError) -> DocumentError:
    why = (error.strerror or "it does not say why").lower()
    return DocumentError(
        str(to), "", f"cannot be written: {why}", "Make room there, and check that you may write there."
    )


def _copied(source: Path, to: Path) -> int:
    """How many files were not there yet; each is there whole or not at all."""
    count = 0
    for file in source.iterdir() if source.is_dir() else ():
        place = to / file.name
        if file.is_file() and not file.name.startswith(".") and not place.exists():
            to.mkdir(exist_ok=True, mode=0o700)
            with wire.written_whole(place, private=True) as whole:
                shutil.copyfile(file, whole)
            count += 1
    return count


def _let_files_go(garage: Garage, to: Path) -> None:
    """Files that no copy names any more; of what was erased also what is remembered of meetings, and where rides went in files that an
    older copy names still."""
    named: set[str] = set()
    for copy in to.glob("garage-*.sqlite"):
        if NAME.match(copy.name):
            with closing(sqlite3.connect(f"file:{copy}?mode=ro&immutable=1", uri=True)) as connection:
                rows = connection.execute("select file from ride union select file from event where file is not null")
                named |= {Path(str(row[0])).name for row in rows}
    for folder in FILES:
        for file in (to / folder).iterdir() if (to / folder).is_dir() else ():
            if OURS.match(file.name) and file.name not in named:
                file.unlink()
    gone = _erased(to)
    for one in gone:
        (to / MET / f"{Path(one.uid).name}.json").unlink(missing_ok=True)
    for name in erasing.tracks_of(garage, [one.uid for one in gone if one.what == "positions"]):
        if (garage.folder / RIDES / name).is_file():
            with wire.written_whole(to / RIDES / name, private=True) as whole:
                shutil.copyfile(garage.folder / RIDES / name, whole)


def _let_go(to: Path, kind: str, keep: int) -> int:
    """The oldest copies of a kind; only what has the name of one."""
    known = sorted(file for file in to.iterdir() if NAME.match(file.name) and file.name.startswith(f"{kind}-"))
    old = known[: max(len(known) - min(max(keep, 1), MOST_KEPT), 0)]
    for file in old:
        file.unlink()
    return len(old)
