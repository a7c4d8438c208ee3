"""A damaged garage: what is sound of it is saved, what is not is counted, and the damaged one is not touched."""

import random
import sqlite3

import pytest

from crisp_hornet import cli
from crisp_hornet.demo.garage import demo_garage
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import GarageError
from crisp_hornet.garage.pages import Pages
from crisp_hornet.garage.rescue import rescue
from tests.amount import few
from tests.bikes import a_tune
from tests.garage.test_archive import alike, story


@pytest.fixture
def folder(tmp_path):
    garage = demo_garage(tmp_path / "old")
    number = garage.glance.last_bike()[0]
    garage.tunes.keep_sent(number, a_tune())
    for line in range(400):
        garage.book.log(number, "note", f"line {line}", "words " * 30)
    garage.settings.keep("units", "imperial")
    garage.close()
    with sqlite3.connect(tmp_path / "old/garage.sqlite") as database:
        database.execute("pragma wal_checkpoint(truncate)")
    database.close()
    return tmp_path / "old"


def test_a_sound_garage_comes_over_whole(folder, tmp_path, capsys):
    assert cli.main(["rescue", "--garage", str(folder), "--out", str(tmp_path / "new")]) == 0
    assert "2 bikes" in capsys.readouterr().out
    old, new = Garage(folder), Garage(tmp_path / "new")
    number = old.glance.last_bike()[0]
    alike(story(old, number), story(new, number))
    assert new.settings.get("units") == "imperial"
    old.close()
    new.close()


def lines_of(garage):
    found = garage.glance.last_bike()
    return [one.title for one in garage.book.of(found[0]) if one.title.startswith("line ")] if found else []


def test_broken_pages_cost_their_own_rows_and_no_others(folder, tmp_path):
    """Six times one page is overwritten, whether it holds rows or leads to others: only rows of its own are gone."""
    file, whole = folder / "garage.sqlite", (folder / "garage.sqlite").read_bytes()
    pages, kept = len(whole) // 4096, []
    for seed in range(few(6, 2)):
        draw, data = random.Random(seed), bytearray(whole)
        at = draw.randrange(2, pages) * 4096
        data[at : at + 2048] = draw.randbytes(2048)
        file.write_bytes(data)
        try:
            told = rescue(folder, tmp_path / f"new {seed}")
        except DocumentError as error:
            assert "nothing in it can be read" in str(error)
            kept.append(0)
            continue
        assert file.read_bytes() == bytes(data)
        new = Garage(tmp_path / f"new {seed}")
        lines = lines_of(new)
        assert told.saved["bikes"] == len(new.glance.bikes()) and len(set(lines)) == len(lines)
        kept.append(len(lines))
        new.close()
    assert sum(count > 360 for count in kept) >= len(kept) - 1, kept


@pytest.mark.long
def test_rows_below_a_lost_inner_page_are_found_again(folder, tmp_path):
    """Every inner page of every table is lost, and the first page with the names of the tables."""
    file, data = folder / "garage.sqlite", bytearray((folder / "garage.sqlite").read_bytes())
    before = Garage(folder)
    told_before = story(before, before.glance.last_bike()[0])
    before.close()
    inner = [at for at in range(4096, len(data), 4096) if data[at] == 0x05]
    assert inner, "the garage must be large enough to have some"
    for at in inner:
        data[at : at + 4096] = b"\xff" * 4096
    file.write_bytes(data)
    told = rescue(folder, tmp_path / "inner")
    new = Garage(tmp_path / "inner")
    alike(told_before, story(new, new.glance.last_bike()[0]))
    assert not any(told.lost.values()) and "there may have been more" in told.text
    new.close()
    data[100:4096] = bytes(3996)  # the first page's tree: no table has a name any more
    file.write_bytes(data)
    rescue(folder, tmp_path / "nameless")
    new = Garage(tmp_path / "nameless")
    assert len(lines_of(new)) == 400
    new.close()


def test_what_was_deleted_does_not_come_back(folder, tmp_path):
    file = folder / "garage.sqlite"
    with sqlite3.connect(file) as database:
        database.execute("delete from event where title like 'line 1%'")
        database.execute("delete from event where id > 200")
    database.close()
    with sqlite3.connect(file) as database:
        database.execute("pragma wal_checkpoint(truncate)")
        left = {row[0] for row in database.execute("select title from event")}
    database.close()
    found = {
        row[1][3]
        for leaf in Pages(file.read_bytes()).leaves()
        for row in leaf.rows
        if len(row[1]) == 8 and row[1][2] == "note"
    }
    assert {one for one in found if one.startswith("line ")} == {one for one in left if one.startswith("line ")}


def test_pages_of_any_size_tell_what_was_written(tmp_path):
    """Rows of every kind of value, some longer than a page, against what the library reads."""
    draw = random.Random(7)
    for size in (512, 4096, 65536):
        file = tmp_path / f"{size}.sqlite"
        database = sqlite3.connect(file)
        database.execute(f"pragma page_size={size}")
        database.execute("create table t (id integer primary key, a, b, c, d)")
        for number in range(300):
            values = (
                None,
                draw.randrange(-(2**40), 2**40),
                draw.choice([0, 1, -1, 200, 2**62]),
                draw.random(),
                "ü" * draw.randrange(0, 3000),
            )
            database.execute("insert into t values (?, ?, ?, ?, ?)", (number * 7 + 1, *draw.sample(values[1:], 4)))
        database.commit()
        told = [tuple(row) for row in database.execute("select * from t")]
        database.close()
        rows = [one for leaf in Pages(file.read_bytes()).leaves() for one in leaf.rows]
        read = sorted([(row, *values[1:]) for row, values in rows if values[0] is None], key=lambda one: one[0])
        assert read == told


def test_pages_that_are_noise_are_read_without_harm():
    draw = random.Random(3)
    for _ in range(60):
        data = bytearray(draw.randbytes(4096 * 4))
        for at in range(0, len(data), 4096):
            data[at] = 0x0D
        for leaf in Pages(bytes(data)).leaves():
            assert len(leaf.rows) + leaf.broken <= 1024


def test_what_holds_nothing_is_told(tmp_path, folder):
    with pytest.raises(DocumentError, match="holds no garage"):
        rescue(tmp_path / "none", tmp_path / "new")
    with pytest.raises(DocumentError, match="a garage already"):
        rescue(folder, folder)
    (folder / "garage.sqlite").write_bytes(b"nothing at all" * 900)
    with pytest.raises(DocumentError, match="nothing in it can be read"):
        rescue(folder, tmp_path / "new")
    with pytest.raises(GarageError, match="crisp-hornet rescue"):
        Garage(folder)
