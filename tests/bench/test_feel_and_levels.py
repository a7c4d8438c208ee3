"""Response map, cruise, shift cut, anchors, levels of a mode's own and matched ones, in the real window; and the packs of a bike."""

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLineEdit

from crisp_hornet.bench.stations.tune.tune_page import PAGES
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.core.rider.match import feel_of
from tests.bench.driving import click, drag, find, go, press, press_keys, texts

KEY = Qt.Key


def show(qtbot, window, name):
    go(qtbot, window, "tune")
    click(qtbot, find(window, f"page {name}"))
    tune = window.stations["tune"]
    qtbot.waitUntil(lambda: tune.page == PAGES.index(name) and window.settled)
    return getattr(tune, name.lower())


def told(window):
    return [one.id for one in window.desk.watch.warnings]


def test_a_response_map_is_made_of_the_curve_dragged_both_ways_and_left_again(qtbot, demo_window):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Feel")
    before, launch = desk.draft.tune, view.launch.picture.lines[-1].y
    press(qtbot, demo_window, "Make a response map")
    points = desk.draft.tune.throttle.response
    assert len(points) == 5 and points[0].share == 0 and points[-1].share == before.throttle.maximum
    assert view.launch.picture.lines[-1].y == pytest.approx(launch, rel=0.02, abs=3)  # it asks for the same
    start = view.curve.place("throttle.response.3.share")
    drag(view.curve, start, [start + QPointF(12, -10), start + QPointF(40, -30)])
    moved = desk.draft.tune.throttle.response[2]
    assert moved.volts > points[2].volts + 0.1 and moved.share > points[2].share + 0.05
    start = view.curve.place("throttle.response.3.share")
    drag(view.curve, start, [start + QPointF(300, 0)])  # past its neighbours: they are pushed along
    volts = [one.volts for one in desk.draft.tune.throttle.response]
    assert volts == sorted(volts) and len(set(volts)) == 5 and volts[-1] <= 5
    demo_window.desk.active.undo_stack.undo()
    assert desk.draft.tune.throttle.response[2] == moved
    assert "response-opens-at-rest" not in told(demo_window)
    view.rulers.take(
        "throttle.response.1.volts", 0.5, 901
    )  # at the rest voltage the map is on its way to the next point
    assert desk.draft.tune.throttle.response[0].volts == 0.5 and "response-opens-at-rest" in told(demo_window)
    press(qtbot, demo_window, "Add a point")
    assert len(desk.draft.tune.throttle.response) == 6
    press(qtbot, demo_window, "Remove the last point")
    press(qtbot, demo_window, "Leave the response map")
    assert desk.draft.tune.throttle.response is None and desk.draft.tune.throttle.shares == before.throttle.shares


@pytest.mark.long
def test_cruise_is_set_by_key_and_its_hazards_stand_in_the_watch_list(qtbot, demo_window):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Feel")
    assert "drives on by itself" not in view.meaning()[1]
    ruler = view.rulers.rulers["throttle.cruise_s"]
    ruler.setFocus()
    press_keys(qtbot, ruler, KEY.Key_Right)
    assert desk.draft.tune.throttle.cruise_s == 30 and "cruise-drives-on" in told(demo_window)
    ruler.changed.emit(2.0, 921)
    assert {"cruise-drives-on", "cruise-by-chance"} <= set(told(demo_window))
    desk.draft.try_change("throttle.cruise_s", 6.0)
    assert "cruise-by-chance" not in told(demo_window) and "Held still for 6 s above 15 km/h" in view.meaning()[1]
    desk.draft.try_change("throttle.cruise_least_kmh", 4.0)
    assert "cruise-slow" in told(demo_window)


@pytest.mark.long
def test_three_anchors_and_a_mode_with_levels_of_its_own(qtbot, demo_window):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Assist")
    desk.draft.change_many({"modes.count": 0.0}, "no modes")
    assert not view.rulers.whose.isVisible()
    levels = [one.multiplier for one in desk.draft.tune.assist.levels]
    view.rulers.take("family.middle", 4.0, 911)
    now = [one.multiplier for one in desk.draft.tune.assist.levels]
    assert now[2] == pytest.approx(4.0, abs=0.01) and (now[0], now[-1]) == (levels[0], levels[-1])
    desk.draft.change_many({"modes.count": 2.0}, "two modes")
    whose = find(demo_window, "whose levels", Chooser)
    whose.setCurrentIndex(2)
    press(qtbot, demo_window, "Give this mode levels of its own")
    assert [one.multiplier for one in desk.draft.tune.modes[1].levels] == now
    view.rulers.take("assist.levels.count", 3.0, 912)
    view.rulers.take("family.highest", 2.0, 913)
    own = desk.draft.tune.modes[1].levels
    assert len(own) == 3 and own[-1].multiplier == 2.0
    assert [one.multiplier for one in desk.draft.tune.assist.levels] == now  # the tune's stay
    assert len(view.levels.handles) == 3
    start = view.levels.place("modes.2.levels.2.multiplier")
    drag(view.levels, start, [start + QPointF(0, -12)])
    assert desk.draft.tune.modes[1].levels[1].multiplier > own[1].multiplier
    demo_window.stations["tune"].focus_setting("assist.levels.1.multiplier")
    assert whose.currentIndex() == 0 and len(view.levels.handles) == 5
    whose.setCurrentIndex(2)
    press(qtbot, demo_window, "Let this mode use the tune's levels")
    assert desk.draft.tune.modes[1].levels is None and len(view.levels.handles) == 5


@pytest.mark.long
def test_a_level_is_matched_to_one_of_another_bike_or_it_is_said_why_not(qtbot, demo_window, monkeypatch):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Assist")
    match = view.rulers.match
    match.heading.setChecked(True)
    assert [match.bike.itemText(at) for at in range(match.bike.count())] == ["this bike", "Thistle"]
    match.level.setCurrentIndex(1)
    match.bike.setCurrentIndex(1)
    match.theirs.setCurrentIndex(2)
    with monkeypatch.context() as patch:  # a drag asks the garage for nothing
        patch.setattr(desk, "bikes", None)
        patch.setattr(desk, "kept_tune", None)
        view.rulers.take("family.middle", 5.0, 931)
        assert match.theirs.currentIndex() == 2
    before = desk.draft.tune
    match.match()
    assert "Level 2 matched" in demo_window.notice.text and desk.draft.tune != before
    motive, there = view._motive(desk.draft.prediction.curve, desk.draft.tune), match._there()
    felt = feel_of(motive, desk.draft.tune.assist.levels[1], view.rulers.rider, "watts per watt")
    assert felt == pytest.approx(feel_of(there, there.assist.levels[2], view.rulers.rider, "watts per watt"), rel=0.03)
    desk.active.undo_stack.undo()
    assert desk.draft.tune == before
    desk.draft.change_many({"drive.battery_current_a": 2.0}, "weak")
    match.theirs.setCurrentIndex(match.theirs.count() - 1)
    match.match()
    assert "cannot feel like that" in demo_window.notice.text and desk.draft.tune.drive.battery_current_a == 2.0


def test_packs_are_named_entered_taken_in_turn_and_joined_undoably(qtbot, demo_window):
    desk = demo_window.desk
    go(qtbot, demo_window, "build")
    page = demo_window.stations["build"]
    page.show_view(3)
    alone = desk.bike
    page.packs.how.setCurrentIndex(1)
    assert [one.name for one in desk.bike.packs.each] == ["pack A", "pack B"] and desk.bike.battery == alone.battery
    second = find(demo_window, "capacity of pack B", QLineEdit)
    second.setText("14")
    second.editingFinished.emit()
    name = find(demo_window, "name of pack 2", QLineEdit)
    name.setText("pack A")
    name.editingFinished.emit()
    assert "already" in demo_window.notice.text
    name.setText("Long ride")
    name.editingFinished.emit()
    page.packs.in_use.setCurrentIndex(1)
    assert desk.bike.battery.capacity_ah == 14 and "Long ride, which is on the bike" in texts(page)
    page.packs.how.setCurrentIndex(2)
    assert desk.bike.battery.capacity_ah == pytest.approx(14 + alone.battery.capacity_ah)
    assert "packs-joined" in told(demo_window)
    press(qtbot, demo_window, "Remove Long ride")
    assert desk.bike.packs is None and desk.bike.battery == alone.battery
    for _ in range(6):
        desk.active.undo_stack.undo()
    assert desk.bike == alone


def test_the_logbook_follows_each_pack_over_its_cycles(qtbot, demo_window):
    desk = demo_window.desk
    go(qtbot, demo_window, "build")
    page = demo_window.stations["build"]
    page.show_view(3)
    page.packs.how.setCurrentIndex(1)
    desk.ride.keep_card(desk.ride.card.model_copy(update={"pack": "pack B"}))
    go(qtbot, demo_window, "logbook")
    book = demo_window.stations["logbook"]
    book.kinds.choose([*book.kinds.known_as].index("packs"))
    qtbot.waitUntil(lambda: not book.packs.reading and "cycles in 1 ride" in book.packs.words.text())
    assert "pack B: 0.0" in book.packs.words.text() and "Whether it ages cannot be told yet" in book.packs.words.text()
    rows = book.packs.table.texts()
    assert "pack B" in rows and any("mΩ (" in cell for cell in rows)
