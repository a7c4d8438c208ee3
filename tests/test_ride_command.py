"""``crisp-hornet ride``: routes of every form, wrong input in a line, JSON and CSV as contracted."""

import csv
import json

import numpy as np
import pytest

from crisp_hornet import cli
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.virtual_ride.journey import COURSE
from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces
from crisp_hornet.documents import store
from crisp_hornet.rides.registry import write_ride
from tests.bikes import a_bike, a_tune
from tests.core.ridden_twice import World, two_tunes
from tests.rides.layouts import fit_of, tcx_of, true_ride

ROAD = from_pieces("lane", [RoadPiece(400), RoadPiece(300, 0.06, 30), RoadPiece(300, -0.05, None, 4)])


@pytest.fixture
def files(tmp_path):
    store.write(tmp_path / "bike.json", a_bike())
    store.write(tmp_path / "tune.json", a_tune(modes=[{"name": "Eco", "battery_current_a": 8.0}]))
    store.write(tmp_path / "road.json", ROAD)
    return tmp_path


def rides(files, *more, route="road.json"):
    given = ["--bike", files / "bike.json", "--tune", files / "tune.json", "--route", files / route, *more]
    return cli.main(["ride", *map(str, given)])


def test_figures_with_ends_climbs_and_course_are_written(files, capsys):
    assert rides(files, "--hold", "40", "--json", files / "j.json", "--csv", files / "c.csv") == 0
    told = json.loads((files / "j.json").read_text())
    assert told["format"] == "crisp-hornet/journey" and told["version"] == 1
    for name in (
        "time_s",
        "wh_cells",
        "wh_per_km",
        "end_charge",
        "min_pack_v",
        "max_battery_a",
        "max_phase_a",
        "winding_c",
        "controller_c",
    ):
        ends = told[name]
        assert ends["low"] <= ends["value"] <= ends["high"], name
    assert told["distance_m"] == pytest.approx(1000, abs=0.5) and told["stalled_at_m"] is None
    assert set(told["fades"]) == {"motor", "controller", "low_voltage"}
    (climb,) = told["climbs"]
    assert (climb["from_m"], climb["to_m"]) == (400, 700) and climb["grade"] == pytest.approx(0.06)
    rows = list(csv.DictReader((files / "c.csv").read_text().splitlines()))
    assert float(rows[-1]["time_s"]) == pytest.approx(told["time_s"]["value"])
    assert list(rows[0]) == [*COURSE, "limit"]
    assert "1.00 km in" in capsys.readouterr().out


@pytest.mark.long
def test_mode_throttle_level_wind_and_charge_count(files, capsys):
    def time_s(*more):
        assert rides(files, "--json", files / "j.json", *more) == 0
        return json.loads((files / "j.json").read_text())["time_s"]["value"]

    full = time_s()
    assert time_s("--mode", "Eco") > full * 1.05
    assert time_s("--level", "3", "--rider-w", "200", "--cadence", "80") > full
    assert time_s("--headwind-kmh", "30", "--throttle", "0.6") > full
    assert time_s("--rested-v", "52") > full
    capsys.readouterr()


def gpx(points, timed=False):
    rows = "".join(
        f'<trkpt lat="{lat:.7f}" lon="0.0">{"" if ele is None else f"<ele>{ele}</ele>"}</trkpt>' for lat, ele in points
    )
    return f'<gpx version="1.1" creator="x"><trk><trkseg>{rows}</trkseg></trk></gpx>'


def test_a_planned_track_and_a_ride_make_roads_and_smoothing_is_told(files, capsys):
    rng = np.random.default_rng(1)
    way = np.arange(0, 2000, 10.0)
    heights = 100 + 20 * np.sin(way / 400) + rng.normal(0, 1.5, len(way))
    (files / "plan.gpx").write_text(gpx(list(zip(way / 111_195, heights, strict=True))))
    assert rides(files, "--hold", "30", route="plan.gpx") == 0
    said = capsys.readouterr()
    assert "heights smoothed" in said.err and "1.9" in said.out
    time = np.arange(0, 300, 1.0)
    logged = Ride("a ride", time, {"wheel_speed_kmh": np.full(300, 24.0), "altitude_m": 100 + time / 20})
    write_ride(logged, files / "ride.csv")
    assert rides(files, "--hold", "30", route="ride.csv") == 0


@pytest.mark.parametrize(
    ("content", "name", "word"),
    [
        (gpx([(0, None), (0.01, None)]), "no-heights.gpx", "no heights"),
        (gpx([(0, 5)]), "one.gpx", "holds 1 points"),
        ('{"format":"crisp-hornet/route","version":1,"name":"x","points":[{"at_m":0,"altitude_m":1},{"at_m":50,"altitude_m":1},{"at_m":20,"altitude_m":1}]}',
         "back.json", "does not lie beyond"),
        ('{"format":"crisp-hornet/route","version":1,"name":"x","points":[{"at_m":0,"altitude_m":1}]}', "one.json", "points"),
        ("<gpx>" + '<trkpt lat="0" lon="0"/>' * 130_000 + "</gpx>", "huge.gpx", "far too many points"),
        ("time_s,wheel_speed_kmh\n0,10\n1,11\n2,12\n", "flat.csv", "no heights"),
    ],
)  # fmt: skip
def test_a_bad_route_gets_one_line(files, capsys, content, name, word):
    (files / name).write_text(content)
    assert rides(files, "--hold", "30", route=name) == 2
    err = capsys.readouterr().err
    assert word in err and name in err and err.count("\n") == 1


@pytest.mark.parametrize("made, name", [(tcx_of, "track.tcx"), (fit_of, "track.fit")])
def test_roads_come_from_every_kind_of_track(files, capsys, made, name):
    (files / name).write_bytes(made(true_ride()))
    assert rides(files, "--hold", "25", route=name) == 0
    assert capsys.readouterr().out.startswith("0.7")


def test_ten_million_points_get_one_line(files, capsys):
    points = ",".join('{"at_m":1,"altitude_m":1}' for _ in range(400_000))
    (files / "much.json").write_text('{"format":"crisp-hornet/route","version":1,"name":"x","points":[' + points + "]}")
    assert rides(files, "--hold", "30", route="much.json") == 2
    assert capsys.readouterr().err.count("\n") == 1


@pytest.mark.parametrize(
    ("given", "word"),
    [
        (("--hold", "30", "--throttle", "0.5"), "only one"),
        (("--hold", "-3"), "between 1 and 300"),
        (("--throttle", "2"), "share"),
        (("--level", "40"), "no level 40"),
        (("--mode", "Fast"), "no mode"),
        (("--rested-v", "0"), "above 0"),
        (("--ambient-c", "900"), "between"),
    ],
)
def test_wrong_input_gets_one_line(files, capsys, given, word):
    assert rides(files, *given) == 2
    err = capsys.readouterr().err
    assert word in err and err.count("\n") == 1


LOG = World(4)


def again(files, *more):
    return cli.main(["ride", "--bike", str(files / "bike.json"), "--tune", str(files / "tune.json"), *map(str, more)])


@pytest.mark.long
def test_a_log_is_ridden_again_and_told_in_one_sentence(files, capsys):
    ridden, other = two_tunes(4)
    store.write(files / "bike.json", LOG.bike)
    store.write(files / "ridden.json", ridden)
    store.write(files / "tune.json", other)
    write_ride(LOG.log(LOG.ride(ridden)), files / "log.csv")
    assert (
        again(files, "--again", files / "log.csv", "--ridden", files / "ridden.json", "--json", files / "j.json") == 0
    )
    told = json.loads((files / "j.json").read_text())
    assert told["time_s"]["low"] <= told["time_s"]["value"] <= told["time_s"]["high"]
    out, err = capsys.readouterr()
    assert out.startswith("That round on this tune: ") and err == ""


@pytest.mark.parametrize(
    "more, told",
    [
        ((), "--route: which road?"),
        (("--again", "log.csv"), "--ridden: which tune"),
        (("--again", "log.csv", "--ridden", "tune.json", "--hold", "30"), "--hold: --again takes"),
        (("--again", "log.csv", "--ridden", "tune.json", "--headwind-kmh", "5"), "--headwind-kmh: --again"),
        (("--again", "log.csv", "--ridden", "tune.json", "--rested-v", "-1"), "--rested-v: must"),
        (("--route", "road.json", "--ridden", "tune.json"), "--ridden: goes with --again"),
        (("--again", "short.csv", "--ridden", "tune.json"), "the ride goes less than 200 m"),
        (("--again", "short.csv", "--ridden", "nowhere.json"), "nowhere.json: there is no such file"),
    ],
)
def test_what_again_lacks_is_one_line(files, more, told, capsys):
    rows = np.arange(0, 40, 0.2)
    parts = {"wheel_speed_kmh": np.full(rows.shape, 10.0), "throttle": np.full(rows.shape, 0.5)}
    write_ride(Ride("short", rows, parts), files / "short.csv")
    write_ride(Ride("log", rows, parts), files / "log.csv")
    given = [files / one if "." in one else one for one in more]
    assert again(files, *given) == 2
    err = capsys.readouterr().err
    assert told in err and err.count("\n") == 1
