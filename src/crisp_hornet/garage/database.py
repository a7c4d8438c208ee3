"""The garage's database file: opened, and brought up to date whole or not at all.

The driver would end transactions by itself before statements that change tables; here it never does, and each schema change stands in one
transaction with the version it leads to. Source: *Transactional DDL* in SQLite, and "Serializable isolation / Savepoints / Transactional
DDL" in the dialect's documentation.
"""

from __future__ import annotations

import json
import sqlite3
import time
from contextlib import closing
from pathlib import Path

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text

from crisp_hornet.garage import opening
from crisp_hornet.garage.opening import COPIES, DATABASE, NEWEST, TooNew, lenient_json

MOST_COPIES = 3
SCHEMA = Path(__file__).with_name("schema.sql")  # scripts/make_schema.py writes it


def open_engine(file: Path) -> Engine:
    """The engine of a database file."""
    engine = create_engine(
        f"sqlite:///{file}",
        connect_args={"timeout": opening.BUSY_S},
        json_deserializer=lenient_json,
        json_serializer=json.dumps,
    )

    @event.listens_for(engine, "connect")
    def _prepare(connection: sqlite3.Connection, _record: object) -> None:
        connection.isolation_level = None  # no commits but ours
        cursor = connection.cursor()
        _write_ahead(cursor)
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        at_once = connection.get_execution_options().get("at_once", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if at_once else "BEGIN")

    return engine


def _write_ahead(cursor: sqlite3.Cursor) -> None:
    """Switch to a write-ahead log; where another instance is just doing so, wait for it."""
    end = time.monotonic() + opening.BUSY_S
    while True:
        try:
            cursor.execute("PRAGMA journal_mode=WAL")
            return
        except sqlite3.OperationalError as error:
            if "locked" not in str(error) or time.monotonic() > end:
                raise
            time.sleep(0.05)


def bring_up_to_date(engine: Engine, folder: Path) -> bool:
    """Make the tables what this version expects, in one transaction, after a copy of what was there; whether there was an older one.

    Raises :class:`TooNew`, :class:`OSError` where there is no room for the copy, and the database's own errors.
    """
    with engine.connect() as connection:
        version = version_in(connection)
    if version == NEWEST:
        return False
    if version is not None:
        _copy_before(folder)
    with engine.connect().execution_options(at_once=True) as connection, connection.begin():
        if version_in(connection) == NEWEST:
            return False  # another instance was faster
        if inspect(connection).get_table_names():
            migrate(connection)
        else:
            _make_tables(connection)
    return version is not None


def _make_tables(connection: Connection) -> None:
    """The tables of a new garage, as all migrations make them (:data:`SCHEMA`): what makes them one after the other takes long to load."""
    for statement in SCHEMA.read_text(encoding="utf-8").split(";\n"):
        if statement.strip():
            connection.exec_driver_sql(statement)


def migrate(connection: Connection, to: str = "head") -> None:
    """Bring the tables of a database of either kind to this version, or ``to`` another, in the transaction that is open. Raises
    :class:`TooNew`."""
    # Alembic is slow to import and only needed for a garage of another version
    from alembic import command
    from alembic.config import Config
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", "crisp_hornet.garage:migrations")
    config.attributes["connection"] = connection
    try:
        command.upgrade(config, to)
    except CommandError as error:
        raise TooNew(str(version_in(connection))) from error


def version_in(connection: Connection) -> str | None:
    """The version of a database's tables; None where it has none yet."""
    if not inspect(connection).has_table("alembic_version"):
        return None
    row = connection.execute(text("select version_num from alembic_version")).first()
    return str(row[0]) if row else None


def _copy_before(folder: Path) -> None:
    """A copy of the database as it is, its write-ahead log included; the oldest ones go."""
    place = folder / COPIES
    place.mkdir(exist_ok=True, mode=0o700)
    name = place / f"before-{NEWEST}-{time.strftime('%Y%m%d-%H%M%S')}.sqlite"
    with (
        closing(sqlite3.connect(folder / DATABASE, timeout=opening.BUSY_S)) as source,
        closing(sqlite3.connect(name)) as copy,
    ):
        source.backup(copy)
    name.chmod(0o600)
    for old in sorted(place.glob("before-*.sqlite"))[:-MOST_COPIES]:
        old.unlink()
