"""A bike is taken to the road and comes home: nothing is lost, nothing is there twice, and what both changed is asked."""

import json
import random
import zipfile

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet import cli
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.garage.archive import STORY, export_bike, import_bike
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.jobs import JobStep
from crisp_hornet.garage.merging import BIKE, merged
from tests.amount import few, some
from tests.bikes import a_bike, a_tune

DRAFT = ("tunes", "draft")
ROWS = st.dictionaries(
    st.sampled_from([("tunes", "a"), ("tunes", "b"), ("rides", "c")]), st.sampled_from([{"v": 1}, {"v": 2}, {"v": 3}])
)


@seed(11)
@settings(max_examples=some(600), deadline=None, database=None)
@given(ROWS, ROWS, ROWS, st.sampled_from(["mine", "theirs"]))
def test_what_one_side_changed_stands_and_what_both_did_is_decided_once(mine, theirs, base, side):
    asked = merged(mine, theirs, base)
    fights = {one.key for one in asked.conflicts}
    for key in {*mine, *theirs, *base}:
        a, b, was = (one.get(key) for one in (mine, theirs, base))
        now = asked.changes.get(key, a)
        assert (key in fights) == (a != b and a != was and b != was)
        assert now == (b if a == was else a)
    told = merged(mine, theirs, base, dict.fromkeys(fights, side))
    assert told.conflicts == []
    ended = {key: row for key, row in ({**mine} | told.changes).items() if row is not None}
    again = merged(ended, theirs, told.agreed)  # the same archive once more
    assert again.changes == {} and again.conflicts == []
    back = merged(theirs, ended, told.agreed)  # and home's answer to the other
    other = {key: row for key, row in ({**theirs} | back.changes).items() if row is not None}
    assert back.conflicts == [] and other == ended


def test_a_bike_is_brought_together_figure_by_figure_and_a_figure_that_fights_is_named():
    was = {"name": "x", "battery": {"series": 14, "ah": 20.0}, "chassis": {"kg": 30}}
    mine = {"name": "x", "battery": {"series": 14, "ah": 19.0}, "chassis": {"kg": 30}}
    theirs = {"name": "x", "battery": {"series": 14, "ah": 18.5}, "chassis": {"kg": 31}}
    found = merged({BIKE: mine}, {BIKE: theirs}, {BIKE: was})
    assert found.conflicts[0].paths == ("battery.ah",)
    assert found.changes[BIKE] == {"name": "x", "battery": {"series": 14, "ah": 19.0}, "chassis": {"kg": 31}}
    found = merged({BIKE: mine}, {BIKE: theirs}, {BIKE: was}, {BIKE: "theirs"})
    assert found.conflicts == [] and found.changes[BIKE]["battery"]["ah"] == 18.5


@pytest.fixture
def home(tmp_path):
    made = Garage(tmp_path / "home")
    number = made.bikes.save(a_bike())
    made.tunes.save_draft(number, a_tune())
    made.tunes.keep_named(number, a_tune(name="gentle"))
    made.book.log(number, "note", "built")
    yield made
    made.close()


@pytest.fixture
def road(tmp_path):
    made = Garage(tmp_path / "road")
    made.bikes.save(a_bike())  # another one of that name
    yield made
    made.close()


def over(one, number, other, path):
    """A bike of one garage goes to another."""
    export_bike(one, number, path)
    return import_bike(other, path)


def titles(garage, number):
    return [entry.title for entry in garage.book.of(number)]


def a_ride(name):
    return Ride(name, np.array([0.0, 0.5, 1.0]), {"pack_v": np.array([60.0, 59.5, 59.0])})


def test_off_to_the_road_and_home_again(home, road, tmp_path):
    mine, name = home.glance.last_bike()[0], a_bike().name
    there = over(home, mine, road, tmp_path / "off.zip").number
    assert road.bikes.get(there).name == f"{name}, 2" and len(road.glance.bikes()) == 2
    road.tunes.save_draft(there, a_tune(drive__battery_current_a=21))
    road.rides.keep(there, a_ride("pass"), a_tune())
    road.book.log(there, "ride", "over the pass")
    road.tunes.drop_named(there, "gentle")
    road.bikes.update(there, road.bikes.get(there).model_copy(update={"chassis": a_bike(chassis__rider_kg=91).chassis}))
    home.book.log(mine, "note", "a new plug was ordered")
    home.jobs.start(mine, "Plug", [JobStep("solder")])
    taken = over(road, there, home, tmp_path / "back.zip")
    assert taken.known and taken.conflicts == () and taken.number == mine and len(home.glance.bikes()) == 1
    assert taken.new == {"rides": 1, "logbook": 1} and "over the pass" in taken.there
    bike = home.bikes.get(mine)
    assert bike.name == name and bike.chassis.rider_kg == 91  # the road's name for it is the road's
    assert home.glance.tune(mine, "draft").drive.battery_current_a == 21 and home.tunes.named(mine) == {}
    assert home.rides.load(home.rides.of(mine)[0]).channels["pack_v"][2] == 59.0
    lines = titles(home, mine)
    again = import_bike(home, tmp_path / "back.zip")
    assert again.new == {} and again.conflicts == () and titles(home, mine) == lines  # nothing twice
    assert len(list((home.folder / "rides").iterdir())) == 1
    back = over(home, mine, road, tmp_path / "second.zip")
    assert back.conflicts == () and "a new plug was ordered" in titles(road, there)
    assert [job.title for job in road.jobs.of(there)] == ["Plug"] and road.bikes.get(there).name == f"{name}, 2"


@pytest.mark.parametrize("side", ["mine", "theirs"])
def test_what_both_changed_waits_for_a_person_and_neither_is_lost(home, road, tmp_path, side):
    mine = home.glance.last_bike()[0]
    there = over(home, mine, road, tmp_path / "off.zip").number
    road.tunes.save_draft(there, a_tune(drive__battery_current_a=21))
    home.tunes.save_draft(mine, a_tune(drive__battery_current_a=33))
    taken = over(road, there, home, tmp_path / "back.zip")
    assert [one.key for one in taken.conflicts] == [DRAFT]
    assert home.glance.tune(mine, "draft").drive.battery_current_a == 33  # nobody was asked yet
    assert [one.key for one in import_bike(home, tmp_path / "back.zip").conflicts] == [DRAFT]  # and it is asked again
    taken = import_bike(home, tmp_path / "back.zip", {DRAFT: side})
    assert taken.conflicts == ()
    chosen, other = (33, 21) if side == "mine" else (21, 33)
    assert home.glance.tune(mine, "draft").drive.battery_current_a == chosen
    assert other in [tune.drive.battery_current_a for tune in home.tunes.named(mine).values()]
    assert any("kept what" in entry.detail for entry in home.book.of(mine))
    lines, tunes = titles(home, mine), home.tunes.named(mine)
    import_bike(home, tmp_path / "back.zip", {DRAFT: side})  # decided once more: nothing is left to decide
    assert titles(home, mine) == lines and home.tunes.named(mine) == tunes
    road_again = over(home, mine, road, tmp_path / "second.zip")  # the road hears of it, and is not asked
    assert road_again.conflicts == () and road.glance.tune(there, "draft").drive.battery_current_a == chosen


@pytest.mark.parametrize("side", ["mine", "theirs"])
def test_a_figure_that_is_not_chosen_lies_in_a_file_of_the_logbook(home, road, tmp_path, side):
    mine = home.glance.last_bike()[0]
    there = over(home, mine, road, tmp_path / "off.zip").number
    road.bikes.update(there, road.bikes.get(there).model_copy(update={"chassis": a_bike(chassis__crr=0.014).chassis}))
    home.bikes.update(mine, a_bike(chassis__crr=0.009))
    over(road, there, home, tmp_path / "back.zip")
    assert import_bike(home, tmp_path / "back.zip", {BIKE: side}).conflicts == ()
    chosen, other = (0.009, 0.014) if side == "mine" else (0.014, 0.009)
    assert home.bikes.get(mine).chassis.crr == chosen
    (line,) = [one for one in home.book.of(mine) if one.title == "Set aside: the bike"]
    assert json.loads(line.file.read_text())["chassis"]["crr"] == other


@pytest.mark.parametrize("start", range(0, few(24, 4), 4))
def test_whatever_is_done_on_both_sides_all_is_there_in_the_end_and_once(tmp_path, start):
    """Two garages, random work on both, archives that go to and fro, come late or twice: lines, rides, backups are the union."""
    for number in range(start, start + 4):
        rng = random.Random(number)
        garages = [Garage(tmp_path / f"{number} {side}") for side in "ab"]
        bikes = [garages[0].bikes.save(a_bike())]
        garages[0].tunes.save_draft(bikes[0], a_tune())
        export_bike(garages[0], bikes[0], tmp_path / "first.zip")
        bikes.append(import_bike(garages[1], tmp_path / "first.zip").number)
        written, sent = set(), [tmp_path / "first.zip"]
        for step in range(14):
            at = rng.randrange(2)
            garage, bike, what = garages[at], bikes[at], rng.randrange(4)
            if what == 0:
                garage.book.log(bike, "note", f"line {step}")
                written.add(f"line {step}")
            elif what == 1:
                garage.tunes.keep_sent(bike, a_tune(name=f"sent {step}", drive__battery_current_a=10 + step))
                written.add(f"sent {step}")
            elif what == 2:
                garage.tunes.save_draft(bike, a_tune(drive__battery_current_a=10 + step))
            else:
                sent.append(tmp_path / f"{number} {step}.zip")
                export_bike(garage, bike, sent[-1])
            if rng.random() < 0.3:  # any of those written so far, an old one too
                import_bike(garages[1 - at], rng.choice(sent), {DRAFT: rng.choice(["mine", "theirs"])})
        for _ in range(2):
            for at in (0, 1):
                export_bike(garages[at], bikes[at], tmp_path / "last.zip")
                import_bike(garages[1 - at], tmp_path / "last.zip", {DRAFT: "theirs"})
        for garage, bike in zip(garages, bikes, strict=True):
            lines = [one for one in titles(garage, bike) if one.startswith("line ")]
            tunes = [tune.name for _, tune in garage.tunes.sent(bike)]
            assert sorted(lines + tunes) == sorted(written), number
        ends = [garage.glance.tune(bike, "draft") for garage, bike in zip(garages, bikes, strict=True)]
        assert ends[0] == ends[1]
        for garage in garages:
            garage.close()


def test_a_memory_of_a_meeting_that_is_spoilt_only_asks_more(home, road, tmp_path):
    mine = home.glance.last_bike()[0]
    there = over(home, mine, road, tmp_path / "off.zip").number
    road.tunes.save_draft(there, a_tune(drive__battery_current_a=21))
    export_bike(road, there, tmp_path / "back.zip")
    source = zipfile.ZipFile(tmp_path / "back.zip")
    for spoilt in (
        {},
        [],
        {"x": 3},
        {"x": {"count": True, "rows": []}},
        {"x": {"count": 1, "rows": [[1, 2, 3], "no"]}},
    ):
        story = json.loads(source.read(STORY)) | {"met": spoilt}
        with zipfile.ZipFile(tmp_path / "spoilt.zip", "w") as archive:
            archive.writestr(STORY, json.dumps(story))
            for file in source.namelist():
                if file != STORY:
                    archive.writestr(file, source.read(file))
        assert DRAFT in [one.key for one in import_bike(home, tmp_path / "spoilt.zip").conflicts]
        assert home.glance.tune(mine, "draft") == a_tune()


def test_it_goes_from_the_command_line_too(home, road, tmp_path, capsys):
    mine, name = home.glance.last_bike()[0], a_bike().name
    off, back = tmp_path / "off.zip", tmp_path / "back.zip"
    assert cli.main(["take", name, "--garage", str(home.folder), "--out", str(off)]) == 0
    assert cli.main(["--garage", str(road.folder), "bring", str(off)]) == 0
    there = next(bike.id for bike in road.glance.bikes() if bike.name != name)
    road.tunes.save_draft(there, a_tune(drive__battery_current_a=21))
    home.tunes.save_draft(mine, a_tune(drive__battery_current_a=33))
    assert cli.main(["take", f"{name}, 2", "--garage", str(road.folder), "--out", str(back)]) == 0
    assert cli.main(["bring", str(back), "--garage", str(home.folder)]) == 1
    assert "left as it is here: tune" in capsys.readouterr().out
    assert cli.main(["bring", str(back), "--garage", str(home.folder), "--keep", "elsewhere"]) == 0
    assert home.glance.tune(mine, "draft").drive.battery_current_a == 21
    assert cli.main(["take", "Nobody", "--garage", str(home.folder), "--out", str(off)]) == 2
    assert "no bike is called 'Nobody'" in capsys.readouterr().err
