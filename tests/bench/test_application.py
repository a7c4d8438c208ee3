"""The application as a process: it opens on the demo, ends when told, and touches nothing of the user's."""

import os
import signal
import subprocess
import sys
from itertools import pairwise

import numpy as np
import pytest

from crisp_hornet.bench.charts.force_chart import stretches, worth_drawing
from crisp_hornet.bench.charts.frame import nice_top, tick_spacing, ticks
from crisp_hornet.bench.desk.prediction import axis_speeds, predict
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.road.consequences import Consequence
from tests.amount import of
from tests.bikes import a_bike, a_tune

WATCHED = """
import sys
from itertools import pairwise
from crisp_hornet.bench import app, window
opened = window.Window.showEvent
def told(self, event):
    opened(self, event)
    print("open", flush=True)
window.Window.showEvent = told
sys.exit(app.run_application(demo=sys.argv[1] == "demo"))
"""


@pytest.mark.parametrize(
    ("mode", "ending"),
    of([("demo", signal.SIGTERM)], [("own", signal.SIGINT), ("demo", signal.SIGINT), ("own", signal.SIGTERM)]),
)
def test_it_opens_ends_when_told_and_the_demo_leaves_no_trace(tmp_path, mode, ending):
    home, temporary = tmp_path / "home", tmp_path / "tmp"
    home.mkdir()
    temporary.mkdir()
    environment = os.environ | {
        "HOME": str(home),
        "XDG_DATA_HOME": str(home / "data"),
        "TMPDIR": str(temporary),
        "QT_QPA_PLATFORM": "offscreen",
    }
    with subprocess.Popen(
        [sys.executable, "-c", WATCHED, mode], env=environment, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout.readline() == "open\n"
        process.send_signal(ending)
        try:
            assert process.wait(timeout=20) == 0
        finally:
            process.kill()
    kept = {path.name for path in home.rglob("*.sqlite")}
    assert kept == (set() if mode == "demo" else {"garage.sqlite"})
    assert not [path for path in temporary.iterdir() if path.name.startswith("crisp-hornet")]


OPENED = """
import os, sys
from pathlib import Path
from crisp_hornet.bench.app import link_of, make_application
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.window import Window
from crisp_hornet.garage.garage import Garage
app = make_application()
garage = Garage(Path(sys.argv[1]))
window = Window(Desk(garage), link_of(garage))
window.show()
app.processEvents()
print(*{name.partition(".")[0] for name in sys.modules})
os._exit(0)
"""


def test_what_takes_long_to_load_is_not_on_the_way_to_the_first_picture(demo_folder):
    """``benchmarks/bench_start.py`` measures it; one import at the head of a file is enough to undo it."""
    told = subprocess.run([sys.executable, "-c", OPENED, str(demo_folder)], capture_output=True, text=True, check=True)
    loaded = set(told.stdout.split())
    assert "pydantic" in loaded and not loaded & {
        "sqlalchemy",
        "alembic",
        "scipy",
        "polars",
        "pymodbus",
        "asyncio",
        "jinja2",
    }


def test_a_garage_that_cannot_be_opened_is_said_and_ends_with_an_error(tmp_path, qapp, monkeypatch):
    from PyQt6.QtWidgets import QMessageBox

    from crisp_hornet.bench import app

    said = []
    monkeypatch.setattr(QMessageBox, "critical", lambda *words: said.append(words[-1]))
    (tmp_path / "file").write_text("")
    monkeypatch.setattr("crisp_hornet.garage.garage.default_folder", lambda: tmp_path / "file" / "garage")
    assert app.run_application(demo=False) == 1 and "cannot be made" in said[0]


def test_the_axis_does_not_move_with_the_tune_and_stretches_cover_the_pull():
    bike, speeds = a_bike(), axis_speeds(a_bike())
    assert len(speeds) == 400 and speeds[0] == 0 and speeds[-1] % 5 == 0
    curve = pull_curve(bike, a_tune(), speeds, Conditions(62.0))
    found = stretches(curve)
    assert [one.limit for one in found] == ["phase", "battery", "voltage"] and found[0].from_kmh == 0
    assert all(one.to_kmh == other.from_kmh for one, other in pairwise(found))
    assert stretches(pull_curve(bike, a_tune(drive__phase_current_a=0), speeds, Conditions(62.0))) == []
    drawn = worth_drawing(curve.wheel_force_n)
    redrawn = np.interp(speeds, speeds[drawn], curve.wheel_force_n[drawn])
    assert drawn.sum() < 180 and np.abs(redrawn - curve.wheel_force_n).max() < 0.01 * curve.wheel_force_n.max()


@pytest.mark.parametrize("span", [0.3, 1.0, 7.0, 62.4, 207.0, 4800.0])
def test_ticks_are_round_and_about_eight(span):
    spacing = tick_spacing(span)
    assert 4 <= span / spacing <= 8.001
    assert float(f"{spacing:.1g}") == pytest.approx(spacing) and nice_top(span) >= span
    assert ticks(0, span)[0] == 0 and ticks(0, span)[-1] <= span + 1e-9


def test_consequences_say_what_they_cannot_give():
    assert Consequence("a", float("inf"), "s", 1).text == "never" and Consequence("a", 4.16, "s", 1).text == "4.2"
    weak = predict(a_bike(), a_tune(drive__phase_current_a=10), Conditions(62.0), axis_speeds(a_bike()))
    assert {one.label: one.text for one in weak.consequences}["12 % hill"] == "0"
    assert {one.label: one.text for one in weak.consequences}["derating, 12 % hill"] == "never"


def test_scales_and_defaults_fit_every_chemistry_and_the_axis_every_gear(open_window, tmp_path):
    from crisp_hornet.garage.garage import Garage

    geared = axis_speeds(a_bike(drivetrain__gears=[2.0, 0.8]))[-1]
    assert geared > axis_speeds(a_bike(drivetrain__gears=[2.0]))[-1]
    weakened = pull_curve(a_bike(), a_tune(drive__field_weakening_a=170), axis_speeds(a_bike()), Conditions(67.2))
    assert weakened.wheel_force_n[-1] == 0  # the curve ends inside the axis
    window = open_window(Garage(tmp_path / "g"))
    for chemistry, low, high in (("lfp", 3.25, 3.4), ("nmc", 3.8, 4.0), ("custom", 3.8, 4.0)):
        window.desk.open_bike(a_bike(battery__chemistry=chemistry, battery__bms_trip_v=40.0))
        assert low < window.desk.conditions.rested_v / 16 < high
        charge = window.stations["tune"]._charge.scale
        assert charge.low == 40 and charge.low < window.desk.conditions.rested_v < charge.high
