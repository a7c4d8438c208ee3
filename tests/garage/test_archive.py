"""A bike's whole story out of one garage and into another, without loss; and what a hostile archive does not do."""

import io
import json
import zipfile

import numpy as np
import pytest

from crisp_hornet.demo.garage import demo_garage
from crisp_hornet.documents.calibration import Calibration
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.garage.archive import STORY, export_bike, import_bike
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.jobs import JobStep
from tests.amount import LONG
from tests.bikes import a_tune


@pytest.fixture
def garage(tmp_path):
    made = demo_garage(tmp_path / "one")
    number = made.glance.last_bike()[0]
    made.tunes.keep_named(number, a_tune())
    made.tunes.keep_sent(number, a_tune())
    made.calibrations.keep(
        number, Calibration(kind="brake", taken="2026-10-01T10:00:00", verdict="passed", reason="moves")
    )
    made.jobs.start(number, "New pack", [JobStep("Pack off", "wait")])
    (tmp_path / "plug.txt").write_text("scorched")
    made.book.attach(number, tmp_path / "plug.txt", "the old plug")
    made.rides.keep_card(made.rides.of(number)[0].id, RideCard(tyres="3.5 bar", rested_start_v=65.1))
    yield made
    made.close()


@pytest.fixture
def other(tmp_path):
    made = Garage(tmp_path / "two")
    yield made
    made.close()


KEPT = {"met", "garage.sqlite", "garage.sqlite-wal", "garage.sqlite-shm", "rides", "attachments", "settings.json"}


def story(garage, number):
    rides = [(one.name, one.at, one.tune, one.card, garage.rides.load(one).channels) for one in garage.rides.of(number)]
    return {
        "log": [(one.at, one.kind, one.title, one.detail) for one in garage.book.of(number)],
        "files": [one.file.read_bytes() for one in garage.book.of(number) if one.file],
        "sent": garage.tunes.sent(number), "named": garage.tunes.named(number),
        "draft": garage.glance.tune(number, "draft"), "controller": garage.glance.tune(number, "controller"),
        "backups": garage.backups.of(number),
        "calibrations": garage.calibrations.of(number), "jobs": [(one.title, one.steps, one.opened_at) for one in garage.jobs.of(number)],
        "rides": [one[:4] for one in rides], "channels": [one[4] for one in rides],
    }  # fmt: skip


def alike(one, other):
    assert {key: value for key, value in one.items() if key != "channels"} == {
        key: value for key, value in other.items() if key != "channels"
    }
    for a, b in zip(one["channels"], other["channels"], strict=True):
        assert a.keys() == b.keys() and all(np.array_equal(a[name], b[name], equal_nan=True) for name in a)


def test_the_same_story_stands_in_another_garage(garage, other, tmp_path):
    number = garage.glance.last_bike()[0]
    export_bike(garage, number, tmp_path / "heron.zip")
    there = import_bike(other, tmp_path / "heron.zip").number
    assert other.glance.last_bike() == (there, garage.bikes.get(number))
    alike(story(garage, number), story(other, there))
    with zipfile.ZipFile(tmp_path / "heron.zip") as archive:  # open formats: anybody reads it
        assert json.loads(archive.read(STORY))["format"] == "crisp-hornet/archive"
        assert archive.read("rides/00000.parquet").startswith(b"PAR1")


def test_a_bike_of_the_same_name_is_not_replaced(garage, tmp_path):
    """An archive of the first version, which told nobody's rows apart."""
    number = garage.glance.last_bike()[0]
    export_bike(garage, number, tmp_path / "heron.zip")

    def as_first(story):
        for name in ("uid", "garage", "met"):
            del story[name]
        for one in [row for rows in story.values() if isinstance(rows, list) for row in rows]:
            del one["uid"]
        story["version"] = 1

    taken = import_bike(garage, packed(tmp_path, as_first))
    assert garage.bikes.get(taken.number).name == "Heron, 2" and garage.bikes.get(number).name == "Heron"
    assert not taken.known
    alike(story(garage, number), story(garage, taken.number))


def attached(story):
    return next(one for one in story["logbook"] if one.get("attachment"))


def packed(tmp_path, change=lambda story: None, leave=(), more=()):
    source = zipfile.ZipFile(tmp_path / "heron.zip")
    told = json.loads(source.read(STORY))
    change(told)
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in source.namelist():
            if name not in leave:
                archive.writestr(name, json.dumps(told) if name == STORY else source.read(name))
        for name, data in more:
            archive.writestr(name, data)
    (tmp_path / "bad.zip").write_bytes(made.getvalue())
    return tmp_path / "bad.zip"


BAD = {
    "no attachment": ({"leave": ("attachments/00002.txt",)}, "is missing"),
    "strange attachment": ({"change": lambda s: attached(s).update(attachment="../../run.sh")}, "no file we keep"),
    "no story": ({"leave": (STORY,)}, "is missing"),
    "no ride": ({"leave": ("rides/00000.parquet",)}, "is missing"),
    "newer": ({"change": lambda s: s.update(version=9)}, "newer"),
    "bad bike": ({"change": lambda s: s["bike"]["motor"].update(pole_pairs=-1)}, "pole_pairs"),
    "bad tune": (
        {"change": lambda s: s["tunes"][0]["document"]["drive"].update(phase_current_a="much")},
        "phase_current_a",
    ),
    "bad time": ({"change": lambda s: s["logbook"][0].update(at="yesterday")}, "logbook.at"),
    "strange column": ({"change": lambda s: s["logbook"][0].update(id=1)}, "no row of it"),
    "no list": ({"change": lambda s: s.update(rides={})}, "must be a list"),
    "bad steps": ({"change": lambda s: s["jobs"][0].update(steps=[{"text": 4}])}, "no steps"),
    "no object": ({"change": lambda s: s["tunes"][0].update(document=4)}, "cannot be"),
    "bad name": ({"change": lambda s: s.update(uid="../x")}, "uid"),
    "twice": ({"change": lambda s: s["logbook"].append(s["logbook"][0])}, "the same twice"),
    "bad card": ({"change": lambda s: s["rides"][0].update(card={"rested_start_v": -4})}, "rested_start_v"),
}


@pytest.mark.parametrize("name", list(BAD)[:: 1 if LONG else 3])
def test_an_unsound_archive_is_refused_and_leaves_nothing(garage, other, tmp_path, name):
    export_bike(garage, garage.glance.last_bike()[0], tmp_path / "heron.zip")
    how, words = BAD[name]
    with pytest.raises(DocumentError, match=words):
        import_bike(other, packed(tmp_path, **how))
    assert other.glance.bikes() == [] and list((other.folder / "rides").iterdir()) == []
    assert not list(other.folder.glob("attachments/*"))


def test_names_in_an_archive_lead_nowhere(garage, other, tmp_path):
    export_bike(garage, garage.glance.last_bike()[0], tmp_path / "heron.zip")
    bad = packed(tmp_path, more=[("../../outside.txt", b"here"), ("/tmp/outside.txt", b"there")])
    import_bike(other, bad)
    assert not (tmp_path / "outside.txt").exists() and {one.name for one in other.folder.iterdir()} <= KEPT


def test_what_is_no_archive_is_told(other, tmp_path):
    with pytest.raises(DocumentError, match="no such file"):
        import_bike(other, tmp_path / "none.zip")
    (tmp_path / "text.zip").write_text("no archive")
    with pytest.raises(DocumentError, match="not an archive"):
        import_bike(other, tmp_path / "text.zip")
