"""Kills at random instants, and garages of an earlier version."""

import random
import signal
import sqlite3
import subprocess
import sys

import pytest
from scripts import make_schema

from crisp_hornet.garage.database import SCHEMA
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import NEWEST
from crisp_hornet.garage.tables import Base
from tests.amount import some
from tests.bikes import a_bike, a_tune

WRITER = """
import sys
from pathlib import Path
from crisp_hornet.garage.database import SCHEMA
from crisp_hornet.garage.garage import Garage
from tests.bikes import a_bike, a_tune
garage = Garage(Path(sys.argv[1]))
number = garage.bikes.save(a_bike())
print("writing", flush=True)
count = 0
while True:
    garage.book.log(number, "note", f"line {count}")
    garage.tunes.save_draft(number, a_tune(drive__battery_current_a=10 + count % 20))
    print(count, flush=True)
    count += 1
"""


def test_a_kill_at_any_instant_loses_nothing_that_was_said_to_be_kept(tmp_path):
    rng = random.Random(3)
    for attempt in range(some(4, 2)):
        folder = tmp_path / str(attempt)
        with subprocess.Popen(
            [sys.executable, "-c", WRITER, str(folder)], stdout=subprocess.PIPE, text=True
        ) as process:
            assert process.stdout.readline().startswith("writing")
            for _ in range(rng.randrange(1, 25)):
                last = int(process.stdout.readline())
            process.send_signal(signal.SIGKILL)
        garage = Garage(folder)
        number, bike = garage.glance.last_bike()
        titles = {entry.title for entry in garage.book.of(number)}
        assert bike == a_bike() and {f"line {k}" for k in range(last + 1)} <= titles
        assert garage.glance.tune(number, "draft") is not None
        garage.close()


# what each version brought, newest first: taken away again it is the garage of the version before
UNDONE = {
    "0008": "drop table customer; drop table erased",
    "0007": "drop table stored_file; drop table presence; drop table fact",
    "0006": "; ".join(
        f"alter table {table.name} drop column uid"
        for table in Base.metadata.sorted_tables
        if "uid" in table.c and table.name not in ("customer", "erased")
    ),
    "0005": "alter table event drop column file",
    "0004": "alter table ride drop column card",
    "0003": "drop table calibration",
    "0002": "drop table job",
    "0001": "alter table bike drop column archived",
}


@pytest.mark.parametrize("version", UNDONE)
def test_a_garage_of_an_earlier_version_is_brought_up_to_date_with_all_it_holds(tmp_path, version):
    folder = tmp_path / "old"
    garage = Garage(folder)
    number = garage.bikes.save(a_bike())
    garage.tunes.save_draft(number, a_tune())
    garage.book.log(number, "note", "from before")
    garage.close()
    with sqlite3.connect(folder / "garage.sqlite") as database:  # as that version made it
        for made, undo in UNDONE.items():
            if made >= version:
                database.executescript(undo)
        database.execute("update alembic_version set version_num = ?", (version,))
    database.close()
    garage = Garage(folder)
    assert garage.glance.last_bike() == (number, a_bike()) and garage.glance.tune(number, "draft") == a_tune()
    assert [entry.title for entry in garage.book.of(number)] == ["from before"]
    assert [kept.archived for kept in garage.glance.bikes()] == [False]
    garage.close()


def test_a_new_garage_is_what_all_migrations_make(tmp_path):
    assert make_schema.made() == SCHEMA.read_text(), "run scripts/make_schema.py"


def test_migrations_end_at_the_tables_the_code_expects(tmp_path):
    Garage(tmp_path / "new").close()
    with sqlite3.connect(tmp_path / "new" / "garage.sqlite") as database:
        assert database.execute("select version_num from alembic_version").fetchone() == (NEWEST,)
        for table in Base.metadata.sorted_tables:
            columns = {row[1] for row in database.execute(f"pragma table_info({table.name})")}
            assert columns == {column.name for column in table.columns}
    database.close()


def test_settings_survive_and_a_damaged_settings_file_only_costs_the_settings(tmp_path):
    garage = Garage(tmp_path / "g")
    assert garage.settings.get("units") is None
    garage.settings.keep("units", "imperial")
    garage.settings.keep("other", 3)
    assert (garage.settings.get("units"), garage.settings.get("other")) == ("imperial", 3)
    (tmp_path / "g" / "settings.json").write_text("{broken")
    assert garage.settings.get("units") is None
    garage.settings.keep("units", "metric")
    assert garage.settings.get("units") == "metric"
    garage.close()
