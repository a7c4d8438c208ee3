"""The ride: a road taken in, looked at along it, asked of, sought for, dragged, taken, promised and held against what was done."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication

from crisp_hornet.bench.stations.tune.ride.ride_view import ALONG, DRAW, RANGE, WISHES
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.virtual_ride.band import Ends
from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces
from crisp_hornet.documents import store
from crisp_hornet.documents.goals import Climb, Launch, Power, Sag
from tests.bench.driving import click, find, press

LANE = from_pieces("Mill lane", [RoadPiece(600, 0.0), RoadPiece(400, 0.06, 30, 8), RoadPiece(500, -0.03)], 50.0)


@pytest.fixture
def ride(qtbot, demo_window):
    round_ = LANE.model_copy(update={"name": "Quarry round"})  # a short one of that name does in the window
    demo_window.desk.ask.keep_road(round_)
    demo_window.show_station("tune")
    click(qtbot, find(demo_window, "page The ride"))
    view = demo_window.stations["tune"].road
    qtbot.waitUntil(lambda: view.along.along is not None, timeout=20_000)
    return view


def banded(qtbot, view, road):
    there = lambda: (
        view.along.along is not None and view.along.along.road.name == road and view.along.along.band is not None
    )
    qtbot.waitUntil(there, timeout=30_000)


def answered(qtbot, window, view):
    click(qtbot, find(window, "Find the settings"))
    qtbot.waitUntil(
        lambda: not view.seeking.work.running and view.wishes._words.text() != "Looking for settings …", timeout=60_000
    )


def test_a_road_is_taken_in_given_a_stop_and_ridden(qtbot, demo_window, ride, tmp_path):
    store.write(tmp_path / "lane.json", LANE)
    ride.roads.take_file(tmp_path / "lane.json")
    banded(qtbot, ride, "Mill lane")
    assert demo_window.desk.ask.road == LANE and "Mill lane" in demo_window.desk.ask.roads()
    assert (
        ride.along.sentence.text().startswith("Against what is on the controller: ")
        and "sooner" in ride.along.sentence.text()
    )
    assert ride.along.cards.drafted[0].label == "there in" and ride.along.cards.now
    before = ride.along.along.drafted.figures["time_s"]
    click(qtbot, find(demo_window, "of the ride draw"))
    ride.draw.at.setText("1.2")
    ride.draw.figures["stop_s"].setText("30")
    click(qtbot, find(demo_window, "Put a stop there"))
    click(qtbot, find(demo_window, "Save the road"))
    ride.show_part(ALONG)
    longer = lambda: ride.along.along is not None and ride.along.along.drafted.figures["time_s"] > before + 29
    qtbot.waitUntil(longer, timeout=20_000)
    assert sum(one.stop_s or 0 for one in demo_window.desk.ask.road.points) == 38
    for act in (ride.roads.turn, ride.roads.take_ride):
        act()
    assert {"Mill lane, the other way", "Quarry round"} <= set(demo_window.desk.ask.roads())
    ride.roads.drop()
    assert demo_window.desk.ask.road is None and "Choose, import or draw" in ride.along.sentence.text()


def test_a_road_that_is_none_is_one_sentence(qtbot, demo_window, ride, tmp_path):
    said = []
    demo_window.desk.said.connect(lambda _kind, words: said.append(words))
    for name, text in {
        "no_heights.csv": "time_s,wheel_speed_kmh\n" + "".join(f"{at},20\n" for at in range(200)), "nothing.csv": "",
        "one.json": '{"format": "crisp-hornet/route", "version": 1, "name": "x", "points": [{"at_m": 0, "altitude_m": 1}]}',
    }.items():  # fmt: skip
        (tmp_path / name).write_text(text)
        ride.roads.take_file(tmp_path / name)
        qtbot.waitUntil(lambda: bool(said))
        (words,) = said
        assert name in words and demo_window.desk.ask.road.name == "Quarry round"
        said.clear()


@pytest.mark.long
def test_cursor_and_view_go_by_keys_wheel_and_drag_and_so_do_pieces(qtbot, demo_window, ride):
    strips = ride.along.strips
    strips.setFocus()
    length = strips.along.road.length_m
    at = strips.at_m
    qtbot.keyClick(strips, Qt.Key.Key_Right)
    assert (
        strips.at_m > at
        and f"{strips.at_m / 1000:.2f} km" in ride.along.cursor_words.text()
        and "winding" in ride.along.cursor_words.text()
    )
    qtbot.keyClick(strips, Qt.Key.Key_Plus)
    low, high = strips.view
    assert 0 <= low <= strips.at_m <= high <= length and high - low == pytest.approx(0.7 * length)
    place = strips.rect().center().toPointF()
    none, left = (
        QPoint(),
        (Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False),
    )
    QApplication.sendEvent(strips, QWheelEvent(place, place, none, QPoint(0, 120), *left))
    assert strips.view[1] - strips.view[0] < high - low
    low = strips.view[0]
    middle = strips.rect().center()
    qtbot.mousePress(strips, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(strips, middle + QPoint(60, 0))
    qtbot.mouseRelease(strips, Qt.MouseButton.LeftButton, pos=middle + QPoint(60, 0))
    assert strips.view[0] < low
    qtbot.keyClick(strips, Qt.Key.Key_Home)
    assert strips.view == (0.0, length)
    ride.draw_new()  # pieces are typed and dragged
    draw = ride.draw
    assert ride.switch.at == DRAW and len(draw.pieces) == 3
    draw.fields[1]["grade"].setText("9,5")
    draw.fields[1]["grade"].editingFinished.emit()
    assert draw.pieces[1].grade == pytest.approx(0.095)
    end = draw.chart.place("1")
    qtbot.mousePress(draw.chart, Qt.MouseButton.LeftButton, pos=end.toPoint())
    qtbot.mouseMove(draw.chart, (end + QPoint(30, -20).toPointF()).toPoint())
    qtbot.mouseRelease(draw.chart, Qt.MouseButton.LeftButton, pos=(end + QPoint(30, -20).toPointF()).toPoint())
    assert draw.pieces[1].length_m > 400 and float(draw.fields[1]["length_m"].text()) == pytest.approx(
        draw.pieces[1].length_m
    )
    click(qtbot, find(demo_window, "Add a piece to the road"))
    draw.fields[3]["length_m"].setText("0")
    said = []
    demo_window.desk.said.connect(lambda _kind, words: said.append(words))
    draw.fields[3]["length_m"].editingFinished.emit()
    assert said and draw.pieces[3].length_m == 500
    draw.name.setText("Drawn")
    click(qtbot, find(demo_window, "Save the road"))
    assert demo_window.desk.ask.road.name == "Drawn" and len(demo_window.desk.ask.road.points) == 5


def test_asked_found_dragged_taken_and_undone(qtbot, demo_window, ride):
    desk = demo_window.desk
    asked = len(desk.ask.goals)
    ride.ask_column.add("sag")
    card = ride.ask_column.cards[-1]
    assert card.open
    card._fields["least_v"].setText("40")
    click(qtbot, find(demo_window, "Ask for this: pack"))
    assert len(desk.ask.goals) == asked + 1 and desk.ask.goals[-1] == Sag(what="sag", rested_v=58.0, least_v=40.0)
    qtbot.waitUntil(lambda: ride.ask_column.cards[-1].mark.met == "yes", timeout=30_000)
    answered(qtbot, demo_window, ride)
    found = ride.wishes.found
    assert found.found and ride.switch.at == WISHES and "least strain" in demo_window.stations["tune"].meaning()[1]
    qtbot.waitUntil(lambda: not ride.seeking.drawing.running and ride.wishes.chart.map is not None, timeout=60_000)
    chart, before = ride.wishes.chart, desk.draft.tune
    start = chart.frame().at(*chart.marks["drafted"]).toPoint()
    goal = chart.frame().at(*chart.marks["found"]).toPoint()
    qtbot.mousePress(chart, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(chart, (start + goal) / 2)
    qtbot.mouseMove(chart, goal)
    qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=goal)
    assert desk.draft.tune.drive.phase_current_a == pytest.approx(found.tune.drive.phase_current_a, abs=2)
    assert desk.draft.tune.drive.battery_current_a == pytest.approx(found.tune.drive.battery_current_a, abs=1)
    desk.undo_stack.undo()  # the whole drag is one step
    assert desk.draft.tune == before
    chart.setFocus()
    qtbot.keyClick(chart, Qt.Key.Key_Up)
    assert desk.draft.tune.drive.phase_current_a == before.drive.phase_current_a + 1
    click(qtbot, find(demo_window, "Draft the settings found"))
    assert {path: desk.draft.tune.setting(path) for path in desk.ask.free} == {
        path: found.tune.setting(path) for path in desk.ask.free
    }
    assert any(line.kind == "ask" and "meet all" in line.detail for line in desk.story.lines())
    qtbot.waitUntil(lambda: [card.mark.met for card in ride.ask_column.cards].count("no") == 0, timeout=30_000)


@pytest.mark.long
def test_an_impossible_ask_names_what_fights_and_a_part_is_laid_beside(qtbot, demo_window, ride):
    ask = demo_window.desk.ask
    ask.set_goals([Power(what="power", most_w=900.0), Launch(what="launch", to_kmh=25.0, most_s=6.0)])
    answered(qtbot, demo_window, ride)
    words = ride.wishes._words.text()
    assert not ride.wishes.found.found and ride.wishes.found.conflict == [0, 1]
    assert "cannot be had together" in words and "0 to 25 km/h within 6 s" in words and ride.wishes._take.isHidden()
    draft = demo_window.desk.draft.tune
    ask.set_goals([Climb(what="climb", grade=0.1, least_kmh=29.0)])
    answered(qtbot, demo_window, ride)
    press(qtbot, demo_window, "Lay beside: ")
    qtbot.waitUntil(lambda: ride.along.along.beside is not None, timeout=20_000)
    assert ride.switch.at == ALONG and demo_window.desk.draft.tune == draft


@pytest.mark.long
def test_a_search_ends_when_it_is_told_to_and_an_empty_ask_says_what_to_do(qtbot, demo_window, ride):
    click(qtbot, find(demo_window, "Find the settings"))
    assert ride.seeking.work.running and ride.ask_column.seek.text() == "Stop the search"
    click(qtbot, find(demo_window, "Find the settings"))
    assert not ride.seeking.work.running and "Nothing was changed" in ride.wishes._words.text()
    demo_window.desk.ask.set_goals([])
    said = []
    demo_window.desk.said.connect(lambda _kind, words: said.append(words))
    ride.seeking.seek()
    assert said == ["Ask for something first: add a wish."]


@pytest.mark.long
def test_range_is_told_and_what_is_asked_is_kept(qtbot, demo_window, ride):
    ride.show_part(RANGE)
    qtbot.waitUntil(lambda: ride.range.range.picture is not None, timeout=60_000)
    line, band = ride.range.range.picture.lines[0], ride.range.range.picture.bands[0]
    assert np.all(np.diff(line.y) < 0.5) and np.all(band.low <= line.y) and np.all(line.y <= band.high)
    assert "cold morning" in ride.range.words.text()
    desk = demo_window.desk  # what is asked is there again after a restart
    desk.ask.ride_at(33.0, 5.0)
    asked = (desk.ask.road, desk.ask.goals, desk.ask.hold_kmh, desk.ask.ambient_c, desk.ask.free)
    desk.ask.hold_kmh, desk.ask.goals = 1.0, []
    desk.reload()
    assert (desk.ask.road, desk.ask.goals, desk.ask.hold_kmh, desk.ask.ambient_c, desk.ask.free) == asked


@pytest.mark.long
def test_it_is_ridden_otherwise_in_a_mode_beside_another_bike_and_the_open_ride_again(qtbot, demo_window, ride):
    desk, column = demo_window.desk, ride.ask_column
    fresh = lambda: ride.along.ridden is ride.along.asked and ride.along.along is not None
    qtbot.waitUntil(fresh, timeout=20_000)
    held = ride.along.along.drafted.figures
    column.how.setCurrentText("pedal, level 2")
    column.how.activated.emit(column.how.currentIndex())
    qtbot.waitUntil(fresh, timeout=20_000)
    assert not column.hold.isEnabled() and ride.along.along.drafted.figures["wh_cells"] < held["wh_cells"]
    desk.ask.ride_at(how="held")
    modes = [column.mode.itemText(at) for at in range(column.mode.count())]
    desk.draft.open(desk.draft.tune.with_settings({"drive.battery_current_a": 30.0}))
    if len(modes) > 1:
        column.mode.setCurrentIndex(1)
        column.mode.activated.emit(1)
        qtbot.waitUntil(fresh, timeout=20_000)
        assert ride.along.asked.tune != desk.held.as_held(desk.draft.tune)
    ride.along.others.setCurrentText("the bike Thistle")
    ride.along.others.activated.emit(ride.along.others.currentIndex())
    qtbot.waitUntil(lambda: ride.along.along.beside is not None, timeout=20_000)
    said = []
    desk.said.connect(lambda _kind, words: said.append(words))
    ride.roads.again_asked.emit()
    qtbot.waitUntil(lambda: any("That round on this tune: " in words for words in said), timeout=60_000)


@pytest.mark.long
def test_an_answer_to_another_question_is_none_and_no_map_bears_other_names(qtbot, demo_window, ride):
    desk = demo_window.desk
    desk.ask.set_goals([Climb(what="climb", grade=0.06, least_kmh=20.0)])
    answered(qtbot, demo_window, ride)
    qtbot.waitUntil(lambda: ride.wishes.all_drawn, timeout=60_000)
    desk.draft.change("drive.phase_current_a", 70.0)  # what was free may be changed
    assert ride.seeking.words
    desk.active.change(desk.bike.model_copy(update={"name": "Another Heron"}), "name")
    assert not ride.seeking.words and ride.wishes.found is None
    for _ in range(12):
        ride.ask_column.add("power")
        demo_window.grab()  # an old map under more names would fail to be painted
        assert ride.wishes.chart.map is None or len(ride.wishes.chart.map.slack) == len(ride.wishes.chart.names)
    assert len(desk.ask.goals) == 12
    kept = desk.ask.road
    desk.ask.add_road(from_pieces(kept.name, [RoadPiece(900, 0.01)], 50.0))
    assert desk.ask.road.name == f"{kept.name} 2" and desk.garage.roads.get(kept.name) == kept
    desk.ask.ride_at(300.0)
    ride.show_part(RANGE)
    qtbot.waitUntil(lambda: not ride.range._work.running and ride.range.range.picture is not None, timeout=90_000)


@pytest.mark.long
def test_a_promise_is_held_against_the_next_ride_on_that_tune_over_that_road(demo_window, ride):
    desk = demo_window.desk
    figures = {"time_s": Ends(150, 140, 160), "wh_cells": Ends(20, 18, 22), "winding_c": Ends(60, 50, 70)}
    desk.promises.foresee(desk.draft.tune, LANE, figures)
    promised = lambda: [line for line in desk.story.lines() if line.kind == "promise"]
    time = np.arange(0, 151, 0.5)
    log = Ride("Mill lane", time, {
        "wheel_speed_kmh": np.full(time.shape, 36.0), "pack_v": np.full(time.shape, 60.0), "battery_a": np.full(time.shape, 8.4),
        "motor_c": np.linspace(20, 90, time.size),
    })  # fmt: skip
    desk.ride.take(log, [])
    assert not promised()  # that tune was never on the controller
    desk.promises.foresee(desk.held.tune, LANE, figures)
    desk.ride.take(log, [])
    (line,) = promised()
    assert line.title == "Mill lane: 2 of 3 figures as promised"
    assert "hottest winding: promised 60 (50 to 70 °C), done 90 °C, outside" in line.detail
    desk.ride.take(log, [])
    assert len(promised()) == 1


@pytest.mark.long
def test_the_open_ride_is_ridden_again_on_verdict(qtbot, demo_window):
    demo_window.show_station("verdict")
    page = demo_window.stations["verdict"]
    click(qtbot, find(demo_window, "verdict Ridden again"))
    click(qtbot, find(demo_window, "Ride it again on this tune"))
    qtbot.waitUntil(lambda: page.again.found is not None, timeout=60_000)
    assert (
        page.again.sentence.text().startswith("That round on this tune: ")
        and page.again.found.change("time_s").value < 0
    )
    page.again.choice.setCurrentText("on the controller")
    page.again.choice.activated.emit(page.again.choice.currentIndex())
    assert page.again.found is None and page.again.sentence.text() == ""


def test_without_a_bike_it_says_what_to_do(qtbot, empty_window):
    empty_window.show_station("tune")
    page = empty_window.stations["tune"]
    page.show_road()
    assert "Choose, import or draw a road" in page.road.along.sentence.text()
    page.road.seeking.seek()
