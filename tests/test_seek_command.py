"""``crisp-hornet seek``: found, not found, roads beside the goals, wrong input in a line."""

import json

import pytest

from crisp_hornet import cli
from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces
from crisp_hornet.documents import store
from tests.bikes import a_bike, a_tune

HEAD = {
    "format": "crisp-hornet/goals",
    "version": 1,
    "name": "ask",
    "free": ["drive.phase_current_a", "drive.battery_current_a"],
}
CLIMB = {"what": "climb", "grade": 0.06, "least_kmh": 18.0}
ROAD = {"what": "route", "route": "lane.json", "hold_kmh": 30.0, "most_s": 200.0}


@pytest.fixture
def files(tmp_path):
    store.write(tmp_path / "bike.json", a_bike())
    store.write(tmp_path / "tune.json", a_tune())
    store.write(tmp_path / "lane.json", from_pieces("lane", [RoadPiece(400), RoadPiece(300, 0.05)]))
    store.write(tmp_path / "long.json", from_pieces("long", [RoadPiece(5, 0.01 * (at % 2)) for at in range(900)]))
    return tmp_path


def seeks(files, goals, *more):
    (files / "goals.json").write_text(json.dumps(goals))
    given = ["--bike", files / "bike.json", "--tune", files / "tune.json", "--goals", files / "goals.json", *more]
    return cli.main(["seek", *map(str, given)])


def test_found_settings_are_written_and_told(files, capsys):
    assert seeks(files, HEAD | {"goals": [CLIMB, ROAD]}, "--json", files / "a.json", "--out", files / "out.json") == 0
    told = json.loads((files / "a.json").read_text())
    assert (told["format"], told["version"], told["found"]) == ("crisp-hornet/answer", 1, True)
    assert (
        set(told["settings"]) == set(HEAD["free"])
        and told["conflict"] == []
        and told["nearest"] == {}
        and told["instead"] == []
    )
    climb, road = told["goals"]
    assert (climb["what"], climb["wanted"]) == ("climb", 18.0) and climb["met"] in ("yes", "likely")
    assert climb["reached"]["low"] <= climb["reached"]["value"] <= climb["reached"]["high"]
    assert [one["what"] for one in road["figures"]] == ["arrives", "most_s"]
    found, given = store.read_tune(files / "out.json"), store.read_tune(files / "tune.json")
    assert (
        found.differing(given) == HEAD["free"]
        and found.setting("drive.phase_current_a") == told["settings"]["drive.phase_current_a"]
    )
    out, err = capsys.readouterr()
    assert out.startswith("found: phase current ") and err == ""


@pytest.mark.long
def test_an_impossible_ask_names_what_fights_and_parts(files, capsys):
    goals = HEAD | {"goals": [CLIMB, {"what": "launch", "to_kmh": 25.0, "most_s": 3.45}]}
    assert seeks(files, goals, "--json", files / "a.json", "--out", files / "out.json") == 1
    told = json.loads((files / "a.json").read_text())
    assert told["conflict"] == [1] and set(told["nearest"]) == set(HEAD["free"]) and told["settings"] == {}
    assert told["goals"][1]["met"] == "no" and not (files / "out.json").exists()
    assert (
        all({"path", "from", "to", "meets"} <= set(one) and 1 in one["meets"] for one in told["instead"])
        and told["instead"]
    )
    out, err = capsys.readouterr()
    assert "no settings meet every wish" in out and "(one of those that fight)" in out and "not written" in err


@pytest.mark.parametrize(
    "goals, told",
    [
        (HEAD | {"goals": []}, "goals"),
        (HEAD | {"goals": [CLIMB | {"least_kmh": "fast"}]}, "goals[0]"),
        (HEAD | {"goals": [{"what": "wheelie"}]}, "goals[0]"),
        (HEAD | {"goals": [CLIMB], "free": []}, "free"),
        (HEAD | {"goals": [CLIMB], "free": ["drive.speed_kmh"]}, "free"),
        (HEAD | {"goals": [CLIMB], "free": HEAD["free"] * 2}, "free"),
        (HEAD | {"goals": [ROAD | {"route": "nowhere.gpx"}]}, "nowhere.gpx"),
        (HEAD | {"goals": [ROAD | {"times": 1000}]}, "times"),
        (HEAD | {"goals": [ROAD | {"route": "long.json", "times": 40}]}, "too many points"),
        (HEAD | {"goals": [ROAD | {"route": "."}]}, "goals"),
        (HEAD | {"goals": [CLIMB], "version": 9}, "version"),
    ],
)
def test_wrong_goals_are_one_line(files, goals, told, capsys):
    assert seeks(files, goals) == 2
    err = capsys.readouterr().err
    assert told in err and err.count("\n") == 1
