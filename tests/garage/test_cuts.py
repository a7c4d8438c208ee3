"""Cuts, other instances, full disks and bad rows: nothing half made, nothing else taken down."""

import os
import shutil
import sqlite3
import stat
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import event

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import database, opening
from crisp_hornet.garage.database import COPIES
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import NEWEST, GarageError
from crisp_hornet.garage.rescue import rescue
from tests.amount import of, some
from tests.bikes import a_bike, a_tune
from tests.garage.test_survival import UNDONE


def a_ride(name):
    return Ride(name, np.array([0.0, 0.5, 1.0]), {"pack_v": np.array([60.0, 59.5, 59.0])})


def made(folder):
    garage = Garage(folder)
    number = garage.bikes.save(a_bike())
    garage.tunes.save_draft(number, a_tune())
    garage.book.log(number, "note", "from before")
    garage.close()
    return number


def as_of(folder, version):
    with sqlite3.connect(folder / "garage.sqlite") as connection:
        for brought, undo in UNDONE.items():
            if brought >= version:
                connection.executescript(undo)
        connection.execute("update alembic_version set version_num = ?", (version,))
    connection.close()


@pytest.mark.parametrize("version", of([list(UNDONE)[-1]], ["", *list(UNDONE)[:-1]]))
def test_a_cut_at_any_statement_of_the_first_start_or_a_migration_leaves_a_garage_that_opens(
    tmp_path, monkeypatch, version
):
    """Before each statement the folder is copied as a power cut would leave it; each copy must open with all it held."""
    folder, cuts = tmp_path / "garage", []
    if version:
        made(folder)
        as_of(folder, version)
    plain = database.open_engine

    def watched(file):
        engine = plain(file)

        def cut(_connection, _cursor, statement, *_rest):
            place = tmp_path / f"cut-{len(cuts)}"
            shutil.copytree(folder, place)
            cuts.append((place, statement))

        event.listen(engine, "before_cursor_execute", cut)  # what it did is there before the next
        return engine

    monkeypatch.setattr("crisp_hornet.garage.database.open_engine", watched)
    Garage(folder).close()
    monkeypatch.undo()
    assert len(cuts) > 6
    for place, statement in cuts:
        garage = Garage(place)
        if version:
            assert garage.glance.last_bike() == (1, a_bike()) and garage.glance.tune(1, "draft") == a_tune(), statement
            assert [one.title for one in garage.book.of(1)] == ["from before"]
        else:
            assert garage.glance.bikes() == []
        garage.close()
        shutil.rmtree(place)


def test_before_a_migration_the_file_is_copied(tmp_path):
    made(tmp_path / "g")
    as_of(tmp_path / "g", "0003")
    updated = Garage(tmp_path / "g")
    assert updated.updated
    updated.close()
    (copy,) = (tmp_path / "g" / COPIES).iterdir()
    with sqlite3.connect(copy) as connection:
        assert connection.execute("select version_num from alembic_version").fetchone() == ("0003",)
    connection.close()
    again = Garage(tmp_path / "g")
    assert not again.updated
    again.close()
    assert len(list((tmp_path / "g" / COPIES).iterdir())) == 1  # nothing to migrate, nothing copied


def test_two_instances_at_first_start_both_open(tmp_path):
    code = "import sys; from pathlib import Path; from crisp_hornet.garage.garage import Garage; Garage(Path(sys.argv[1])).close()"
    for attempt in range(some(3, 1)):
        both = [
            subprocess.Popen([sys.executable, "-c", code, str(tmp_path / str(attempt))], stderr=subprocess.PIPE)
            for _ in range(3)
        ]
        assert [process.communicate()[1] for process in both] == [b""] * 3
        assert [process.returncode for process in both] == [0] * 3


def test_a_newer_garage_is_refused_and_stays_as_it_is(tmp_path):
    made(tmp_path / "g")
    with sqlite3.connect(tmp_path / "g" / "garage.sqlite") as connection:
        connection.execute("update alembic_version set version_num = '9999'")
    connection.close()
    with pytest.raises(GarageError, match="newer version"):
        Garage(tmp_path / "g")
    assert NEWEST != "9999"


# --- rescue -----------------------------------------------------------------------------------------------------


def killed_copy(tmp_path, rides):
    """A garage as a kill leaves it: the last rides are in the write-ahead log only."""
    garage = Garage(tmp_path / "live")
    number = garage.bikes.save(a_bike())
    for count in range(rides):
        garage.rides.keep(number, a_ride(f"ride {count}"), a_tune())
    shutil.copytree(tmp_path / "live", tmp_path / "killed")
    garage.close()
    return tmp_path / "killed"


def test_rescue_reads_the_write_ahead_log_as_the_database_would(tmp_path):
    folder = killed_copy(tmp_path, 12)
    assert (folder / "garage.sqlite-wal").stat().st_size > 0
    told = rescue(folder, tmp_path / "new")
    assert told.saved["rides"] == 12 and "nothing was lost" in told.text
    (folder / "rides").joinpath(min(one.name for one in (folder / "rides").iterdir())).unlink()
    missing = rescue(folder, tmp_path / "newer")
    assert missing.saved["rides"] == 11 and "ride ride" in missing.text and "nothing was lost" not in missing.text


def test_rescue_of_a_fresh_garage_says_that_it_held_nothing(tmp_path):
    Garage(tmp_path / "fresh").close()
    assert rescue(tmp_path / "fresh", tmp_path / "new").text == "saved: nothing; it held nothing"


# --- one bad row ------------------------------------------------------------------------------------------------

BAD = ["'{broken'", "'[]'", "'3'", "x'ff00ff'", '\'{"format": "other"}\'']


@pytest.mark.parametrize("bad", BAD)
def test_one_bad_row_is_unreadable_and_the_rest_lives(tmp_path, bad):
    garage = Garage(tmp_path / "g")
    other = garage.bikes.save(a_bike().model_copy(update={"name": "Other"}))
    number = garage.bikes.save(a_bike())
    garage.tunes.save_draft(number, a_tune())
    garage.rides.keep(number, a_ride("sound"), a_tune())
    garage.rides.keep(number, a_ride("its tune is bad"), a_tune())
    garage.book.log(number, "note", "a line")
    garage.book.log(number, "note", "another")
    garage.close()
    with sqlite3.connect(tmp_path / "g" / "garage.sqlite") as connection:
        connection.execute(f"update bike set document = {bad} where id = {other}")
        connection.execute(f"update ride set tune = {bad}, card = {bad} where name like 'its%'")
        connection.execute(f"update tune set document = {bad}")
        connection.execute("update event set at = 'long ago' where title = 'a line'")
    connection.close()
    garage = Garage(tmp_path / "g")
    assert garage.glance.last_bike() == (number, a_bike())
    assert {kept.name: kept.readable for kept in garage.glance.bikes()} == {"Other": False, a_bike().name: True}
    assert [ride.tune for ride in garage.rides.of(number)] == [None, a_tune()]
    assert garage.glance.tune(number, "draft") is None and {one.title for one in garage.book.of(number)} == {
        "a line",
        "another",
    }
    assert "1 bike" in garage.store.unreadable_words and "1 tune" in garage.store.unreadable_words
    garage.close()


# --- full, locked, not allowed ----------------------------------------------------------------------------------


@pytest.mark.parametrize(("why", "words"), [("database is locked", "another program"), ("database or disk is full", "disk is full"),
                                            ("attempt to write a readonly database", "may write there"),
                                            ("disk I/O error", "Check the disk"), ("malformed", "crisp-hornet rescue")])  # fmt: skip
def test_what_cannot_be_written_or_read_is_said_in_one_sentence(tmp_path, monkeypatch, why, words):
    garage = Garage(tmp_path / "g")
    number = garage.bikes.save(a_bike())

    def fail(*_, **__):
        raise sqlite3.OperationalError(why)

    event.listen(garage.store.engine, "before_cursor_execute", fail)
    acts = [
        lambda: garage.tunes.save_draft(number, a_tune()),
        lambda: garage.book.log(number, "note", "x"),
        lambda: garage.rides.keep(number, a_ride("r"), None),
        lambda: garage.tunes.sent(number),
        lambda: garage.glance.bikes(),
    ]
    for act in acts:
        if act is acts[-1]:
            monkeypatch.setattr(opening.sqlite3, "connect", fail)
        with pytest.raises(DocumentError, match=words) as told:
            act()
        assert "\n" not in str(told.value)
    garage.close()


def test_another_writer_that_holds_it_is_waited_for_then_told(tmp_path, monkeypatch):
    monkeypatch.setattr(opening, "BUSY_S", 0.1)
    garage = Garage(tmp_path / "g")
    number = garage.bikes.save(a_bike())
    with sqlite3.connect(tmp_path / "g" / "garage.sqlite", isolation_level=None) as other:
        other.execute("begin immediate")
        with pytest.raises(DocumentError, match="another program holds the garage"):
            garage.book.log(number, "note", "x")
        other.execute("rollback")
    other.close()
    garage.book.log(number, "note", "x")
    garage.close()


def test_files_are_their_owner_s_alone_and_orphans_go(tmp_path):
    garage = Garage(tmp_path / "g")
    number = garage.bikes.save(a_bike())
    kept = garage.rides.keep(number, a_ride("r"), None)
    garage.settings.keep("units", "metric")
    (tmp_path / "note.txt").write_text("a receipt")
    attached = garage.book.attach(number, tmp_path / "note.txt", "bought")
    assert stat.S_IMODE((tmp_path / "g").stat().st_mode) == 0o700
    for file in (kept.file, attached.file, tmp_path / "g" / "settings.json", tmp_path / "g" / "garage.sqlite"):
        assert stat.S_IMODE(file.stat().st_mode) == 0o600, file
    orphan, fresh = kept.file.with_name("orphan.parquet"), kept.file.with_name("fresh.parquet")
    for file in (orphan, fresh, tmp_path / "g" / ".crisp-hornet-0123"):
        file.write_bytes(b"x")
    for file in (orphan, tmp_path / "g" / ".crisp-hornet-0123", kept.file, attached.file):
        os.utime(file, (time.time() - 9000,) * 2)
    garage.close()
    Garage(tmp_path / "g").close()
    assert not orphan.exists() and not (tmp_path / "g" / ".crisp-hornet-0123").exists()
    assert fresh.exists() and kept.file.exists() and attached.file.exists()


def test_what_is_written_out_follows_links_keeps_modes_and_replaces_no_device(tmp_path):
    target, link = tmp_path / "target.json", tmp_path / "link.json"
    target.write_text("old")
    target.chmod(0o640)
    link.symlink_to(target)
    wire.write_text(link, "new")
    assert link.is_symlink() and target.read_text() == "new" and stat.S_IMODE(target.stat().st_mode) == 0o640
    before = os.umask(0o027)
    wire.write_text(tmp_path / "fresh.json", "x")
    wire.write_text(tmp_path / "own.json", "x", private=True)
    os.umask(before)
    assert stat.S_IMODE((tmp_path / "fresh.json").stat().st_mode) == 0o640
    assert stat.S_IMODE((tmp_path / "own.json").stat().st_mode) == 0o600
    os.mkfifo(tmp_path / "pipe")
    with pytest.raises(DocumentError, match="cannot be written"):
        wire.write_text(tmp_path / "pipe", "x")  # nobody reads: not waited for
    with pytest.raises(DocumentError, match="pipe or a device"):
        wire.read_bytes(tmp_path / "pipe")
    wire.write_text(tmp_path / "null", "x")
    (tmp_path / "null").unlink()
    (tmp_path / "null").symlink_to(os.devnull)
    wire.write_text(tmp_path / "null", "x")
    assert stat.S_ISCHR(Path(os.devnull).stat().st_mode) and stat.S_ISFIFO((tmp_path / "pipe").stat().st_mode)
    with pytest.raises(DocumentError, match="directory"):
        wire.write_text(tmp_path, "x")
    assert sorted(one.name for one in tmp_path.iterdir() if one.name.startswith(".")) == []
