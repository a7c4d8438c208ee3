"""A damaged garage: what is sound of it is saved, what is not is counted, and the damaged one is not touched."""

import random
import sqlite3

import pytest

from crisp_hornet import cli
from crisp_hornet.demo.garage import demo_garage
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import Garage, GarageError
from crisp_hornet.garage.rescue import rescue
from tests.bikes import a_tune
from tests.garage.test_archive import alike, story


@pytest.fixture
def folder(tmp_path):
    garage = demo_garage(tmp_path / "old")
    number = garage.last_bike()[0]
    garage.keep_sent(number, a_tune())
    for line in range(400):
        garage.log(number, "note", f"line {line}", "words " * 30)
    garage.keep_setting("units", "imperial")
    garage.close()
    with sqlite3.connect(tmp_path / "old/garage.sqlite") as database:
        database.execute("pragma wal_checkpoint(truncate)")
    database.close()
    return tmp_path / "old"


def test_a_sound_garage_comes_over_whole(folder, tmp_path, capsys):
    assert cli.main(["rescue", "--garage", str(folder), "--out", str(tmp_path / "new")]) == 0
    assert "1 bikes" in capsys.readouterr().out
    old, new = Garage(folder), Garage(tmp_path / "new")
    number = old.last_bike()[0]
    alike(story(old, number), story(new, number))
    assert new.setting("units") == "imperial"
    old.close()
    new.close()


def test_broken_pages_cost_their_own_rows_and_no_others(folder, tmp_path):
    """Sixteen times one page is overwritten. Where it leads to others all of those are gone; mostly it holds rows and costs just them."""
    file, whole = folder / "garage.sqlite", (folder / "garage.sqlite").read_bytes()
    pages, kept = len(whole) // 4096, []
    for seed in range(16):
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
        found = new.last_bike()
        lines = [one.title for one in new.logbook(found[0]) if one.title.startswith("line ")] if found else []
        assert told.saved["bikes"] == (found is not None) and len(set(lines)) == len(lines)
        kept.append(len(lines))
        new.close()
    assert sum(count > 300 for count in kept) >= 10, kept


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
