"""Copies of the whole garage on a schedule: consistent while others write, each file once, brought back whole, old ones let go."""

import shutil
import subprocess
import sys
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from crisp_hornet import cli
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.copies import bring_back, copy_garage, copy_shared
from crisp_hornet.garage.garage import Garage
from tests import postgres
from tests.bikes import a_bike, a_tune

NIGHT = datetime(2026, 11, 1, 2, tzinfo=UTC)


@pytest.fixture
def garage(tmp_path):
    made = Garage(tmp_path / "g")
    bike = made.bikes.save(a_bike())
    made.rides.keep(bike, Ride("pass", np.array([0.0, 1.0]), {"pack_v": np.array([60.0, 59.0])}), a_tune())
    (tmp_path / "plug.txt").write_text("scorched")
    made.book.attach(bike, tmp_path / "plug.txt", "the old plug")
    yield made
    made.close()


def test_a_garage_is_copied_each_night_and_brought_back_whole(garage, tmp_path):
    to = tmp_path / "copies"
    first = copy_garage(garage, to, keep=3, now=NIGHT)
    assert first.files == 2
    for night in range(1, 6):
        garage.book.log(1, "note", f"day {night}")
        made = copy_garage(garage, to, keep=3, now=NIGHT + timedelta(days=night))
        assert made.files == 0 and made.dropped == (1 if night >= 3 else 0)
    (to / "garage-notes.txt").write_text("mine")  # what is none of them is left alone
    copies = sorted(to.glob("garage-*.sqlite"))
    assert len(copies) == 3 and (to / "garage-notes.txt").exists()
    assert bring_back(copies[-2], tmp_path / "again") == 2
    again = Garage(tmp_path / "again")
    assert again.bikes.get(1) == a_bike() and [line.title for line in again.book.of(1)][:2] == ["day 4", "day 3"]
    assert again.rides.load(again.rides.of(1)[0]).channels["pack_v"][1] == 59.0
    assert next(line.file for line in again.book.of(1) if line.file).read_text() == "scorched"
    again.close()
    with pytest.raises(DocumentError, match="holds a garage already"):
        bring_back(copies[0], tmp_path / "again")
    with pytest.raises(DocumentError, match="is no copy"):
        bring_back(to / "none.sqlite", tmp_path / "third")


WRITER = """
import sys
from pathlib import Path
from crisp_hornet.garage.garage import Garage
garage, at = Garage(Path(sys.argv[1])), 0
while True:
    at += 1
    garage.book.log(1, "note", f"a {at}")
    garage.book.log(1, "note", f"b {at}")
    if at == 20:
        print("writing", flush=True)
"""


def test_a_copy_is_of_one_instant_while_another_writes(garage, tmp_path):
    with subprocess.Popen(
        [sys.executable, "-c", WRITER, str(garage.folder)], stdout=subprocess.PIPE, text=True
    ) as writer:
        try:
            writer.stdout.readline()
            for at in range(3):
                made = copy_garage(garage, tmp_path / "copies", 9, NIGHT + timedelta(hours=at))
                bring_back(made.path, tmp_path / f"back {at}")
                back = Garage(tmp_path / f"back {at}")
                lines = [line.title for line in reversed(back.book.of(1)) if line.title[:2] in ("a ", "b ")]
                back.close()
                assert (
                    lines
                    == [f"{side} {1 + place // 2}" for place, side in enumerate("ab" * (len(lines) // 2 + 1))][
                        : len(lines)
                    ]
                )
        finally:
            writer.kill()


def test_no_room_and_no_program_are_said_and_leave_nothing_half(garage, tmp_path, monkeypatch, capsys):
    (tmp_path / "file").write_text("")
    with pytest.raises(DocumentError, match="cannot be written: not a directory"):
        copy_garage(garage, tmp_path / "file" / "in", 3)

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(shutil, "copyfile", full)
    with pytest.raises(DocumentError, match="no space left on device"):
        copy_garage(garage, tmp_path / "copies", 3)
    assert not list((tmp_path / "copies").glob("garage-*"))
    monkeypatch.undo()
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(DocumentError, match="pg_dump is missing"):
        copy_shared("postgresql://u@localhost/g", tmp_path / "copies", 3)
    monkeypatch.undo()
    folder = str(garage.folder)
    assert cli.main(["copy", "--garage", folder, "--to", str(tmp_path / "c")]) == 0
    (made,) = (tmp_path / "c").glob("garage-*.sqlite")
    assert cli.main(["copy", "--garage", str(tmp_path / "new"), "--back", str(made)]) == 0
    assert (
        cli.main(["copy", "--back", str(made)]) == 2
        and cli.main(["copy", "--garage", folder, "--to", "c", "--keep", "0"]) == 2
    )
    capsys.readouterr()


@pytest.mark.skipif(
    postgres.binaries() is None, reason="no PostgreSQL here: scripts/test installs it (package postgresql)"
)
def test_a_shared_garage_is_dumped_and_restored(garage, tmp_path, monkeypatch):
    from crisp_hornet.garage.workshop import Workshop

    folder = Path(tempfile.mkdtemp(prefix="shared-"))
    server = postgres.Server(folder)
    try:
        monkeypatch.setenv("PATH", str(postgres.binaries()), prepend=":")
        shop = Workshop(server.make("shop"))
        shop.bring_in_step(garage)
        made = copy_shared(server.database("shop"), tmp_path / "copies", 3)
        other = server.make("other")
        done = subprocess.run(
            ["pg_restore", "--no-owner", f"--dbname={other}", str(made.path)], capture_output=True, text=True
        )
        assert done.returncode == 0, done.stderr
        restored, bench = Workshop(other), Garage(tmp_path / "bench")
        restored.bring_in_step(bench)
        assert bench.bikes.get(1) == a_bike() and bench.rides.load(bench.rides.of(1)[0]).channels["pack_v"][1] == 59.0
        bench.close()
        with pytest.raises(DocumentError, match="pg_dump failed"):
            copy_shared(server.database("none_of_that_name"), tmp_path / "copies", 3)
        assert len(list((tmp_path / "copies").iterdir())) == 1
        for one in (shop, restored):
            one.close()
    finally:
        server.kill()
        shutil.rmtree(folder)
