"""F1 explains what has the focus, Ctrl+K finds anything, the start page opens its doors: in the real window, by keys."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractSlider, QApplication

from crisp_hornet import demo
from crisp_hornet.bench.helping.entries import STATION_PAGES, entries, found
from crisp_hornet.bench.place import keep, take_up
from crisp_hornet.bench.theme import HIGH_CONTRAST
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.practice.jobs import shipped
from tests.bench.driving import click, find, go, press_keys, texts


def pressed(qtbot, window, key, modifier=Qt.KeyboardModifier.NoModifier):
    press_keys(qtbot, window, key, modifier=modifier)


def test_f1_explains_the_figure_that_has_the_focus_else_the_station(qtbot, demo_window):
    window = demo_window
    go(qtbot, window, "tune")
    window.stations["tune"].rulers["drive.battery_current_a"].setFocus()
    pressed(qtbot, window, Qt.Key.Key_F1)
    card = window.helping.card
    qtbot.waitUntil(lambda: "Battery current" in texts(card) and "BMS discharge limit" in texts(card))
    click(qtbot, find(card, "Close the help"))
    window.show_station("hookup")
    window.helping.show_help()
    qtbot.waitUntil(lambda: "pre-charge before the main switch" in texts(card))
    click(qtbot, find(card, "Open the glossary"))
    qtbot.keyClicks(card.line, "axis")
    qtbot.waitUntil(lambda: "d axis, q axis" in texts(card) and "sag" not in texts(card))
    click(qtbot, find(card, "Show all cautions"))
    qtbot.waitUntil(lambda: "the local code decides" in texts(card) and "CALIBRATE" in texts(card))


def search(qtbot, window, typed):
    window.activateWindow()
    window.helping.show_search()
    qtbot.keyClicks(window.helping.search.line, typed)
    return [window.helping.search.rows.item(at).text() for at in range(window.helping.search.rows.count())]


def test_ctrl_k_goes_to_pages_figures_settings_rides_acts_and_help(qtbot, demo_window):
    window = demo_window
    for typed, first, there in (
        (
            "who is",
            "Who is in charge   page, Tune",
            lambda: window.current == "tune" and window.stations["tune"].page == 6,
        ),
        ("flux", "flux linkage   figure", lambda: window.current == "build"),
        ("low-voltage cutoff st", "low-voltage cutoff start   setting", lambda: window.current == "tune"),
        ("bakery round, d", "Bakery round, daily tune on trial   ride", lambda: window.current == "rides"),
        ("dark", "Switch between light and dark   act", lambda: window.theme.name == "dark"),
        ("pole p", "pole pairs   figure", lambda: window.current == "build"),
        (
            "rolling air",
            "Rolling resistance and air drag   help",
            lambda: window.helping.card is not None and window.helping.card.isVisible(),
        ),
    ):
        rows = search(qtbot, window, typed)
        assert rows and rows[0].startswith(first), (typed, rows[:3])
        qtbot.keyClick(window.helping.search.line, Qt.Key.Key_Return)
        qtbot.waitUntil(there)
    assert search(qtbot, window, "zzz") == [] and "Nothing found" in texts(window.helping.search)
    qtbot.keyClick(window.helping.search.line, Qt.Key.Key_Backspace)
    qtbot.keyClick(window.helping.search.line, Qt.Key.Key_Escape)
    assert not window.helping.search.isVisible()


@pytest.mark.long
def test_every_page_that_the_search_names_is_one_of_its_station(demo_window):
    for key, pages in STATION_PAGES.items():
        choices = [choice.known_as for choice in demo_window.stations[key].findChildren(PageChoice)]
        assert any(len(one) == len(pages) and one[0] == pages[0] for one in choices), (key, choices)
        for page in pages:
            assert any(page in one for one in choices), (key, page)
    every = entries(demo_window)
    for one in every:
        assert one in found(every, one.name)[:40] or len(found(every, one.name)) == 40, one.name


@pytest.fixture
def start(qtbot, empty_window):
    take_up(empty_window)
    assert empty_window.current == "start"
    page = empty_window.stations["start"]
    page.starts = lambda key, folder, guided: started.append((key, guided)) or True
    started = page.started = []
    return empty_window


def test_an_empty_garage_opens_on_three_doors_and_practice_begins_with_job_1(qtbot, start):
    page = start.stations["start"]
    assert "What is on the bench today?" in texts(page) and "Begin with job 1" in texts(start)
    click(qtbot, start.act_button)
    assert page.started == [(shipped()[0].key, False)]
    page.progress.keep(shipped()[0].key, "solved", 1)
    page.progress.keep(shipped()[3].key, "begun", 1)
    qtbot.waitUntil(lambda: "1 of 16 done, 1 begun" in texts(page) and start.act_button.text() == "Go on with job 4")
    click(qtbot, page.guided)
    click(qtbot, find(page, "Practise 9 The market"))
    assert page.started[-1] == (shipped()[8].key, True)
    page.starts = lambda *_: False
    click(qtbot, start.act_button)
    assert "crisp-hornet practise" in start.notice.text


def test_a_bike_is_built_from_its_kind_and_six_figures(qtbot, start):
    page = start.stations["start"]
    click(qtbot, find(page, "Build your bike: choose a kind"))
    page.six.kinds["mid motor"].setChecked(True)
    page.six.name.setText("Wagtail")
    page.six.fields["battery.series"].setText("14")
    page.six.fields["drivetrain.wheel_circumference_m"].setText("21")
    click(qtbot, start.act_button)
    assert start.desk.bike is None and "0.5" in page.six.said.text()  # nothing is made of what cannot be
    page.six.fields["drivetrain.wheel_circumference_m"].setText("2,15")
    click(qtbot, start.act_button)
    bike = start.desk.bike
    assert start.current == "build" and bike.name == "Wagtail" and bike.battery.series == 14
    assert bike.drivetrain.wheel_circumference_m == 2.15 and "2 figures entered" in start.notice.text
    assert "battery.series" not in bike.assumed and "battery.capacity_ah" in bike.assumed


def test_a_log_is_looked_at_without_a_bike_and_bikes_are_taken_up_again(qtbot, start):
    page = start.stations["start"]
    page.look_at(demo.HERON)  # no log
    qtbot.waitUntil(lambda: start.notice.isVisible())
    assert start.desk.bike is None and start.current == "start"
    page.look_at(demo.ROUND)
    qtbot.waitUntil(lambda: start.desk.ride.count == 1)
    assert start.current == "rides" and start.desk.bike.assumed
    start.show_station("start")
    qtbot.waitUntil(lambda: "Take up Bike of bakery-round again" in texts(start))
    click(qtbot, find(start, "Take up Bike of bakery-round again"))
    assert start.current in ("build", "tune")


def test_a_garage_from_an_older_version_says_that_it_was_brought_up_to_date(qtbot, own_demo_garage, open_window):
    own_demo_garage.updated = True
    window = open_window(own_demo_garage)
    qtbot.waitUntil(lambda: "came from an older version" in window.notice.text and "copies" in window.notice.text)


def test_a_ruler_is_a_slider_for_whoever_cannot_see_it_and_what_has_the_focus_is_copied(qtbot, demo_window):
    window = demo_window
    go(qtbot, window, "tune")
    ruler = window.stations["tune"].rulers["drive.battery_current_a"]
    assert QAbstractSlider.value(ruler) == round(ruler.value) and ruler.maximum() >= 40
    assert ruler.accessibleDescription() == "36 A" and "battery" in ruler.accessibleName().lower()
    QAbstractSlider.setValue(ruler, 30)  # as a screen reader sets it
    qtbot.waitUntil(lambda: window.desk.draft.tune.drive.battery_current_a == 30.0)
    ruler.setFocus()
    pressed(qtbot, window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert "30 A" in QApplication.clipboard().text()
    pressed(qtbot, window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert window.theme is HIGH_CONTRAST
    keep(window)
    take_up(window)
    assert window.theme is HIGH_CONTRAST


@pytest.mark.long
def test_a_chart_s_figures_are_a_table_one_key_away_and_are_copied(qtbot, demo_window):
    window = demo_window
    for station, head in (("tune", "speed, km/h"), ("rides", "time"), ("verdict", "speed, km/h")):
        window.show_station(station)
        qtbot.waitUntil(lambda: window.desk.draft.prediction is not None)
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        pressed(qtbot, window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
        table = window.helping.table
        assert table.isVisible() and table.table.horizontalHeaderItem(0).text() == head and table.table.rowCount() > 10
        click(qtbot, find(table, "Copy the table"))
        lines = QApplication.clipboard().text().split("\n")
        assert lines[0].startswith(head) and len(lines) == table.table.rowCount() + 1
        click(qtbot, find(table, "Close the table"))
    chart = window.stations["tune"].chart
    chart.point_at(20.0)
    assert "speed, km/h 20.0" in chart.accessibleDescription() and "limited by" in chart.accessibleDescription()
    window.show_station("hookup")
    window.helping.show_figures()
    assert "No chart" in window.notice.text
