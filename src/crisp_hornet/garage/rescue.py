"""What is still sound of a damaged garage, saved into a new one; the damaged one is only read.

It is read in a copy, database and write-ahead log together, as SQLite itself would take it up after a crash; then what is broken.

Rows are read one by one by their number, so that a broken page costs its own rows and no others. Where the tree of pages itself is broken
the rows that it no longer leads to are read from the leaf pages (:mod:`~crisp_hornet.garage.pages`). Each row is checked as if it came
from a stranger.
"""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
from contextlib import closing
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import JSON
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.sql.elements import KeyedColumnElement

from crisp_hornet.documents import store
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import ATTACHMENTS
from crisp_hornet.garage.pages import Pages, Value
from crisp_hornet.garage.roads import FOLDER as ROADS
from crisp_hornet.garage.story import TABLES, check_row
from crisp_hornet.garage.tables import Base, BikeRow
from crisp_hornet.rides.registry import read_ride

ALL: dict[str, type[Base]] = {"bikes": BikeRow, **TABLES}
MOST_NAMED = 12
MISSES, MOST_IDS = 2000, 2_000_000  # so many numbers in a row without a row end the search


@dataclass
class Rescued:
    """How many rows of each table were saved, and how many were there but not sound; ``missing``: what is known to be gone, in words;
    ``damaged``: the file itself is not whole, so that there may have been more."""

    saved: dict[str, int] = field(default_factory=dict)
    lost: dict[str, int] = field(default_factory=dict)
    missing: list[str] = field(default_factory=list)
    damaged: bool = False

    @property
    def text(self) -> str:
        """In one line."""
        words = [f"{count} {name}" for name, count in self.saved.items() if count]
        gone = {name: count for name, count in self.lost.items() if count}
        told = [f"saved: {', '.join(words) or 'nothing'}"]
        if gone:
            told.append(f"not sound, and lost: {', '.join(f'{count} {name}' for name, count in gone.items())}")
        told += self.missing[:MOST_NAMED]
        if len(self.missing) > MOST_NAMED:
            told.append(f"and {len(self.missing) - MOST_NAMED} more")
        if self.damaged:
            told.append("the file was damaged: there may have been more that nothing in it tells of")
        elif not gone and not self.missing:
            told.append("nothing was lost" if words else "it held nothing")
        return "; ".join(told)


def rescue(folder: Path, into: Path) -> Rescued:
    """Save what is sound of the garage in ``folder`` into a new one. Raises :class:`DocumentError` where nothing can be read at all, or
    where there is a garage already."""
    database = folder / "garage.sqlite"
    if not database.is_file():
        raise DocumentError(str(folder), "", "holds no garage", "Name the folder that holds garage.sqlite.")
    if (into / "garage.sqlite").exists():
        raise DocumentError(str(into), "", "holds a garage already", "Name a new folder.")
    told = Rescued()
    with tempfile.TemporaryDirectory(prefix="crisp-hornet-rescue-") as place:
        copy, told.damaged = _taken_up(database, Path(place))
        leaves = LooseRows(copy)
        source = sqlite3.connect(f"file:{copy}?mode=ro&immutable=1", uri=True)
        garage = Garage(into)
        try:
            source.row_factory = sqlite3.Row
            for name, table in ALL.items():
                _save(source, leaves, garage, name, table, folder, told)
            shutil.copy2(folder / "settings.json", into) if (folder / "settings.json").is_file() else None
            shutil.copytree(folder / ROADS, into / ROADS, dirs_exist_ok=True) if (folder / ROADS).is_dir() else None
        finally:
            source.close()
            garage.close()
    if told.damaged and not any(told.saved.values()):
        raise DocumentError(
            str(database), "", "nothing in it can be read", "Import what was exported of the bikes before."
        )
    return told


def _taken_up(database: Path, place: Path) -> tuple[Path, bool]:
    """A copy of the database in which its write-ahead log has been taken up, and whether it is damaged."""
    copy = place / database.name
    for ending in ("", "-wal"):
        part = database.with_name(database.name + ending)
        if part.is_file():
            shutil.copyfile(part, copy.with_name(copy.name + ending))
    try:
        with closing(sqlite3.connect(copy)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
            found = connection.execute("PRAGMA integrity_check(1)").fetchone()
            connection.execute("PRAGMA journal_mode=DELETE").fetchall()
            return copy, found != ("ok",)
    except sqlite3.DatabaseError:
        return copy, True


def _save(
    source: sqlite3.Connection,
    leaves: LooseRows,
    garage: Garage,
    name: str,
    table: type[Base],
    folder: Path,
    told: Rescued,
) -> None:
    told.saved[name] = told.lost[name] = 0
    read: set[int] = set()
    wrong: set[int] = set()
    rows, broken = _rows(source, table)
    loose = leaves.of(name) if broken else []
    for number, row in [*rows, *loose]:
        if number in read:
            continue
        try:
            columns = _sound(row, name, table, folder, garage)
            with garage.store.session() as session:
                session.add(table(**columns))
        except (DocumentError, SQLAlchemyError, ValueError, TypeError, KeyError, OSError) as error:
            wrong.add(number)
            if isinstance(error, DocumentError) and name == "rides":
                told.missing.append(f"ride {str(row.get('name', number))[:60]}: {error.reason}")
        else:
            read.add(number)
    told.saved[name] = len(read)
    last = max(read | wrong, default=min(broken, default=0))  # behind the last known row nobody knows of any
    told.lost[name] = len((wrong | {number for number in broken if number <= last}) - read)


def _rows(source: sqlite3.Connection, table: type[Base]) -> tuple[list[tuple[int, dict[str, Any]]], set[int]]:
    """Each row that can be reached, by its number; and the numbers to which the way is broken."""
    found: list[tuple[int, dict[str, Any]]] = []
    misses, broken = 0, set()
    for number in range(1, MOST_IDS):
        try:
            row = source.execute(f"select * from {table.__tablename__} where id = ?", (number,)).fetchone()
        except sqlite3.DatabaseError:
            broken.add(number)
            row = None
        misses = 0 if row is not None else misses + 1
        if row is not None:
            found.append((number, dict(row)))
        if misses > MISSES:
            break
    return found, broken


class LooseRows:
    """The rows of all leaf pages. A page belongs to one table: the one whose shape most of its rows have."""

    def __init__(self, database: Path) -> None:
        self._database = database
        self._by_table: dict[str, list[tuple[int, dict[str, Any]]]] | None = None

    def of(self, name: str) -> list[tuple[int, dict[str, Any]]]:
        """(number, columns) of each row that may be one of a table's."""
        if self._by_table is None:
            self._by_table = {one: [] for one in ALL}
            for leaf in Pages(self._database.read_bytes()).leaves():
                fits = {
                    one: [each for row in leaf.rows if (each := shaped(*row, table)) is not None]
                    for one, table in ALL.items()
                }
                best = max(ALL, key=lambda one: sum(likeness for _, likeness in fits[one]))
                self._by_table[best] += [(columns["id"], columns) for columns, _ in fits[best]]
        return self._by_table[name]


def shaped(row: int, values: list[Value], table: type[Base]) -> tuple[dict[str, Any], int] | None:
    """The values as columns of a table if each is of its kind, and how much they are like it: documents tell most, and the number of
    columns; those that came with a later version may be missing at the end."""
    columns = list(table.__table__.columns)
    optional = sum(one.nullable or one.default is not None for one in columns)
    if not len(columns) - optional <= len(values) <= len(columns) or values[0] is not None:
        return None  # the number of a row is not in its record
    found: dict[str, Any] = {"id": row}
    likeness = 1 + (len(values) == len(columns))
    for column, value in zip(columns[1:], values[1:], strict=False):
        if not _fits(column, value):
            return None
        found[column.name] = value
        likeness += isinstance(column.type, JSON) and value is not None
    return found, likeness


def _fits(column: KeyedColumnElement[Any], value: Value) -> bool:
    if value is None:
        return bool(column.nullable)
    if isinstance(column.type, JSON):
        return isinstance(value, str) and value[:1] in ("{", "[", "n")
    kind = column.type.python_type
    if kind is datetime:
        return isinstance(value, str) and len(value) >= len("2000-01-01 00:00:00") and value[4:5] == "-" == value[7:8]
    return isinstance(value, int if kind is bool else kind)


def _sound(row: dict[str, Any], name: str, table: type[Base], folder: Path, garage: Garage) -> dict[str, Any]:
    columns: dict[str, Any] = {}
    for column in table.__table__.columns:
        value = row.get(column.name)
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
        columns["file"] = garage.book.keep_file(file.read_bytes(), file.suffix).name if file.is_file() else None
    return columns
