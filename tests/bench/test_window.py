"""The window as a whole: job line, empty garage, wrong files, both themes, long words, cancelled imports."""

import json
from itertools import combinations, product
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QWidget

from crisp_hornet.bench import stations
from crisp_hornet.bench.theme import DARK, HIGH_CONTRAST, LIGHT, SEVERITIES, TRUTHS
from crisp_hornet.demo import FACTORY, HERON
from crisp_hornet.garage.glance import Glance
from crisp_hornet.garage.store import Store
from tests.bench.driving import click, go, texts
from tests.bikes import BIKE, changed


def luminance(color):
    channel = [
        value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4
        for value in (color.redF(), color.greenF(), color.blueF())
    ]
    return 0.2126 * channel[0] + 0.7152 * channel[1] + 0.0722 * channel[2]


def contrast(theme, one, other):
    high, low = sorted((luminance(theme.color(one)), luminance(theme.color(other))), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", [LIGHT, DARK, HIGH_CONTRAST], ids=lambda theme: theme.name)
def test_every_colour_can_be_read(theme):
    for word, surface in product(
        ("text", "quiet", "drafted", "controller", "measured", *SEVERITIES), ("ground", "sheet")
    ):
        assert contrast(theme, word, surface) >= 4.5, (word, surface)
    assert contrast(theme, "on_ink", "ink") >= 4.5
    assert (
        len({getattr(theme, one) for one in (*TRUTHS, "text", "ink", "quiet", "stop", "warn")}) >= 7
    )  # the truths share with nobody


# What is seen without one kind of cone (G. M. Machado, M. M. Oliveira, L. A. F. Fernandes, A Physiologically-based Model for Simulation of
# Color Vision Deficiency, IEEE TVCG 15 (2009), severity 1.0), on linear red, green, blue.
BLIND = {
    "protan": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "deutan": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "tritan": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}


@pytest.mark.parametrize("kind", BLIND)
@pytest.mark.parametrize("theme", [LIGHT, DARK, HIGH_CONTRAST], ids=lambda theme: theme.name)
def test_the_truths_are_told_apart_without_a_kind_of_cone(theme, kind):
    def seen(token):
        color = theme.color(token)
        linear = [
            (one / 12.92 if one <= 0.04045 else ((one + 0.055) / 1.055) ** 2.4)
            for one in (color.redF(), color.greenF(), color.blueF())
        ]
        return np.clip(np.array(BLIND[kind]) @ linear, 0, 1) ** (1 / 2.2)

    for one, other in combinations(TRUTHS, 2):
        assert np.linalg.norm(seen(one) - seen(other)) >= 0.12, (one, other)


@pytest.mark.long
def test_every_station_has_its_number(qtbot, demo_window):
    assert [button.number for button in demo_window.job_line.buttons.values()] == [1, 2, 3, 4, 5, 6, 7, 8]
    for number in demo_window.stations:
        go(qtbot, demo_window, number)
        assert demo_window.job_line.buttons[number].isChecked()


def test_an_empty_garage_says_on_every_page_where_to_begin(qtbot, empty_window):
    for number, words in (
        (1, "Open a bike file"),
        (2, "Open a bike on Build"),
        (4, "Open a bike and a tune"),
        (5, "Nothing to send"),
        (6, "No ride yet"),
        (7, "No ride to analyse"),
        (8, "Nothing yet"),
    ):
        go(qtbot, empty_window, number)
        assert words in texts(empty_window), number


def test_a_bike_alone_starts_with_a_gentle_draft_that_nothing_warns_about(qtbot, empty_window):
    empty_window.stations["build"].read_bike(HERON)
    go(qtbot, empty_window, 4)
    click(qtbot, empty_window.act_button)
    assert empty_window.desk.draft.tune.name == "Gentle start"
    assert empty_window.desk.watch.warnings == []


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "the file is empty"),
        (b'{"format": "crisp-hornet/bike", "version": 1, "name": "x", "name": "y"}', "'name' stands twice"),
        (json.dumps(changed(BIKE, motor__phase_resistance_ohm=-0.1)).encode(), "motor.phase_resistance_ohm"),
        (json.dumps(changed(BIKE, battery__series="sixteen")).encode(), "must be a whole number"),
    ],
)
def test_a_bad_bike_file_is_explained_and_changes_nothing(qtbot, demo_window, tmp_path, content, words):
    path = tmp_path / "bad.json"
    path.write_bytes(content)
    demo_window.stations["build"].read_bike(path)
    assert words in demo_window.notice.text and "bad.json" in demo_window.notice.text
    assert demo_window.desk.bike.name == "Heron"
    qtbot.waitUntil(lambda: demo_window.notice.isVisible())


def test_a_tune_file_becomes_the_draft_and_undo_brings_the_other_back(qtbot, demo_window):
    demo_window.stations["build"].read_tune(FACTORY)
    assert demo_window.desk.draft.tune.name == "Factory" and demo_window.desk.draft.differing == []
    demo_window.desk.undo_stack.undo()
    assert demo_window.desk.draft.tune.name == "Daily, stronger uphill"


@pytest.mark.long
def test_switching_the_theme_keeps_the_work(qtbot, demo_window):
    demo_window.desk.draft.change("drive.battery_current_a", 33.0)
    go(qtbot, demo_window, 7)
    qtbot.keyClick(demo_window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert demo_window.theme is DARK and demo_window.current == "verdict"
    assert all(widget.theme is DARK for widget in demo_window.findChildren(QWidget) if hasattr(widget, "theme"))
    assert demo_window.desk.draft.tune.setting("drive.battery_current_a") == 33


def test_a_bad_log_is_explained_and_a_cancelled_import_is_dropped(qtbot, demo_window, tmp_path):
    rides = demo_window.stations["rides"]
    bad = tmp_path / "bad.csv"
    bad.write_text("time_s,pack_v\n0,60\n1,sixty\n")
    rides.import_file(bad)
    qtbot.waitUntil(lambda: "1 cell of pack without a figure" in demo_window.notice.text)
    junk = tmp_path / "junk.csv"
    junk.write_text("no table at all")
    rides.import_file(junk)
    qtbot.waitUntil(lambda: "no table of figures" in demo_window.notice.text)
    good = tmp_path / "good.csv"
    good.write_text("time_s,pack_v,colour\n0,60,red\n1,59,blue\n1,58,green\n")
    rides.import_file(good)
    rides._cancel_import()
    assert demo_window.desk.ride.cleaned.name == "bad"
    rides.import_file(good)
    qtbot.waitUntil(lambda: demo_window.desk.ride.cleaned.name == "good")
    assert "1 of 3 rows left out" in demo_window.notice.text and "colour" in demo_window.notice.text


def test_the_cursor_moves_by_key_and_shows_every_value(qtbot, demo_window):
    go(qtbot, demo_window, 6)
    traces = demo_window.stations["rides"].traces
    before = traces.at_s
    qtbot.keyClick(traces, Qt.Key.Key_Right)
    assert traces.at_s == pytest.approx(before + 0.2)
    assert "km/h" in traces.values_at_cursor() and " V" in traces.values_at_cursor()


def test_findings_jump_to_their_moment(qtbot, demo_window):
    go(qtbot, demo_window, 7)
    page = demo_window.stations["verdict"]
    finding = next(one for one in page.found if one.at_s is not None)
    button = next(
        one
        for one in demo_window.findChildren(QWidget)
        if one.accessibleName().startswith(f"Show the moment of {finding.id},") and one.isVisible()
    )
    click(qtbot, button)
    assert page._traces.at_s == pytest.approx(finding.at_s)


def test_notes_are_kept_and_found(qtbot, demo_window):
    go(qtbot, demo_window, 8)
    page = demo_window.stations["logbook"]
    page.note.setFocus()
    qtbot.keyClicks(page.note, "chain oiled")
    qtbot.keyClick(page.note, Qt.Key.Key_Return)
    assert page.entries[0].title == "chain oiled"
    qtbot.keyClicks(page.search, "OILED")
    qtbot.waitUntil(lambda: "Heron taken in" not in texts(page))
    qtbot.waitUntil(lambda: "chain oiled" in texts(page))


@pytest.mark.long
def test_everything_that_can_be_pressed_has_a_name_and_long_words_stay_inside(qtbot, demo_window):
    demo_window.desk.draft.tune = demo_window.desk.draft.tune.model_copy(update={"name": "A name that goes on " * 8})
    demo_window.desk.said.emit("warn", "A long message. " * 30)
    for number in (1, 2, 4, 5, 6, 7, 8):
        go(qtbot, demo_window, number)
        for widget in demo_window.findChildren(QWidget):
            if (
                widget.isVisible()
                and widget.focusPolicy() & Qt.FocusPolicy.TabFocus
                and type(widget).__module__.startswith("crisp_hornet")
            ):
                assert widget.accessibleName(), (number, widget)
        assert demo_window.width() == 1280 and demo_window.height() == 800


def test_a_repaint_asks_no_database_and_no_station_reaches_into_the_garage(qtbot, demo_window, monkeypatch):
    for station in demo_window.stations:
        go(qtbot, demo_window, station)
    QApplication.processEvents()
    asked = []
    monkeypatch.setattr(Store, "session", lambda self: asked.append("session"))
    monkeypatch.setattr(Glance, "_rows", lambda self, *_: asked.append("glance"))
    for page in [*demo_window.stations.there, demo_window]:
        page.grab()
    assert asked == []
    for source in (Path(stations.__file__).parent).rglob("*.py"):
        assert "desk.garage" not in source.read_text(), source
