"""The garage's database file before anything is asked of it: made for its owner alone, which version it has, its failures in words.

The first picture of the window needs a few rows only: they are read by the driver itself, since the library that all else goes through
takes longer to load than that picture.
"""

from __future__ import annotations

import json
import os
import re
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from crisp_hornet.documents.errors import DocumentError

GONE = re.compile(r"(?:foreign key|no row was found)")  # what a row belongs to is there no more
NEWEST = "0009"
BUSY_S = 10.0  # how long another instance may hold it
DATABASE = "garage.sqlite"
COPIES = "copies"  # of the database before it was brought up to date
RIDES, ATTACHMENTS = "rides", "attachments"  # folders of files that rows name
RECORDINGS = "recordings"  # a folder of rides that are being recorded, or were when the application was killed
UNFINISHED = "erasing.json"  # what is left to do of an erasure


class GarageError(Exception):
    """The garage cannot be opened: what, why, what to do."""


class TooNew(Exception):
    """The database comes from a newer version of the application."""


def make_file(file: Path) -> None:
    """An empty file for its owner alone, where there is none."""
    if not file.exists():
        os.close(os.open(file, os.O_CREAT | os.O_WRONLY, 0o600))


@contextmanager
def looked_into(folder: Path) -> Iterator[sqlite3.Connection]:
    """A connection that only reads. Raises :class:`DocumentError` where the file cannot be read."""
    try:
        with closing(sqlite3.connect(folder / DATABASE, timeout=BUSY_S)) as connection:
            connection.execute("pragma query_only = on")
            connection.row_factory = sqlite3.Row
            yield connection
    except sqlite3.Error as error:
        raise failed(folder, error) from error


def version_of(folder: Path) -> str | None:
    """The version of its tables; None where it has none yet."""
    with looked_into(folder) as connection:
        if not connection.execute("select 1 from sqlite_master where name = 'alembic_version'").fetchone():
            return None
        row = connection.execute("select version_num from alembic_version").fetchone()
        return str(row[0]) if row else None


def lenient_json(text_: str) -> Any:
    """A column's JSON; of what is none, nothing: that row is told as unreadable, the others live."""
    try:
        return json.loads(text_)
    except (ValueError, TypeError):
        return {}


def failed(folder: Path, error: Exception) -> DocumentError:
    """A failure of the database in words: why, and what to do."""
    why = str(getattr(error, "orig", error)).lower()
    if GONE.search(why):
        return DocumentError(str(folder), "", "what this belongs to was erased meanwhile", "Open another bike.")
    if "locked" in why or "busy" in why:
        return DocumentError(str(folder), "", "another program holds the garage", "Close it, then try again.")
    if "full" in why:
        return DocumentError(str(folder), "", "cannot be written: the disk is full", "Free some space, then try again.")
    if "readonly" in why or "unable to open" in why or "permission" in why or "i/o" in why:
        return DocumentError(
            str(folder), "", f"cannot be written: {why}", "Check the disk, and that you may write there."
        )
    mend = f"What is sound of it goes into a new one with: crisp-hornet rescue --garage {folder} --out FOLDER."
    return DocumentError(str(folder), "", f"the garage is damaged: {why}", mend)
