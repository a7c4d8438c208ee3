"""What is kept stays over a restart, and a garage that cannot be opened says why."""

import sqlite3

import numpy as np
import pytest

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.backup import Backup
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.opening import GarageError
from crisp_hornet.rides.errors import RideError
from tests.bikes import a_bike, a_tune


@pytest.fixture
def folder(tmp_path):
    return tmp_path / "garage"


def test_everything_kept_is_there_after_a_restart(folder):
    garage = Garage(folder)
    assert garage.glance.last_bike() is None
    number = garage.bikes.save(a_bike())
    assert garage.bikes.save(a_bike(chassis__rider_kg=90)) == number  # same name, same bike
    garage.tunes.save_draft(number, a_tune())
    garage.tunes.save_draft(number, a_tune(drive__battery_current_a=35))
    garage.tunes.keep_sent(number, a_tune(drive__battery_current_a=33))
    backup = Backup(taken="2026-09-01T10:00:00+02:00", vendor="v", product="p", firmware="1", serial="s", registers=[])
    garage.backups.keep(number, backup)
    ride = Ride("round", np.array([0.0, 0.5, 1.0]), {"pack_v": np.array([60.0, np.nan, 59.0])})
    garage.rides.keep(number, ride, a_tune())
    garage.book.log(number, "note", "first")
    garage.book.log(number, "note", "second", "why")
    garage.close()

    garage = Garage(folder)
    assert garage.glance.last_bike() == (number, a_bike(chassis__rider_kg=90))
    assert garage.glance.tune(number, "draft").drive.battery_current_a == 35
    assert garage.glance.tune(number, "sent").drive.battery_current_a == 33
    assert garage.backups.of(number)[0][1].serial == "s"
    assert garage.rides.of(number)[0].tune == a_tune()
    kept = garage.rides.load(garage.rides.of(number)[0])
    assert kept.name == "round" and np.array_equal(kept.channels["pack_v"], ride.channels["pack_v"], equal_nan=True)
    assert [entry.title for entry in garage.book.of(number)] == ["second", "first"]
    garage.close()


def test_a_garage_that_is_no_database_is_left_alone_and_said_plainly(folder):
    folder.mkdir()
    (folder / "garage.sqlite").write_bytes(b"this is no database at all" * 100)
    before = (folder / "garage.sqlite").read_bytes()
    with pytest.raises(GarageError, match="not a database.*crisp-hornet rescue"):
        Garage(folder)
    assert (folder / "garage.sqlite").read_bytes() == before


def test_a_garage_of_a_newer_version_is_refused(folder):
    Garage(folder).close()
    with sqlite3.connect(folder / "garage.sqlite") as database:
        database.execute("update alembic_version set version_num = '9999'")
    database.close()
    with pytest.raises(GarageError, match="newer version"):
        Garage(folder)


def test_a_lost_ride_file_is_named(folder):
    garage = Garage(folder)
    kept = garage.rides.keep(garage.bikes.save(a_bike()), Ride("gone", np.array([0.0, 1.0])), None)
    kept.file.unlink()
    with pytest.raises(RideError, match="no such file"):
        garage.rides.load(kept)
    garage.close()


def test_a_place_that_cannot_hold_a_garage(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(GarageError, match="cannot be made"):
        Garage(tmp_path / "file" / "garage")
