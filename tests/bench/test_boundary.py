"""Errors that nobody foresaw: from every background job, slot and painting; the window lives, says so, and keeps the draft."""

import sys
import threading

import pytest
from PyQt6.QtCore import QObject, QTimer, qWarning
from PyQt6.QtWidgets import QAbstractButton, QApplication, QPushButton

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.boundary import Boundary, guard, log_into
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.operations import Detect
from tests.amount import LONG
from tests.bench.driving import find, go, texts
from tests.bench.linking import beside, connect, show_bike

BATTERY = "drive.battery_current_a"


class Surprise(Exception):
    pass


def surprise(*_args, **_more):
    raise Surprise("nobody foresaw this")


@pytest.fixture
def guarded(demo_window, tmp_path):
    """The window as the application runs it: behind the boundary, with its log."""
    boundary = Boundary()
    boundary.caught.connect(demo_window.tell_unforeseen)
    assert len(list(demo_window.stations.items())) == 8  # all looked at: what each has is there
    demo_window.log_file, demo_window.boundary = log_into(tmp_path / "logs"), boundary
    with guard(boundary):
        yield demo_window


def jobs_of(window):
    """Every background job that any station or panel has."""
    return [
        (f"{type(owner).__name__}.{name}", job)
        for owner in (window, *window.findChildren(QObject))
        for name, job in vars(owner).items()
        if isinstance(job, Background)
    ]


def at_rest(window):
    """Nothing runs beside and nothing is put off: a newer job of the same kind would make an earlier one's answer stale."""
    put_off = any(timer.isSingleShot() and timer.isActive() for timer in window.findChildren(QTimer))
    return not put_off and not any(job.running for _, job in jobs_of(window))


def lives(qtbot, window):
    """It is asked to do something, and does."""
    before = window.desk.draft.tune.setting(BATTERY)
    window.desk.draft.change(BATTERY, before - 1)
    QApplication.processEvents()
    assert window.desk.draft.tune.setting(BATTERY) == before - 1
    window.desk.undo_stack.undo()


def test_every_background_job_may_fail(qtbot, guarded):
    jobs = jobs_of(guarded)
    assert len(jobs) >= 10
    for name, job in jobs[:: 1 if LONG else 8]:
        qtbot.waitUntil(lambda: at_rest(guarded))
        guarded.notice.clear()
        guarded.boundary._told.clear()  # the same again within seconds is not told twice
        job.start(surprise)
        qtbot.waitUntil(lambda job=job: not job.running)
        QApplication.processEvents()
        said = guarded.notice.text + texts(guarded)
        assert "not foreseen" in said or "nobody foresaw" in said, name
        lives(qtbot, guarded)
    qWarning("said by Qt")
    log = guarded.log_file.read_text()
    assert "Qt: said by Qt" in log
    assert "Surprise: nobody foresaw this" in log and "Traceback" in log


def test_what_ends_while_the_window_closes_finds_it_there(own_demo_garage, open_window):
    window = open_window(own_demo_garage)
    job, closing = window.stations["logbook"]._packing, threading.Event()
    job.start(lambda: "written" if closing.wait(20) else "")
    window.at_end.append(closing.set)
    open_window.close(window)  # what it says to a window that is gone would fail this test


NAMES = ("_show", "meaning", "caption", "state", "shown", "left", "act_text")


@pytest.mark.long
def test_every_station_s_showing_and_painting_may_fail(qtbot, guarded, monkeypatch):
    for at, (number, station) in list(enumerate(guarded.stations.items()))[:: 1 if LONG else 2]:
        go(qtbot, guarded, number)
        for name in NAMES[at % 5 :: 3 if LONG else 5]:  # some of them at each station, the others at the next ones
            if not hasattr(station, name):
                continue
            with monkeypatch.context() as patch:
                patch.setattr(type(station), name, surprise)
                guarded.desk.draft.changed.emit()
                guarded.desk.bike_changed.emit()
                guarded.link.changed.emit()
                QApplication.processEvents()
                guarded.job_line.buttons["build" if number != "build" else "tune"].click()
                guarded.job_line.buttons[number].click()
                QApplication.processEvents()
        with monkeypatch.context() as patch:
            for child in station.children():
                if hasattr(type(child), "paintEvent") and "crisp_hornet" in type(child).__module__:
                    patch.setattr(type(child), "paintEvent", surprise, raising=False)
            station.repaint()
            QApplication.processEvents()
        lives(qtbot, guarded)
    assert "not foreseen" in guarded.notice.text
    find(guarded, "Copy where the details are").click()
    assert QApplication.clipboard().text() == str(guarded.log_file)


def failing_at_its_first_call(act):
    """Do something whose first function of ours fails; tells whether it came to that."""
    came = []

    def fail(frame, event, _argument):
        if event == "call" and "crisp_hornet" in frame.f_code.co_filename:
            came.append(frame.f_code.co_name)
            surprise()

    sys.settrace(fail)
    try:
        act()
    finally:
        sys.settrace(None)
    return bool(came)


@pytest.mark.long
def test_every_slot_of_a_station_may_fail(qtbot, guarded):
    thrown = 0
    for number, station in guarded.stations.items():
        go(qtbot, guarded, number)
        for one in station.findChildren(QAbstractButton):
            if not one.isVisible() or not one.isEnabled() or (isinstance(one, QPushButton) and one.menu() is not None):
                continue
            guarded.notice.clear()
            guarded.boundary._told.clear()
            if failing_at_its_first_call(one.click):
                thrown += 1
                assert "not foreseen" in guarded.notice.text, one.text()
        lives(qtbot, guarded)
    assert thrown >= 40


def test_an_error_that_says_itself_what_to_do_is_told_as_it_is(qtbot, guarded, monkeypatch):
    def full(*_):
        raise DocumentError("the garage", "", "cannot be written: the disk is full", "Free some space, then try again.")

    monkeypatch.setattr(guarded.desk.garage.jobs, "keep", full)
    monkeypatch.setattr(guarded.desk.garage.tunes, "replace_draft", full)
    monkeypatch.setattr(guarded.desk.garage.book, "log", full)
    guarded.desk.log("note", "x")
    assert "disk is full. Free some space" in guarded.notice.text
    guarded.notice.clear()
    guarded.desk.draft.change(BATTERY, 31.0)
    guarded.desk.draft.keep()
    assert (
        "disk is full" in guarded.notice.text and guarded.desk.draft.tune.setting(BATTERY) == 31
    )  # in hand all the same
    lives(qtbot, guarded)


@pytest.mark.long
def test_the_link_may_fail_and_claims_nothing(qtbot, guarded, standin, monkeypatch):
    beside(guarded, standin)
    connect(qtbot, guarded, standin.port)
    show_bike(qtbot, guarded, standin)
    told = []
    guarded.link.read("reading", surprise, told.append)
    qtbot.waitUntil(lambda: bool(told))
    assert "not foreseen" in str(told[0]) and guarded.link.contact is not None
    monkeypatch.setattr(Detect, "run", surprise)
    guarded.link.perform_quietly(Detect(), told.append)
    qtbot.waitUntil(lambda: len(told) == 2)
    assert told[1].outcome.value == "not proved" and "not known" in told[1].message
    lives(qtbot, guarded)
