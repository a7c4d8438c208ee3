"""Writes the tables of a new garage, as all migrations make them, into the file that a first start reads. Run it after a new migration."""

from __future__ import annotations

import tempfile
from pathlib import Path

from sqlalchemy import text

from crisp_hornet.garage.database import SCHEMA, migrate, open_engine


def made() -> str:
    """The statements, of a database that went through all migrations."""
    with tempfile.TemporaryDirectory() as folder:
        engine = open_engine(Path(folder) / "new.sqlite")
        with engine.connect().execution_options(at_once=True) as connection, connection.begin():
            migrate(connection)
            rows = connection.execute(text("select sql from sqlite_master where sql is not null order by rowid"))
            version = connection.execute(text("select version_num from alembic_version")).scalar_one()
            statements = [str(row[0]) for row in rows]
        engine.dispose()
    plain = ("\n".join(line.rstrip().replace("\t", "    ") for line in one.splitlines()) for one in statements)
    return ";\n".join([*plain, f"INSERT INTO alembic_version (version_num) VALUES ('{version}')", ""])


if __name__ == "__main__":
    SCHEMA.write_text(made(), encoding="utf-8")
