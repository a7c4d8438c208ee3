"""Nothing is written or changed by accident: contacts belong to their bike, ticks to one difference, presses to one page."""

import time

import pytest
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.test_stand import TestStand
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.core.build.kinds import KINDS
from crisp_hornet.link.report import Kept, Outcome
from tests.bench.driving import click, find, go, texts
from tests.bench.linking import beside, connect, send_and_wait, show_bike

BATTERY, PHASE = "drive.battery_current_a", "drive.phase_current_a"
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def connected(qtbot, demo_window, standin):
    beside(demo_window, standin)
    connect(qtbot, demo_window, standin.port)
    show_bike(qtbot, demo_window, standin)
    return demo_window


class Opened(QObject):
    """Hears of every window that opens."""

    def __init__(self):
        super().__init__()
        self.windows = []

    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Show and isinstance(watched, QWidget) and watched.isWindow():
            self.windows.append(watched)
        return False


@pytest.mark.long
def test_a_station_first_looked_at_while_connected_opens_no_window_of_its_own(qtbot, connected):
    opened = Opened()
    QApplication.instance().installEventFilter(opened)
    for station in connected.stations:
        go(qtbot, connected, station)
    QApplication.instance().removeEventFilter(opened)
    assert opened.windows == [] and QApplication.activeWindow() is connected


def another_bike(desk):
    """A second bike in the garage; the first stays open."""
    return desk.garage.bikes.save(desk.bike.model_copy(update={"name": "Another"}))


def confirm_all(qtbot, page):
    qtbot.waitUntil(lambda: bool(page.confirmations))
    for box in page.confirmations.values():
        click(qtbot, box)


@pytest.mark.long
def test_with_another_bike_open_the_contact_ends_and_its_proof_with_it(qtbot, connected):
    connected.desk.open_kept_bike(another_bike(connected.desk))
    assert connected.link.contact is None and not connected.link.waiting_for
    assert "connected anew" in connected.notice.text
    go(qtbot, connected, 5)
    assert "Send" not in connected.act_button.text() or not connected.act_button.isVisible()


@pytest.mark.long
def test_no_other_bike_is_opened_while_one_is_recorded_or_written_to(qtbot, connected, standin):
    desk, rides = connected.desk, connected.stations["rides"]
    bike = desk.bike_id
    go(qtbot, connected, 6)
    rides.recording.waits.setChecked(False)
    rides.recording.start()
    qtbot.waitUntil(lambda: rides.recording.recorder.rows > 5)
    other = another_bike(desk)
    for act in (lambda: desk.open_kept_bike(other), desk.archive_bike, lambda: desk.open_bike(desk.bike)):
        connected.notice.clear()
        act()
        assert desk.bike_id == bike and "being recorded" in connected.notice.text
    assert connected.link.contact is not None
    qtbot.waitUntil(lambda: "recording" in connected.job_line.buttons["rides"].caption)
    go(qtbot, connected, 3)
    go(qtbot, connected, 4)  # Calibrate was visited: the rate stays what the recording wants
    assert min(connected.link._rates.values()) == 20
    before = len(desk.garage.rides.of(bike))
    rides.recording.stop()
    qtbot.waitUntil(lambda: len(desk.garage.rides.of(bike)) == before + 1)
    desk.open_kept_bike(other)
    assert desk.bike_id == other


@pytest.mark.long
def test_ticks_belong_to_one_difference_and_one_look_at_it(qtbot, connected, standin):
    page = connected.stations["send"]
    go(qtbot, connected, 5)
    confirm_all(qtbot, page)
    qtbot.waitUntil(connected.act_button.isEnabled)
    go(qtbot, connected, 4)
    connected.desk.draft.change(BATTERY, 33.0)
    qtbot.waitUntil(lambda: connected.settled)
    QTest.keyClick(connected, Qt.Key.Key_Return, CTRL)  # Tune's act leads to Send
    QTest.keyClick(connected, Qt.Key.Key_Return, CTRL)  # and the second press must not send
    QApplication.processEvents()
    assert connected.current == "send" and not connected.link.writing and not page.questions.confirmed
    qtbot.waitUntil(lambda: connected.settled)
    QTest.keyClick(connected, Qt.Key.Key_Return, CTRL)
    assert not connected.link.writing and standin.shows(BATTERY) == ("30.0", "30.0")
    confirm_all(qtbot, page)
    connected.desk.draft.change(BATTERY, 34.0)  # under the ticks
    assert not page.questions.confirmed and not connected.stations["send"].act_enabled()


@pytest.mark.long
def test_a_press_right_after_a_page_came_up_and_a_held_key_do_nothing(qtbot, connected):
    page = connected.stations["send"]
    go(qtbot, connected, 5)
    confirm_all(qtbot, page)
    connected._shown_at_s = time.monotonic()
    connected.act_button.click()
    assert not connected.link.writing
    from PyQt6.QtGui import QShortcut

    held = [one for one in connected.findChildren(QShortcut) if one.key().toString() in ("Ctrl+Return", "Ctrl+Enter")]
    assert len(held) == 2 and not any(one.autoRepeat() for one in held)


def test_while_sending_the_focus_is_on_stop_and_undo_rests(qtbot, connected):
    page, desk = connected.stations["send"], connected.desk
    go(qtbot, connected, 5)
    confirm_all(qtbot, page)
    qtbot.waitUntil(lambda: connected.settled and connected.act_button.isEnabled())
    connected.act_button.setFocus()
    draft = desk.draft.tune
    QTest.keyClick(connected.act_button, Qt.Key.Key_Space)
    assert connected.link.writing and page._stop.hasFocus()
    connected._refresh()
    assert not find(connected, "undo the last change").isEnabled()
    QTest.keyClick(connected, Qt.Key.Key_Z, CTRL)
    assert desk.draft.tune == draft
    qtbot.waitUntil(lambda: page.report is not None)
    assert page.report.outcome is Outcome.PROVED
    said = "The controller has the new values"
    qtbot.waitUntil(lambda: (on := QApplication.focusWidget()) is not None and on.accessibleName().startswith(said))


@pytest.mark.long
def test_a_trial_is_offered_to_be_kept_and_kept_values_to_be_proved_by_a_power_cycle(qtbot, connected, standin):
    page, desk = connected.stations["send"], connected.desk
    desk.draft.open(desk.held.tune)
    desk.draft.change(BATTERY, 33.0)
    report = send_and_wait(qtbot, connected, keep=False)
    assert report.kept is Kept.NO and standin.shows(BATTERY) == ("33.0", "30.0")
    qtbot.waitUntil(lambda: connected.link.contact.unkept)
    click(qtbot, find(connected, "Make it permanent"))
    qtbot.waitUntil(lambda: connected.act_button.text() == "Make it permanent")
    assert "a power cycle would undo it" in texts(page)
    confirm_all(qtbot, page)
    click(qtbot, connected.act_button)
    qtbot.waitUntil(lambda: page.report is not None and not connected.link.busy)
    assert page.report.kept is Kept.SEEN and standin.shows(BATTERY) == ("33.0", "33.0")
    click(qtbot, find(connected, "Prove it by a power cycle"))
    qtbot.waitUntil(lambda: "Turn the key off" in texts(page))
    stand = TestStand(Simulated(ports=(standin.port,), act=standin.do), LIGHT)
    qtbot.addWidget(stand)
    stand.show()
    click(qtbot, find(stand, "Key off and on"))
    assert "The key is off" in texts(stand)
    qtbot.waitUntil(lambda: connected.link.contact is None)
    qtbot.waitUntil(lambda: "Turn the key on" in texts(page))
    assert not connected.notice.text  # nothing to be alarmed about
    qtbot.waitUntil(lambda: page.report is not None and page.report.kept is Kept.POWER_CYCLED)
    assert page.report.outcome is Outcome.PROVED
    assert any("Power cycle: proved" in entry.title for entry in desk.garage.book.of(desk.bike_id))


@pytest.mark.long
def test_what_a_power_cycle_lost_is_named(qtbot, connected, standin):
    page = connected.stations["send"]
    standin.do("unkept-says 0")
    standin.do("ignore-keep 1")
    report = send_and_wait(qtbot, connected, keep=True)
    assert report.kept is Kept.SAID
    click(qtbot, find(connected, "Prove it by a power cycle"))
    standin.do("key 0")
    qtbot.waitUntil(lambda: connected.link.contact is None)
    standin.do("key 1")
    qtbot.waitUntil(lambda: page.report is not None and page.report.outcome is Outcome.NOT_PROVED)
    assert "battery current" in page.report.message and "now 30 A" in page.report.message


def test_a_wheel_that_passes_over_a_chooser_changes_nothing(qtbot):
    box = Chooser("a choice")
    box.addItems(["one", "two", "three"])
    qtbot.addWidget(box)
    box.show()
    at = QPointF(5, 5)
    event = QWheelEvent(at, at, QPoint(0, 0), QPoint(0, -120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(box, event)
    assert box.currentIndex() == 0 and not box.hasFocus()


@pytest.mark.long
def test_closing_asks_while_something_is_under_way_and_lets_it_end(qtbot, connected, standin):
    page, desk = connected.stations["send"], connected.desk
    go(qtbot, connected, 5)
    confirm_all(qtbot, page)
    click(qtbot, connected.act_button)
    asked = []
    connected.asks = lambda _window, question: asked.append(question) or False
    connected.close()
    assert len(asked) == 1 and "being written to" in asked[0] and connected.isVisible()
    connected.asks = lambda _window, question: asked.append(question) or True
    connected.close()
    assert not connected.isVisible() and not connected.link.busy
    running, kept = standin.shows(BATTERY)
    assert running == kept
    assert any(entry.kind == "send" for entry in desk.garage.book.of(desk.bike_id)[:3])


@pytest.mark.long
def test_closing_while_recording_keeps_the_ride(qtbot, connected):
    rides, desk = connected.stations["rides"], connected.desk
    before = len(desk.garage.rides.of(desk.bike_id))
    go(qtbot, connected, 6)
    rides.recording.waits.setChecked(False)
    rides.recording.start()
    qtbot.waitUntil(lambda: rides.recording.recorder.rows > 40)
    asked = []
    connected.asks = lambda _window, question: asked.append(question) or True
    connected.close()
    assert "being recorded" in asked[0] and len(desk.garage.rides.of(desk.bike_id)) == before + 1


def test_drafts_cards_and_bikes_can_be_brought_back_and_a_new_bike_is_made_once(qtbot, demo_window):
    desk = demo_window.desk
    name = next(iter(desk.draft.named()))
    desk.draft.drop_named(name)
    assert name not in desk.draft.named()
    desk.undo_stack.undo()
    assert name in desk.draft.named()
    was = desk.ride.card
    desk.ride.keep_card(was.model_copy(update={"wind": "12 km/h"}))
    assert desk.ride.card.wind == "12 km/h"
    desk.undo_stack.undo()
    assert desk.ride.card == was and desk.garage.rides.of(desk.bike_id)[0].card == was
    bike, bikes = desk.bike.name, len(desk.garage.glance.bikes()) + 1
    another_bike(desk)
    desk.archive_bike()
    assert "restore it" in demo_window.notice.text and desk.bike.name != bike
    page = demo_window.stations["build"]
    page._garage.start(next(iter(KINDS)))
    page._garage.start(next(iter(KINDS)))
    assert len(desk.garage.glance.bikes()) == bikes + 1 and "Type another name" in demo_window.notice.text


@pytest.mark.long
def test_a_recording_left_behind_goes_to_the_bike_it_began_with(qtbot, connected):
    rides, desk = connected.stations["rides"], connected.desk
    rides.recording.waits.setChecked(False)
    rides.recording.start()
    qtbot.waitUntil(lambda: rides.recording.recorder.rows > 60)
    recorder, rides.recording.recorder = rides.recording.recorder, None  # as a kill leaves it
    recorder._flush(1e9)
    recorder._file.close()
    desk.unpin("a ride is being recorded")
    whose = desk.bike.name
    desk.open_kept_bike(another_bike(desk))
    rides.take_left()
    assert f"begun with {whose}" in connected.notice.text and rides.recording.left()
