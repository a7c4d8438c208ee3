"""Display units: figures, sentences, and every page at once."""

import re

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st
from PyQt6.QtCore import Qt

from crisp_hornet.bench.written import turned_over
from crisp_hornet.documents.units import Units
from tests.amount import some
from tests.bench.driving import click, find, go, texts

OTHER = Units(metric=False)


@pytest.mark.parametrize(("metric", "other"), [
    ("At 40 km/h it brakes", "At 25 mph it brakes"), ("0 to 25 km/h", "0 to 16 mph"), ("105 to 125 °C", "221 to 257 °F"),
    ("17.0 Wh/km", "27.4 Wh/mi"), ("190 kg as ridden", "419 lb as ridden"), ("newtons against km/h", "newtons against mph"),
    ("7.5 km by the wheel", "4.7 mi by the wheel"), ("0.35 N·m", "0.26 lbf·ft"), ("100 ± 5 °C", "212 ± 9 °F"),
    ("12 kW, 3 km/hour", "12 kW, 3 km/hour"), ("−5 °C", "23 °F"), ("no units at all", "no units at all"),
])  # fmt: skip
def test_lines_that_were_written_down_are_turned_over(metric, other):
    assert turned_over(metric, OTHER) == other and turned_over(metric, Units()) == metric


@seed(4)
@settings(max_examples=some(100), deadline=None, database=None)
@given(st.floats(-1e4, 1e4), st.sampled_from(["km/h", "°C", "kg", "N·m", "Wh/km", "V"]))
def test_there_and_back_is_the_same(value, unit):
    assert OTHER.back(OTHER.value(value, unit), unit) == pytest.approx(value, abs=1e-6)
    assert Units().value(value, unit) == value


@pytest.mark.long
def test_the_switch_turns_every_page_over_and_is_remembered(qtbot, demo_window, open_window):
    window, desk = demo_window, demo_window.desk
    bike, draft = desk.bike, desk.draft.tune
    click(qtbot, find(window, "switch between metric and imperial units"))
    metric = re.compile(r"(?<![\w/])(km/h|°C|kg|N·m|Wh/km)(?![\w/])")
    for number in (1, 2, 4, 5, 6, 7, 8):
        go(qtbot, window, number)
        qtbot.waitUntil(lambda: not metric.search(texts(window)))
        found = metric.search(texts(window))
        assert not found, (number, found)
    go(qtbot, window, 4)
    assert "mph" in texts(window) and "AT 16 mph" in texts(window)
    assert (desk.bike, desk.draft.tune) == (bike, draft)  # documents stay as they are

    go(qtbot, window, 1)
    window.stations["build"].choose("chassis.rider_kg")
    entry = window.stations["build"]._entry.entries[0]
    entry.fields[0].setText("200")
    qtbot.keyClick(entry.fields[0], Qt.Key.Key_Return)
    assert desk.bike.chassis.rider_kg == pytest.approx(90.7185, rel=1e-4)

    garage_folder = desk.garage.folder
    open_window.close(window)
    from crisp_hornet.garage.garage import Garage

    assert not open_window(Garage(garage_folder)).desk.units.metric
