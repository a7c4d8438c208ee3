"""The headless commands, as scripts call them."""

import csv
import json
import subprocess
import sys

import numpy as np
import pytest

from crisp_hornet.cli import main
from crisp_hornet.commands.pull import COLUMNS as PULL_COLUMNS
from crisp_hornet.demo import FACTORY, HERON
from tests.amount import of
from tests.bikes import BIKE, TUNE, changed


def pull(tmp_path, *extra, bike=HERON, tune=FACTORY, volts="62.4", speeds="0:60:0.5"):
    out = tmp_path / "pull.csv"
    return main(
        [
            "pull",
            "--bike",
            str(bike),
            "--tune",
            str(tune),
            "--rested-v",
            volts,
            "--speeds",
            speeds,
            "--out",
            str(out),
            *extra,
        ]
    ), out


def test_pull_writes_every_column_with_enough_digits(tmp_path):
    code, out = pull(tmp_path)
    assert code == 0
    rows = list(csv.DictReader(out.read_text().splitlines()))
    assert list(rows[0]) == PULL_COLUMNS and len(rows) == 121 and rows[-1]["speed_kmh"] == "60"
    number = {name: np.array([float(row[name]) for row in rows]) for name in PULL_COLUMNS[:-1]}
    assert np.allclose(number["battery_w"], number["pack_v"] * number["battery_current_a"], rtol=1e-6)
    assert np.allclose(number["wheel_w"], number["wheel_force_n"] * number["speed_kmh"] / 3.6, rtol=1e-6)
    used = number["battery_w"] > 0
    assert np.allclose(number["efficiency"][used], (number["wheel_w"] / number["battery_w"])[used], rtol=1e-6)
    assert {row["limit"] for row in rows} == {"phase", "battery", "voltage", "rpm"}
    stalled = number["wheel_force_n"] == 0
    assert np.allclose(number["battery_w"][stalled & (number["iq_a"] == 0)], 7.0)


@pytest.mark.parametrize(
    ("speeds", "expected"),
    [
        ("0:10:5", ["0", "5", "10"]),
        ("0:1:0.4", ["0", "0.4", "0.8", "1"]),
        ("7:7:1", ["7"]),
        ("0:0.3:0.1", ["0", "0.1", "0.2", "0.3"]),
    ],
)
def test_the_last_speed_is_included(tmp_path, speeds, expected):
    _, out = pull(tmp_path, speeds=speeds)
    assert [row["speed_kmh"] for row in csv.DictReader(out.read_text().splitlines())] == expected


def bad_file(tmp_path, name, data):
    path = tmp_path / name
    path.write_bytes(data if isinstance(data, bytes) else json.dumps(data).encode())
    return path


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"bike": changed(BIKE, motor__phase_resistance_ohm=-0.1)}, "bike.json: motor.phase_resistance_ohm"),
        (
            {"bike": {key: value for key, value in BIKE.items() if key != "battery"}},
            "bike.json: battery: this key is missing",
        ),
        (
            {"bike": changed(BIKE, controller__ratings_by_voltage=[[60, 90]])},
            "bike.json: controller.ratings_by_voltage[0]: must be an object",
        ),
        ({"bike": b""}, "the file is empty"),
        ({"tune": b"{"}, "tune.json: line 1"),
        (
            {"tune": changed(TUNE, drive__battery_current_a="thirty")},
            "tune.json: drive.battery_current_a: must be a number",
        ),
    ],
)
def test_bad_documents_end_in_one_line_and_nothing_written(tmp_path, capsys, change, words):
    files = {"bike": BIKE, "tune": TUNE} | change
    paths = {name: bad_file(tmp_path, f"{name}.json", data) for name, data in files.items()}
    code, out = pull(tmp_path, **paths)
    said = capsys.readouterr().err
    assert code == 2 and words in said and said.count("\n") == 1 and not out.exists()


@pytest.mark.parametrize(
    ("extra", "words"),
    [
        ({"speeds": "0:60"}, "FROM:TO:STEP"),
        ({"speeds": "9:3:1"}, "TO not below it"),
        ({"speeds": "0:1e9:1e-3"}, "more than"),
        ({"volts": "many"}, "'many' is not a number"),
        ({"volts": "nan"}, "not a usable number"),
        ({"volts": "-4"}, "above 0 V"),
    ],
)
def test_bad_arguments_end_in_one_line(tmp_path, capsys, extra, words):
    code, out = pull(tmp_path, **extra)
    said = capsys.readouterr().err
    assert code == 2 and words in said and said.count("\n") == 1 and not out.exists()


def test_modes_directories_and_places_that_cannot_be_written(tmp_path, capsys):
    assert pull(tmp_path, "--mode", "guest")[0] == 2
    assert "the tune has no mode 'guest'; modes: Guest, Round" in capsys.readouterr().err
    assert pull(tmp_path, bike=tmp_path)[0] == 2
    assert "this is a directory" in capsys.readouterr().err
    assert (
        main(
            [
                "pull",
                "--bike",
                str(HERON),
                "--tune",
                str(FACTORY),
                "--rested-v",
                "60",
                "--speeds",
                "0:9:1",
                "--out",
                str(tmp_path / "no" / "x.csv"),
            ]
        )
        == 2
    )
    assert "cannot be written" in capsys.readouterr().err
    assert main(["dance"]) == 2 and main(["pull"]) == 2
    assert main(["shots", "--out", str(HERON)]) == 2
    assert main(["standin", "--link", str(tmp_path / "no" / "port")]) == 2


def test_run_as_a_module_from_anywhere(tmp_path):
    done = subprocess.run(
        [sys.executable, "-m", "crisp_hornet", "--version"], cwd=tmp_path, capture_output=True, text=True, check=True
    )
    assert done.stdout.startswith("crisp-hornet ")


def test_shots_writes_the_pictures_that_are_asked_for(tmp_path):
    """All of them are taken by ``scripts/shots``; here two, in the second language, so that the walk is short."""
    done = subprocess.run(
        [
            sys.executable,
            "-m",
            "crisp_hornet",
            "shots",
            "--out",
            str(tmp_path / "shots"),
            "--only",
            "start,build",
            "--language",
            "de",
        ],
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    from PyQt6.QtGui import QImage

    pictures = sorted((tmp_path / "shots").iterdir())
    assert [one.name for one in pictures] == ["build.png", "start.png"]
    for picture in pictures:
        image = QImage(str(picture))
        assert (image.width(), image.height()) == (1280, 800)
        assert len({image.pixel(x, y) for x in range(0, 1280, 16) for y in range(0, 800, 16)}) > 8  # not an empty page


@pytest.mark.parametrize(
    "module",
    of(
        ["core.rules", "link.send", "rides.registry"],
        ["core.drive.pull", "core.evidence.findings", "documents.store", "standin.process"],
    ),
)
def test_each_part_can_be_imported_first_and_without_qt(module):
    code = f"import sys, crisp_hornet.{module}; assert 'PyQt6' not in sys.modules"
    subprocess.run([sys.executable, "-c", code], check=True)


def test_pull_in_a_mode_has_the_modes_limits(tmp_path, capsys):
    tune = json.loads(FACTORY.read_text())
    tune["modes"] = [{"name": "Guest", "phase_current_a": 40, "speed_kmh": 20}, {"name": "Full"}]
    (tmp_path / "modes.json").write_text(json.dumps(tune))

    def force(*mode):
        out = tmp_path / "out.csv"
        args = [
            "--bike",
            str(HERON),
            "--tune",
            str(tmp_path / "modes.json"),
            "--rested-v",
            "60",
            "--speeds",
            "0:30:5",
            "--out",
            str(out),
        ]
        assert main(["pull", *args, *mode]) == 0
        rows = list(csv.DictReader(out.read_text().splitlines()))
        return [float(row["wheel_force_n"]) for row in rows], [row["limit"] for row in rows]

    whole, guest = force(), force("--mode", "Guest")
    assert force("--mode", "Full") == whole
    assert guest[0][0] < 0.5 * whole[0][0] and guest[0][4:] == [0, 0, 0] and guest[1][4] == "speed"
    assert main(["pull", "--bike", str(HERON), "--tune", str(tmp_path / "modes.json"), "--rested-v", "60", "--speeds", "0:1:1",
                 "--out", str(tmp_path / "no.csv"), "--mode", "guest"]) == 2  # fmt: skip
    assert "no mode 'guest'; modes: Guest, Full" in capsys.readouterr().err
