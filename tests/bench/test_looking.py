"""Looking through a ride in the real window: groups, way and time, strip, small pictures, a second ride behind, export."""

import numpy as np
import pyqtgraph as pg
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QImage, QMouseEvent
from PyQt6.QtWidgets import QApplication, QComboBox

from crisp_hornet.bench.widgets.trace_parts import Ribbon
from crisp_hornet.core.ride.along import way_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.rides.registry import read_ride
from tests.bench.driving import click, drag, find, go, press_keys, texts
from tests.core.test_along import a_ride


@pytest.fixture
def rides(qtbot, demo_window):
    go(qtbot, demo_window, 6)
    return demo_window.stations["rides"]


def choose(box, words):
    box.setCurrentText(words)
    box.activated.emit(box.currentIndex())


@pytest.mark.long
def test_channels_stand_in_groups_by_meaning_reached_by_keyboard(qtbot, demo_window, rides):
    traces, seen = rides.traces, {}
    rides.view.groups.setFocus()
    for _ in range(6):
        seen[rides.view.group] = traces.channels
        press_keys(qtbot, rides.view.groups, Qt.Key.Key_Right)
    assert list(seen) == ["overview", "pull", "pack", "heat", "rider", "route"] and rides.view.group == "overview"
    assert seen["heat"][:2] == ["motor_c", "controller_c"] and "rested_v" in seen["pack"] and "grade" in seen["route"]
    assert all(1 < len(traces_row) <= 9 for traces_row in seen.values())


def test_what_held_it_back_is_a_band_with_words(qtbot, demo_window, rides):
    click(qtbot, find(demo_window, "traces pull"))
    traces = rides.traces
    band = next(item for plot in traces._plots for item in plot.items if isinstance(item, Ribbon))
    traces.point_at(380)
    assert "limited by battery" in traces.values_at_cursor()
    found = [word for begin, end, word in band.stretches(375, 385)]
    assert found == ["battery"]
    choose(rides.beside.pictures.channel, "what held it back, by the model")
    assert (
        "histogram: throttle" in rides.beside.pictures.bars.accessibleName()
        and "battery 3:" in rides.beside.pictures.figures.text()
    )
    rides.grab()  # painted in a narrow view and in a wide one
    traces.show_between(375, 385)
    rides.grab()
    assert rides.beside.pictures.figures.text() == "6:15 to 6:25: battery 0:10"


@pytest.mark.long
def test_by_way_the_same_places_are_under_the_cursor(qtbot, demo_window, rides):
    traces, ride = rides.traces, demo_window.desk.ride.cleaned
    traces.show_between(200, 500)
    traces.point_at(300)
    click(qtbot, find(demo_window, "axis by distance"))
    way = way_km(ride)
    low, high = traces._plots[0].viewRange()[0]
    assert (low, high) == (
        pytest.approx(np.interp(200, ride.time_s, way)),
        pytest.approx(np.interp(500, ride.time_s, way)),
    )
    assert traces.at_s == pytest.approx(300, abs=0.2)
    assert traces._cursors[0].value() == pytest.approx(np.interp(300, ride.time_s, way), abs=0.01)
    demo_window.desk.switch_units()
    assert "mi" in traces._plots[-1].getAxis("bottom").tickStrings([1.0], 1.0, 1.0)[0]
    click(qtbot, find(demo_window, "axis by time"))
    assert traces.in_view == (pytest.approx(200, abs=1), pytest.approx(500, abs=1))


def test_keys_zoom_and_go_on(qtbot, demo_window, rides):
    traces = rides.traces
    traces.setFocus()
    traces.point_at(400)
    press_keys(qtbot, traces, Qt.Key.Key_Plus, Qt.Key.Key_Plus)
    low, high = traces.in_view
    assert high - low == pytest.approx(traces.ride.time_s[-1] / 4, rel=0.01) and low < 400 < high
    press_keys(qtbot, traces, Qt.Key.Key_PageDown)
    assert traces.in_view[0] == pytest.approx(low + (high - low) / 2, rel=0.01)
    press_keys(qtbot, traces, Qt.Key.Key_Minus, Qt.Key.Key_Home)
    assert traces.in_view == (0.0, pytest.approx(traces.ride.time_s[-1]))


def test_a_drag_pans_and_with_shift_it_zooms(qtbot, demo_window, rides, monkeypatch):
    monkeypatch.setitem(pg.CONFIG_OPTIONS, "mouseRateLimit", 0)  # a test moves faster than any hand
    traces = rides.traces
    traces.show_between(200, 600)
    box = traces._plots[0].getViewBox()
    view = traces._view
    qtbot.waitExposed(view)

    def at(seconds):
        return view.mapFromScene(box.mapViewToScene(QPointF(seconds, 20)))

    def drag_over(first, last, modifier):
        places = [at(first), at((first + last) / 2), at(last)]
        for kind, place in zip(
            (
                QEvent.Type.MouseButtonPress,
                QEvent.Type.MouseMove,
                QEvent.Type.MouseMove,
                QEvent.Type.MouseButtonRelease,
            ),
            (places[0], places[1], places[2], places[2]),
            strict=True,
        ):
            button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
            held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else Qt.MouseButton.LeftButton
            where = QPointF(place)
            event = QMouseEvent(kind, where, QPointF(view.viewport().mapToGlobal(place)), button, held, modifier)
            QApplication.sendEvent(view.viewport(), event)

    drag_over(300, 400, Qt.KeyboardModifier.ShiftModifier)
    assert traces.in_view == (pytest.approx(300, abs=3), pytest.approx(400, abs=3))
    traces.show_between(200, 600)
    drag_over(300, 400, Qt.KeyboardModifier.NoModifier)
    assert traces.in_view == (pytest.approx(100, abs=5), pytest.approx(500, abs=5))


def test_the_strip_shows_and_moves_what_is_in_view(qtbot, demo_window, rides):
    strip, traces = rides.view.overview, rides.traces
    traces.show_between(300, 600)
    left, right = strip._x(300), strip._x(600)
    middle = QPointF((left + right) / 2, 15)
    drag(strip, middle, [middle + QPointF(40, 0), middle + QPointF(80, 0)])
    by = strip._time(80) - strip._time(0)
    assert traces.in_view == (pytest.approx(300 + by, abs=2), pytest.approx(600 + by, abs=2))
    end = QPointF(strip._x(traces.in_view[1]), 15)
    drag(strip, end, [end + QPointF(-30, 0)])
    assert traces.in_view[1] == pytest.approx(600 + by - (strip._time(30) - strip._time(0)), abs=3)
    drag(strip, QPointF(strip._x(100), 15), [QPointF(strip._x(100), 15)])
    assert sum(traces.in_view) / 2 == pytest.approx(max(100, np.ptp(traces.in_view) / 2), abs=3)
    drag(strip, QPointF(strip._x(120), 15), [QPointF(-5000, 15)])
    assert traces.in_view[0] == pytest.approx(0, abs=1)


def test_two_channels_against_each_other_with_the_model_behind(qtbot, demo_window, rides):
    side = rides.beside.pictures
    click(qtbot, find(demo_window, "picture scatter"))
    choose(side.across, "speed, wheel")
    choose(side.channel, "phase current")
    told = side.against.accessibleName()
    assert "phase current A against speed, wheel km/h" in told and told.endswith("with the model's full pull")
    speed, amps = side.against._model
    assert np.all(np.diff(speed) > 0) and amps[0] == pytest.approx(max(amps))
    whole = side.against.count
    rides.traces.show_between(300, 400)
    assert 0 < side.against.count < whole / 5
    choose(side.across, "height")
    assert "model" not in side.against.accessibleName()
    side.grab()


def test_the_profile_tells_what_was_climbed(qtbot, demo_window, rides):
    click(qtbot, find(demo_window, "picture profile"))
    ride = demo_window.desk.ride.cleaned
    height = ride.get("altitude_m")
    least = np.nanmax(height) - height[np.isfinite(height)][0]
    told = rides.beside.pictures.profile.accessibleName()
    climbed = float(told.split(": ")[1].split(" m")[0])
    assert least <= climbed < 2 * least and "11 % at the steepest" in told
    rides.traces.point_at(600)
    assert rides.beside.pictures.profile._at_km == pytest.approx(np.interp(600, ride.time_s, way_km(ride)), abs=0.01)
    rides.beside.grab()


@pytest.mark.long
def test_a_second_ride_lies_behind_where_the_same_place_is(qtbot, demo_window, rides):
    desk, rng = demo_window.desk, np.random.default_rng(5)
    made = [a_ride(rng, 0.7, 6.0, 30, 1.01), a_ride(rng, 1.0, 5.8, 24)]
    for ride, name in zip(made, ("quick", "slow"), strict=True):
        desk.ride.take(Ride(name, ride.time_s, {**ride.channels, "motor_c": ride.channels["place"]}), [])
    box = find(demo_window, "ride to compare with", QComboBox)
    choose(box, "quick")
    qtbot.waitUntil(lambda: rides.view.beside is not None)
    assert "quick lies behind, found by its course" in demo_window.notice.text and rides.traces.by_way
    laid = rides.view.beside
    off_m = 1000 * np.abs(laid.ride.get("motor_c") - desk.ride.cleaned.get("motor_c"))
    assert np.nanmedian(off_m) < 15
    assert rides.traces.channels[0] == "ahead_s" and laid.ahead_s[-1] < -100  # the slow one is behind all the way
    rides.traces.point_at(300)
    assert "(" in rides.traces.values_at_cursor() and "other ride:" in rides.beside.pictures.figures.text()
    rides.grab()
    choose(box, "none")
    assert rides.view.beside is None and "ahead_s" not in rides.traces.channels
    choose(box, "Bakery round")  # another way: laid start to start, or refused, but told
    qtbot.waitUntil(lambda: "Bakery round" in demo_window.notice.text)
    demo_window.desk.ride.open(next(one for one in rides._kept if one.name == "quick"))
    qtbot.waitUntil(lambda: not rides.view._laying.running)
    assert rides.view.beside is None or rides.view.beside.ride.time_s is desk.ride.cleaned.time_s


def test_a_ride_that_tells_no_way_is_not_laid_behind(qtbot, demo_window, rides):
    desk, time = demo_window.desk, np.arange(0, 60, 0.5)
    desk.ride.take(Ride("volts only", time, {"pack_v": 60 - time / 100}), [])
    assert not rides.traces.by_way
    choose(find(demo_window, "ride to compare with", QComboBox), "Bakery round")
    qtbot.waitUntil(lambda: "need a speed or positions" in demo_window.notice.text)
    assert rides.view.beside is None and rides.view.other.currentIndex() == 0


def test_what_is_in_view_and_the_picture_are_exported(qtbot, demo_window, rides, tmp_path):
    rides.traces.show_between(300, 420)
    rides.export_file(tmp_path / "part.csv", "view")
    part, whole = read_ride(tmp_path / "part.csv").ride, demo_window.desk.ride.cleaned
    rows = (whole.time_s >= 300 - 1e-6) & (whole.time_s <= 420 + 1e-6)
    assert len(part) == rows.sum() and part.time_s[0] == 0
    assert np.allclose(part.get("pack_v"), whole.get("pack_v")[rows], equal_nan=True)
    rides.export_file(tmp_path / "picture.png")
    image = QImage(str(tmp_path / "picture.png"))
    assert image.width() > 500 and image.height() > 300
    rides.export_file(tmp_path / "no" / "picture.png")
    assert "picture.png" in demo_window.notice.text
    assert "Written" not in demo_window.notice.text


def test_an_empty_garage_shows_no_choices(qtbot, empty_window):
    go(qtbot, empty_window, 6)
    assert "by way" not in texts(empty_window) and "against" not in texts(empty_window)


@pytest.mark.long
def test_traces_are_chosen_ordered_and_hidden(qtbot, demo_window, rides):
    click(qtbot, find(demo_window, "beside the traces Traces"))
    rows, usual = rides.beside.rows.list, list(rides.traces.channels)
    rows.setCurrentRow(0)
    rows.setFocus()
    qtbot.keyClick(rows, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert rides.traces.channels[:2] == [usual[1], usual[0]]
    qtbot.keyClick(rows, Qt.Key.Key_Space)
    assert usual[0] not in rides.traces.channels and len(rides.traces.channels) == len(usual) - 1
    rides.view.groups.choose(1)
    rides.view.groups.choose(0)
    assert usual[0] not in rides.traces.channels  # each group keeps its own
    click(qtbot, find(demo_window, "Show the usual traces"))
    assert list(rides.traces.channels) == usual
    for at in range(rows.count()):
        rows.item(at).setCheckState(Qt.CheckState.Unchecked)
    assert rides.traces.channels  # nothing at all is no choice
