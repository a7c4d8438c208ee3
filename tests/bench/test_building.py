"""The Build station by keyboard alone: from a new bike to a valid document, each nonsense figure met with its reason."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit

from crisp_hornet.bench.stations.build.entry import WayEntry
from crisp_hornet.bench.stations.build.figures import FigureRow, source_word
from crisp_hornet.bench.stations.build.shown import CHOICES, LISTS, SHOWN
from crisp_hornet.bench.stations.build.ways import ways
from crisp_hornet.bench.widgets.fold import Heading
from crisp_hornet.documents import store
from crisp_hornet.documents.bike import Bike
from tests.bench.driving import click, find, texts


def tab_to(qtbot, window, wanted, most=120):
    """Press Tab until the focus is on the wanted widget: reachable by keyboard alone, or the test fails."""
    for _ in range(most):
        focus = QApplication.focusWidget()
        if focus is not None and wanted(focus):
            return focus
        qtbot.keyClick(focus or window, Qt.Key.Key_Tab)
    raise AssertionError(f"not reachable by Tab; the focus is on {QApplication.focusWidget()}")


def choose(qtbot, window, path):
    qtbot.waitUntil(lambda: any(row.isVisible() for row in window.findChildren(FigureRow)))
    focus = tab_to(qtbot, window, lambda one: isinstance(one, (FigureRow, Heading)))
    steps = [Qt.Key.Key_Up] * 40 + [Qt.Key.Key_Down] * 40  # the list is one stop; arrows go through it
    while not (isinstance(focus, FigureRow) and focus.figure.path == path):
        if isinstance(focus, Heading) and not focus.isChecked():
            qtbot.keyClick(focus, Qt.Key.Key_Return)
        qtbot.keyClick(focus, steps.pop(0))
        focus = QApplication.focusWidget()
    qtbot.keyClick(focus, Qt.Key.Key_Space)
    entry = window.stations["build"]._entry
    qtbot.waitUntil(
        lambda: entry.path == path and all(field.isVisible() for way in entry.entries for field in way.fields)
    )
    assert QApplication.focusWidget() is entry.entries[0].fields[0]


def type_in(qtbot, window, *values):
    """Type a figure in each field of the way that has the focus, Enter at the last."""
    for index, value in enumerate(values):
        qtbot.keyClicks(QApplication.focusWidget(), value)
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return if index == len(values) - 1 else Qt.Key.Key_Tab)


def test_from_new_bike_to_a_valid_document_by_keyboard_alone(qtbot, empty_window, tmp_path):
    window, desk = empty_window, empty_window.desk
    field = tab_to(
        qtbot, window, lambda one: isinstance(one, QLineEdit) and one.accessibleName() == "name of the new bike"
    )
    qtbot.keyClicks(field, "Plover")
    kind = tab_to(qtbot, window, lambda one: one.accessibleName() == "New bike: hub, direct drive")
    qtbot.keyClick(kind, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: desk.bike is not None and desk.bike.name == "Plover")
    assumed = len(desk.bike.assumed)

    choose(qtbot, window, "motor.phase_resistance_ohm")
    entry = QApplication.focusWidget().parent()
    qtbot.keyClicks(QApplication.focusWidget(), "2000")
    assert "milliohms entered as ohms" in entry._result.text()
    QApplication.focusWidget().clear()
    second = tab_to(qtbot, window, lambda one: one.accessibleName().startswith("between two leads"))
    qtbot.keyClicks(second, "116,4")
    assert "gives 58.2 mΩ" in second.parent()._result.text()
    qtbot.keyClick(second, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: desk.bike.figure("motor.phase_resistance_ohm") == pytest.approx(0.0582))
    assert (
        desk.bike.sources["motor.phase_resistance_ohm"].origin == "measured" and len(desk.bike.assumed) == assumed - 1
    )

    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: isinstance(QApplication.focusWidget(), FigureRow))
    choose(qtbot, window, "battery.series")
    type_in(qtbot, window, "16")
    qtbot.waitUntil(lambda: desk.bike.battery.series == 16)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert desk.bike.battery.series == 14
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert desk.bike.battery.series == 16

    store.write(tmp_path / "plover.json", desk.bike)
    assert store.read_bike(tmp_path / "plover.json") == desk.bike
    assert desk.garage.glance.last_bike()[1] == desk.bike


TYPED = {"motor.saturation.at_a": ["80", "20"], "motor.saturation.flux_drop": ["80", "20"], "chassis.cg_from_rear_m": ["0.8", "0.9"],
         "chassis.cg_height_m": ["80", "90", "60", "0.5"], "sensors.motor_thermistor_beta_k": ["3435"],
         **{f"sensors.{key}": ["1.2"] for key in ("throttle_rest_v", "throttle_full_v", "torque_rest_v")}}  # fmt: skip


def test_every_way_to_every_figure_gives_it_and_nonsense_gives_nothing(demo_window):
    ways_tried = 0
    for path in (path for path in SHOWN if path not in CHOICES | LISTS):
        for way in ways(path):
            gives_its_figure(demo_window.desk, path, way)
            ways_tried += 1
    assert ways_tried >= 80


def gives_its_figure(desk, path, way):
    entry = WayEntry(desk, path, way)
    taken = []
    entry.taken.connect(taken.append)
    for rubbish in ("", "abc", "nan", "1e999"):
        for editor in entry.fields:
            editor.setText(rubbish)
        entry.take()
        assert taken == [], path
    for at, editor in enumerate(entry.fields):
        editor.setText(TYPED.get(path, ["8"] * 9)[at])
    entry.take()
    assert len(taken) == 1, path
    changed = taken[0](desk.bike)
    if way.rating:
        rows = [row.model_dump(exclude_none=True) for row in changed.controller.ratings_by_voltage]
        assert rows == [{"up_to_v": 8.0, way.rating: 8.0}]
        assert changed.with_rating(8.0, way.rating, 0.0).controller.ratings_by_voltage is None
    else:
        assert changed.figure(path) > 0 and source_word(changed, path) == way.origin, path
    assert "gives" in entry._result.text(), path


@pytest.mark.long
def test_what_is_chosen_or_listed_is_entered_by_keyboard_and_can_be_unset(qtbot, demo_window):
    desk, page = demo_window.desk, demo_window.stations["build"]

    def enter(path):
        page.choose(path)
        qtbot.waitUntil(lambda: page._entry.entries[0].fields[0].isVisible())
        return page._entry.entries[0]

    for path, words in CHOICES.items():
        entry = enter(path)
        now = entry.fields[0].currentIndex()
        qtbot.keyClick(entry.fields[0], Qt.Key.Key_Up if now > 0 else Qt.Key.Key_Down)
        before = desk.bike.value(path)
        assert (list(words)[now] if now >= 0 else None) == before
        if path != "battery.chemistry":  # a table of its own comes with its figures
            qtbot.keyClick(find(demo_window, f"Use this value: {SHOWN[path].label}"), Qt.Key.Key_Space)
            qtbot.waitUntil(lambda path=path, before=before: desk.bike.value(path) != before)
    for typed, told in (("", "One figure"), ("8 x", "no figure"), ("8.1 6.2; 4,9", "")):
        entry = enter("drivetrain.gears")
        entry.fields[0].setText(typed)
        qtbot.keyClick(entry.fields[0], Qt.Key.Key_Return)
        assert told.lower() in entry._told.text().lower()
    assert desk.bike.drivetrain.gears == [8.1, 6.2, 4.9]
    enter("battery.rested_v_table").fields[0].setText("0 3.0, 0.5 3.7, 1 4.1")
    page._entry.entries[0].take()
    assert desk.bike.battery.chemistry == "custom" and desk.bike.battery.rested_v_table == [
        [0, 3.0],
        [0.5, 3.7],
        [1, 4.1],
    ]
    enter("drivetrain.gears")
    qtbot.keyClick(find(demo_window, "gears, ratios: not set"), Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: desk.bike.drivetrain.gears is None)


def test_the_first_screen_of_build_stays_short(qtbot, demo_window):
    shut = [one for one in demo_window.stations["build"].findChildren(Heading) if not one.isChecked()]
    rows = [
        one
        for one in demo_window.stations["build"].findChildren(FigureRow)
        if one.isVisibleTo(demo_window.stations["build"])
    ]
    assert len(shut) >= 7 and len(rows) <= 12
    assert len(SHOWN) > 55


def test_a_figure_that_makes_no_bike_is_refused_with_its_reason(qtbot, demo_window):
    page, before = demo_window.stations["build"], demo_window.desk.bike
    page.choose("drivetrain.wheel_circumference_m")
    page._entry.entries[0].fields[0].setText("-2")
    page._entry.entries[0].take()
    assert "must be greater than" in demo_window.notice.text and demo_window.desk.bike == before


def test_several_bikes_switch_duplicate_and_put_away(qtbot, demo_window):
    window, desk, garage = demo_window, demo_window.desk, demo_window.stations["build"]._garage
    heron, draft = desk.bike, desk.draft.tune
    garage.duplicate()
    assert desk.bike.name == "Heron 2" and desk.bike.motor == heron.motor and desk.draft.tune is None
    qtbot.waitUntil(lambda: "copy its" in texts(window))
    desk.active.change(desk.bike.with_figure("battery.series", 18.0, "measured"), "cells")
    own = desk.bike
    qtbot.mouseClick(find(window, "Take the pack of Heron"), Qt.MouseButton.LeftButton)
    assert desk.bike.battery == heron.battery and desk.bike.sources == heron.sources and desk.bike.name == "Heron 2"
    desk.undo_stack.undo()
    assert desk.bike == own
    garage.start("mid motor")
    assert desk.bike.name == "New bike" and isinstance(desk.bike, Bike)
    desk.archive_bike()
    assert desk.bike.name == "Heron 2"
    qtbot.waitUntil(lambda: "New bike (archived)" in texts(window))
    qtbot.mouseClick(find(window, "Open Heron"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: desk.bike.name == "Heron")
    assert desk.draft.tune == draft and desk.ride.cleaned.name == "Bakery round"
    for name in ("Heron 2", "Thistle", None):
        desk.archive_bike()
        assert (desk.bike.name if desk.bike else None) == name
    assert desk.bike is None and "No bike yet" in texts(window.stations["build"])


def test_pack_and_motor_have_charts_of_their_own(qtbot, demo_window):
    page = demo_window.stations["build"]
    click(qtbot, find(demo_window, "picture of the bike Pack"))
    assert "% charge" in page._pack_words.text() and "Wh remain" in page._pack_words.text()
    click(qtbot, find(demo_window, "picture of the bike Motor"))
    assert "reach the road" in page._motor_words.text()
    before = page._torque_chart.picture.lines[0].y.max()
    demo_window.desk.draft.change("drive.phase_current_a", 60.0)
    assert page._torque_chart.picture.lines[0].y.max() < before
    bike = demo_window.desk.bike
    custom = bike.model_copy(update={"battery": bike.battery.model_copy(update={"chemistry": "custom"})})
    demo_window.desk.active.change(custom, "chemistry")
    click(qtbot, find(demo_window, "picture of the bike Pack"))
    assert "rested_v_table must be" in page._pack_words.text()
