"""What is still sound of a damaged garage, saved into a new one; the damaged one is only read.

Rows are read one by one by their number, so that a broken page costs its own rows and no others; each is checked as if it came from a
stranger.
"""

from __future__ import annotations

import json
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import JSON
from sqlalchemy.exc import SQLAlchemyError

from crisp_hornet.documents import store
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.archive import TABLES, check_row
from crisp_hornet.garage.book import ATTACHMENTS
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.tables import Base, BikeRow
from crisp_hornet.rides.registry import read_ride

MISSES, MOST_IDS = 2000, 2_000_000  # so many numbers in a row without a row end the search


@dataclass
class Rescued:
    """How many rows of each table were saved, and how many were there but not sound."""

    saved: dict[str, int] = field(default_factory=dict)
    lost: dict[str, int] = field(default_factory=dict)

    @property
    def text(self) -> str:
        """In one line."""
        words = [f"{count} {name}" for name, count in self.saved.items() if count]
        gone = sum(self.lost.values())
        return f"saved: {', '.join(words) or 'nothing'}" + (
            f"; {gone} rows were not sound" if gone else "; nothing was lost"
        )


def rescue(folder: Path, into: Path) -> Rescued:
    """Save what is sound of the garage in ``folder`` into a new one. Raises :class:`DocumentError` where nothing can be read at all, or
    where there is a garage already."""
    database = folder / "garage.sqlite"
    if not database.is_file():
        raise DocumentError(str(folder), "", "holds no garage", "Name the folder that holds garage.sqlite.")
    if (into / "garage.sqlite").exists():
        raise DocumentError(str(into), "", "holds a garage already", "Name a new folder.")
    told = Rescued()
    source = sqlite3.connect(f"file:{database}?mode=ro&immutable=1", uri=True)
    garage = Garage(into)
    try:
        source.row_factory = sqlite3.Row
        _save(source, garage, "bikes", BikeRow, folder, told)
        for name, table in TABLES.items():
            _save(source, garage, name, table, folder, told)
        shutil.copy2(folder / "settings.json", into) if (folder / "settings.json").is_file() else None
    finally:
        source.close()
        garage.close()
    if not any(told.saved.values()):
        raise DocumentError(
            str(database), "", "nothing in it can be read", "Import what was exported of the bikes before."
        )
    return told


def _save(
    source: sqlite3.Connection, garage: Garage, name: str, table: type[Base], folder: Path, told: Rescued
) -> None:
    told.saved[name] = told.lost[name] = 0
    for row in _rows(source, table, name, told):
        try:
            columns = _sound(row, name, table, folder, garage)
            with garage._session() as session:
                session.add(table(**columns))
        except (DocumentError, SQLAlchemyError, ValueError, TypeError, KeyError, OSError):
            told.lost[name] += 1
        else:
            told.saved[name] += 1


def _rows(source: sqlite3.Connection, table: type[Base], name: str, told: Rescued) -> Iterator[sqlite3.Row]:
    """Each row that can be read, by its number."""
    misses = 0
    for number in range(1, MOST_IDS):
        try:
            row = source.execute(f"select * from {table.__tablename__} where id = ?", (number,)).fetchone()
        except sqlite3.DatabaseError:
            told.lost[name] += 1
            row = None
            misses += 1
        if row is not None:
            misses = 0
            yield row
        misses += row is None
        if misses > MISSES:
            return


def _sound(row: sqlite3.Row, name: str, table: type[Base], folder: Path, garage: Garage) -> dict[str, Any]:
    columns: dict[str, Any] = {}
    for column in table.__table__.columns:
        value = row[column.name] if column.name in row.keys() else None  # noqa: SIM118  (a row is no mapping)
        kind = column.type.python_type
        if isinstance(column.type, JSON) and isinstance(value, str):
            value = json.loads(value)
        columns[column.name] = datetime.fromisoformat(str(value)) if kind is datetime else value
    if name == "bikes":
        store.parse(Bike, "crisp-hornet/bike", BIKE_VERSION, columns["document"], "bike")
        columns["archived"] = bool(columns["archived"])
        return columns
    if name == "jobs":
        columns["closed"] = bool(columns["closed"])
    check_row(name, columns)
    if name == "rides":
        file = folder / "rides" / Path(columns["file"]).name
        read_ride(file)
        shutil.copy2(file, garage.folder / "rides")
    elif name == "logbook" and columns["file"]:
        file = folder / ATTACHMENTS / Path(columns["file"]).name
        columns["file"] = garage.keep_file(file.read_bytes(), file.suffix).name if file.is_file() else None
    return columns
