"""The whole job once, through the real window, against the stand-in process over its pseudo-terminal."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt

from crisp_hornet.demo import HERON, ROUND
from crisp_hornet.documents.store import read_bike
from crisp_hornet.garage.garage import Garage
from crisp_hornet.link.report import Held, Outcome
from tests.bench.driving import click, drag, find, go, press, texts
from tests.bench.linking import beside, connect, send_and_wait

BATTERY = "drive.battery_current_a"


def drag_battery_edge(window, by_px):
    chart = window.stations["tune"].chart
    edge = next(one for one in chart.edges if one.setting == BATTERY)
    start = chart.point(edge.kmh, edge.force_n)
    drag(chart, start, [start + QPointF(0, by_px * step / 5) for step in range(1, 6)])


@pytest.mark.slice
def test_the_whole_job(qtbot, tmp_path, open_window, standin):
    folder = tmp_path / "garage"
    window = open_window(Garage(folder), standin.port)
    beside(window, standin)
    desk = window.desk

    # 1 know the bike
    assert "no bike yet" in texts(window)
    window.stations["build"].read_bike(HERON)
    qtbot.waitUntil(lambda: "Heron" in window.stations["build"].caption())

    # 2 hook up: identity and backup by themselves
    connect(qtbot, window, standin.port)
    assert "TW60-00417" in texts(window) and "3.2.1" in texts(window)
    assert len(desk.garage.backups.of(desk.bike_id)) == 1
    assert desk.held.tune.setting(BATTERY) == 30

    # 4 drag the battery edge; 5 Send shows that one change
    go(qtbot, window, 4)
    before = desk.draft.prediction.curve.wheel_force_n.copy()
    drag_battery_edge(window, -25)
    drafted = desk.draft.tune.setting(BATTERY)
    assert 31 < drafted <= 40 and desk.draft.differing == [BATTERY]
    assert desk.draft.prediction.curve.wheel_force_n.max() >= before.max()
    assert desk.undo_stack.count() == 1  # a drag is one step of undo
    go(qtbot, window, 5)
    assert [(line.label, line.before, line.after) for line in window.stations["send"].change_list.lines] == [
        ("battery current", "30 A", f"{drafted:g} A")
    ]

    report = send_and_wait(qtbot, window, keep=True)
    assert report.outcome is Outcome.PROVED
    qtbot.waitUntil(lambda: "129 of 129 read back as sent" in texts(window))
    assert standin.shows(BATTERY) == (str(drafted), str(drafted))

    # a second send, and the plug is pulled in the middle of it
    go(qtbot, window, 4)
    desk.draft.change("drive.phase_current_a", 75.0)
    desk.draft.change(BATTERY, 25.0)
    desk.draft.change("drive.speed_taper_kmh", 4.0)
    unchanged = desk.draft.tune
    standin.do("cut-after-writes 1")
    report = send_and_wait(qtbot, window, keep=True)
    assert report.outcome is Outcome.NOT_PROVED
    assert list(report.held.values()).count(Held.UNKNOWN) == 2
    said = texts(window)
    assert "is not known" in said and "Do not ride until the controller has been read again" in said
    assert (desk.draft.tune == unchanged and window.link.contact is None) or not window.link.busy
    qtbot.waitUntil(lambda: window.link.contact is None)
    assert "Not proved" in texts(window.stations["send"])

    # plugged in again: the contact is taken up by itself, what it really holds is read, nothing was kept
    go(qtbot, window, 2)
    assert "when the same controller answers" in texts(window)
    standin.do("plug")
    qtbot.waitUntil(lambda: window.link.contact is not None)
    assert window.link.contact.interrupted is not None and not window.link.contact.shown
    qtbot.waitUntil(lambda: "was interrupted" in texts(window.stations["hookup"]))
    assert desk.held.tune.setting(BATTERY) in (drafted, 25.0)

    # 6 the ride, 7 the verdict
    go(qtbot, window, 6)
    window.stations["rides"].import_file(ROUND)
    qtbot.waitUntil(lambda: desk.ride.cleaned is not None and not window.stations["rides"]._import.running)
    go(qtbot, window, 7)
    assert "Battery current peak 30.2 A" in texts(window)
    click(qtbot, find(window, "verdict Peaks"))
    assert "battery peak 30.2 A" in texts(window)

    # restart on the same garage: it is all in the logbook
    events = [one.title for one in desk.garage.book.of(desk.bike_id)]
    open_window.close(window)
    again = open_window(Garage(folder))
    go(qtbot, again, 8)
    assert [one.title for one in again.stations["logbook"].entries] == events
    words = texts(again)
    for expected in (
        "Heron opened",
        "Backup of Weir 60 kept",
        "Sent with proof",
        "Send not proved",
        "Ride imported: bakery-round",
    ):
        assert expected in words
    assert again.desk.draft.tune == unchanged
    assert again.desk.bike == read_bike(HERON)


def test_the_wheel_turning_stops_a_send_and_says_so(qtbot, demo_window, standin):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    standin.do("throttle 0.3")
    report = send_and_wait(qtbot, window, keep=False)
    assert report.outcome is Outcome.STOPPED
    assert standin.shows(BATTERY) == ("30.0", "30.0")
    qtbot.waitUntil(lambda: "holds what it held before" in texts(window.stations["send"]))


@pytest.mark.long
def test_the_backup_can_be_taken_back(qtbot, demo_window, standin):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    click(qtbot, find(window, "Draft the newest other backup"))
    assert window.desk.draft.tune.setting(BATTERY) == 30
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    assert standin.shows(BATTERY) == ("30.0", "30.0")


def test_a_stop_cannot_be_sent_and_mends_with_one_press(qtbot, demo_window, standin):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    window.desk.draft.change(BATTERY, 44.0)
    go(qtbot, window, 5)
    for box in window.stations["send"].confirmations.values():
        click(qtbot, box)
    assert not window.act_button.isEnabled()
    assert "Nothing overrides a stop" in texts(window)
    qtbot.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert not window.link.busy
    press(qtbot, window, "Lower to 40 A")  # the list is made anew with whatever the line says
    qtbot.waitUntil(lambda: window.desk.draft.tune.setting(BATTERY) == 40)


def test_a_port_that_is_none_is_explained(qtbot, demo_window, tmp_path):
    page = demo_window.stations["hookup"]
    go(qtbot, demo_window, 2)
    page.ports._typed.setFocus()
    qtbot.keyClicks(page.ports._typed, str(Path(tmp_path) / "nothing"))
    qtbot.keyClick(page.ports._typed, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "no such port" in demo_window.notice.text)
    assert "look for ports again" in demo_window.notice.text
