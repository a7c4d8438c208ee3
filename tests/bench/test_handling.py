"""Every number by drag, arrow keys, typing and wheel; Esc, double-click, undo; nothing by a passing scroll."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication, QLineEdit

from crisp_hornet.bench.stations.tune.road_view import launch_rows
from crisp_hornet.core.drive.pull import pull_curve
from tests.bench.driving import click, drag, find, go, press_keys, texts

PHASE, BATTERY, POWER = "drive.phase_current_a", "drive.battery_current_a", "drive.power_w"


@pytest.fixture
def tune(qtbot, demo_window):
    go(qtbot, demo_window, 4)
    return demo_window.stations["tune"]


def wheel(widget, turns):
    place = QPointF(widget.rect().center())
    event = QWheelEvent(
        place,
        QPointF(widget.mapToGlobal(place.toPoint())),
        QPoint(),
        QPoint(0, 120 * turns),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(widget, event)


def test_a_ruler_by_arrow_keys_typing_wheel_and_drag(qtbot, tune):
    desk, ruler = tune.desk, tune.rulers[BATTERY]
    wheel(ruler, 1)
    assert desk.draft.tune.setting(BATTERY) == 36  # without the focus a scroll passes by
    ruler.setFocus()
    press_keys(qtbot, ruler, Qt.Key.Key_Right, Qt.Key.Key_Up)
    assert desk.draft.tune.setting(BATTERY) == 38
    press_keys(qtbot, ruler, Qt.Key.Key_Left, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert desk.draft.tune.setting(BATTERY) == 37.5
    wheel(ruler, -2)
    assert desk.draft.tune.setting(BATTERY) == 35.5
    for typed, expected in (("28,5", 28.5), ("31.25", 31.25), ("1 0,5", 31.25)):
        qtbot.keyClick(ruler, Qt.Key.Key_Return)
        editor = next(one for one in ruler.findChildren(QLineEdit) if one.isVisible())
        editor.clear()
        qtbot.keyClicks(editor, typed)
        qtbot.keyClick(editor, Qt.Key.Key_Return)
        assert desk.draft.tune.setting(BATTERY) == expected
        assert ruler.hasFocus() or typed == "1 0,5"
    editor = next(one for one in ruler.findChildren(QLineEdit) if one.isVisible())
    for typed, why in (
        ("9999", "lies outside 0 to 70 A"),
        ("abc", "is no figure"),
        ("1.200", "could be 1.2 or 1200"),
        ("-5", "outside"),
    ):
        editor.setText(typed)  # what is not taken is told, and stays to be mended
        qtbot.keyClick(editor, Qt.Key.Key_Return)
        assert editor.isVisible() and why in tune.window().notice.text and desk.draft.tune.setting(BATTERY) == 31.25
    qtbot.keyClick(editor, Qt.Key.Key_Escape)
    qtbot.mouseClick(ruler, Qt.MouseButton.LeftButton, pos=QPoint(200, 38))
    assert desk.draft.tune.setting(BATTERY) == 31.25 and ruler.hasFocus()  # a press only takes the focus
    start = QPointF(ruler._mark_x(), 38)
    drag(ruler, start, [start + QPointF(3, 0)])
    assert desk.draft.tune.setting(BATTERY) == 31.25  # nor does a hand that trembles
    drag(ruler, start, [QPointF(120, 38), QPointF(140, 38)])
    share = (140 - 10) / (ruler.width() - 20)
    assert desk.draft.tune.setting(BATTERY) == pytest.approx(share * ruler.scale.high, abs=0.5)
    qtbot.mouseDClick(ruler, Qt.MouseButton.LeftButton, pos=QPoint(60, 38))
    assert desk.draft.tune.setting(BATTERY) == 30  # back to what is on the controller


def test_esc_cancels_a_drag_and_leaves_no_step_of_undo(qtbot, tune):
    desk, ruler = tune.desk, tune.rulers[PHASE]
    ruler.setFocus()
    drag(ruler, QPointF(ruler._mark_x(), 38), [QPointF(60, 38), QPointF(200, 38)], release=False)
    assert desk.draft.tune.setting(PHASE) != 115
    qtbot.keyClick(ruler, Qt.Key.Key_Escape)
    assert desk.draft.tune.setting(PHASE) == 115 and not desk.undo_stack.canUndo()


def test_a_limit_can_be_taken_away_and_set_again(qtbot, tune):
    ruler = tune.rulers[POWER]
    ruler.setFocus()
    assert ruler.value_text() == "no limit"
    qtbot.keyClicks(ruler, "2")
    qtbot.keyClicks(ruler.findChild(QLineEdit), "000")
    qtbot.keyClick(ruler.findChild(QLineEdit), Qt.Key.Key_Return)
    assert tune.desk.draft.tune.setting(POWER) == 2000
    assert "power" in set(tune.desk.draft.prediction.curve.limit.tolist())
    assert ruler.hasFocus()
    qtbot.keyClick(ruler, Qt.Key.Key_Delete)
    assert tune.desk.draft.tune.setting(POWER) is None


def test_the_edge_follows_the_pointer(tune):
    """What is dragged is what is set: the curve passes through the pointer, and the ruler shows the same figure."""
    chart = tune.chart
    for setting, place in ((BATTERY, (30.0, 170.0)), (PHASE, (2.0, 300.0))):
        edge = next(one for one in chart.edges if one.setting == setting)
        drag(chart, chart.point(edge.kmh, edge.force_n), [chart.point(*place)])
        curve = tune.desk.draft.prediction.curve
        at = abs(curve.speed_kmh - place[0]).argmin()
        assert curve.wheel_force_n[at] == pytest.approx(place[1], rel=0.03)
        assert tune.rulers[setting].value == tune.desk.draft.tune.setting(setting)


def test_the_chart_by_keyboard_alone_and_undo(qtbot, tune):
    desk, chart = tune.desk, tune.chart
    chart.setFocus()
    press_keys(qtbot, chart, Qt.Key.Key_P, Qt.Key.Key_Up, Qt.Key.Key_Up)
    press_keys(qtbot, chart, Qt.Key.Key_B, Qt.Key.Key_Down)
    assert (desk.draft.tune.setting(PHASE), desk.draft.tune.setting(BATTERY)) == (117, 35)
    before = chart.at_kmh
    press_keys(qtbot, chart, Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert chart.at_kmh == before + 2
    qtbot.keyClick(chart, Qt.Key.Key_Delete)
    assert desk.draft.tune.setting(BATTERY) == 30
    window = chart.window()
    for expected in (35, 36):
        qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert desk.draft.tune.setting(BATTERY) == expected
    for _ in range(2):
        qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert desk.draft.tune.setting(PHASE) == 115 and not desk.undo_stack.canUndo()


def test_the_draft_is_kept_by_itself_and_other_conditions_move_the_curve(qtbot, tune):
    desk = tune.desk
    tune.rulers[PHASE].setFocus()
    qtbot.keyClick(tune.rulers[PHASE], Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: desk.garage.glance.tune(desk.bike_id, "draft").setting(PHASE) == 116)
    top = desk.draft.prediction.consequences[1].value
    tune._charge.setFocus()
    qtbot.keyClick(tune._charge, Qt.Key.Key_PageDown)
    assert desk.draft.prediction.consequences[1].value < top
    assert desk.undo_stack.count() == 1  # conditions are no change of the draft


def test_reading_names_the_limit_and_the_front_wheel_rule_shows_its_cause(qtbot, tune):
    tune.chart.point_at(25.0)
    head, words = tune.meaning()
    assert head == "AT 25 km/h" and "battery current" in words and "raising the phase limit changes nothing" in words
    tune.chart.point_at(3.0)
    assert "phase current" in tune.meaning()[1]
    window = tune.window()
    warning = type("W", (), {"setting": PHASE})()
    window.watch_list.show_me.emit(warning)
    assert tune.rulers[PHASE].hasFocus()


@pytest.mark.long
def test_what_it_means_on_the_road_follows_the_draft_and_the_units(qtbot, demo_window):
    desk, tune = demo_window.desk, demo_window.stations["tune"]
    go(qtbot, demo_window, 4)
    click(qtbot, find(demo_window, "page The ride"))
    click(qtbot, find(demo_window, "of the ride climbs and figures"))
    road = tune.road.figures
    qtbot.waitUntil(lambda: road.cells.map is not None)
    weak = road.launches.texts()
    desk.draft.change("drive.phase_current_a", 160.0)
    qtbot.waitUntil(lambda: road.launches.texts() != weak)
    figures = launch_rows(desk.draft.prediction.curve, None)
    assert figures[0][1] in road.launches.texts() and "from 40 km/h" in road.stops.texts()
    reached = pull_curve(desk.bike, desk.draft.tune, road.cells.map.speed_kmh, desk.conditions).wheel_force_n
    qtbot.waitUntil(lambda: road.cells.map.force_n[-1] < desk.draft.prediction.curve.wheel_force_n.max())
    inside = road.cells.map.force_n[:, None] <= 0.98 * reached
    assert np.isfinite(road.cells.map.efficiency[inside]).all()
    desk.switch_units()
    qtbot.waitUntil(lambda: "from 16 mph" in road.stops.texts())


@pytest.mark.long
def test_who_is_in_charge_devices_gauge_and_card(qtbot, demo_window, tmp_path):
    desk, tune = demo_window.desk, demo_window.stations["tune"]
    go(qtbot, demo_window, 4)
    click(qtbot, find(demo_window, "page Who is in charge"))
    view = tune.chain
    qtbot.waitUntil(lambda: "tune 36 A" in texts(view) and "BMS 40 A" in texts(view))
    find(demo_window, "name of the device", QLineEdit).setFocus()
    qtbot.keyClicks(view.name, "Display")
    qtbot.keyClicks(view.fields["battery_current_a"], "15")
    qtbot.keyClicks(view.fields["wheel_circumference_m"], "2,1")
    click(qtbot, find(demo_window, "Save the device"))
    assert desk.bike.chain[-1].battery_current_a == 15
    qtbot.waitUntil(lambda: "Display allows 15" in texts(view) and "effective 15 A" in texts(view))
    view.fields["power_w"].setText("-3")
    view.name.setText("Lever")
    view.keep_device()
    assert "power_w" in demo_window.notice.text and len(desk.bike.chain) == 2
    view.fields["power_w"].clear()
    view.name.setText("Second display")
    view.fields["battery_current_a"].setText("44")
    view.replaces["battery_current_a"].setChecked(True)
    view.keep_device()
    qtbot.waitUntil(
        lambda: (
            "Second display replaces 44 A" in texts(view) and "44 A instead of 36 A" in texts(demo_window.watch_list)
        )
    )
    view.drop_device("Second display")
    view.bars.setCurrentIndex(2)
    qtbot.waitUntil(lambda: "10 to 9" in texts(view))
    view.load.setText("20")
    view.load.editingFinished.emit()
    qtbot.waitUntil(lambda: "at 20 A" in texts(view))
    click(qtbot, find(demo_window, "keyed in: wheel, circumference"))
    click(qtbot, find(demo_window, "Save the settings to enter by hand"))
    assert any("done: wheel, circumference" in entry.detail for entry in desk.garage.book.of(desk.bike_id))
    view.print_card(tmp_path / "card.pdf")
    assert (tmp_path / "card.pdf").read_bytes().startswith(b"%PDF")
    click(qtbot, find(demo_window, "Remove Display"))
    assert [link.name for link in desk.bike.chain] == ["Handlebar display"]
    desk.undo_stack.undo()
    assert desk.bike.chain[-1].name == "Display"
