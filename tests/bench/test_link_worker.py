"""The link on its thread: it tells what happened, keeps nobody waiting, finds a lost controller again, and ends cleanly."""

import pytest

from crisp_hornet.bench.link_worker import Link
from crisp_hornet.demo import HERON
from crisp_hornet.documents.maps import shipped_maps
from crisp_hornet.documents.store import read_bike
from crisp_hornet.link.difference import difference
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.marker import FileJournal
from crisp_hornet.link.operations import Detect, SendTune, Watched
from crisp_hornet.link.report import Outcome

BIKE = read_bike(HERON)


@pytest.fixture
def link(qtbot, qapp, tmp_path):
    made = Link(lambda: (shipped_maps(), []), lambda: FileJournal(tmp_path / "sending"))
    yield made
    made.close()
    assert made._thread.isFinished()


@pytest.fixture
def connected(qtbot, link, standin):
    link.connect_to(standin.port, "TW60-00417")
    qtbot.waitUntil(lambda: link.live is not None)
    return link


def test_a_contact_is_told_with_all_that_is_known(connected):
    made = connected.contact
    assert made.identity.serial == "TW60-00417" and made.doubts == [] and made.interrupted is None and not made.shown
    assert made.tune.drive.phase_current_a == 90 and len(made.backup.registers) == len(made.raws)
    assert made.ways_to_show == ["brake", "back"] and not connected.busy


@pytest.mark.long
def test_another_controller_than_expected_raises_a_doubt(qtbot, link, standin):
    link.connect_to(standin.port, "TW60-00001")
    qtbot.waitUntil(lambda: link.contact is not None)
    assert [doubt.id for doubt in link.contact.doubts] == ["wrong-bike"]


def test_a_port_that_fails_is_told_and_leaves_nobody_connected(qtbot, link, tmp_path):
    with qtbot.waitSignal(link.failed) as told:
        link.connect_to(str(tmp_path / "none"))
    assert "no such port" in told.args[0] and link.contact is None and not link.busy and not link.waiting_for


def test_a_lost_controller_is_taken_up_again_and_must_show_itself_anew(qtbot, connected, standin):
    standin.do("turn-back 1")
    qtbot.waitUntil(lambda: bool(connected.contact.shown))
    standin.do("turn-back 0")
    with qtbot.waitSignal(connected.failed):
        standin.do("unplug")
    assert connected.waiting_for == standin.port and connected.contact is None
    with qtbot.waitSignal(connected.contact_made):
        standin.do("plug")
    assert not connected.waiting_for and not connected.contact.shown


def test_after_letting_go_nothing_is_looked_for(qtbot, connected, standin):
    connected.disconnect_now()
    assert connected.contact is None and not connected.waiting_for
    told = []
    connected.contact_made.connect(told.append)
    standin.do("unplug")
    standin.do("plug")
    answered = []
    connected.read("anything", lambda contact: 1, answered.append)  # behind whatever the thread still had to do
    qtbot.waitUntil(lambda: bool(answered))
    assert told == [] and connected._worker._resume is None


def test_work_is_done_on_the_thread_and_its_errors_come_back(qtbot, connected):
    found = []
    connected.read("reading", lambda contact: contact.line.wire.read_settings(0x0100, 1), found.append)
    assert connected.busy == "reading"
    qtbot.waitUntil(lambda: len(found) == 1)
    assert found[0] == [180] and not connected.busy
    connected.read("reading", lambda contact: contact.line.wire.read_settings(0x0900, 1), found.append)
    qtbot.waitUntil(lambda: len(found) == 2)
    assert isinstance(found[1], LinkError) and "no such register" in str(found[1])
    connected.perform_quietly(Detect(), found.append)
    assert not connected.busy
    qtbot.waitUntil(lambda: len(found) == 3)
    assert found[2].outcome is Outcome.REFUSED and "has not shown" in found[2].message


def test_a_closed_link_answers_nobody(qapp, connected):
    found = []
    connected.read("reading", lambda contact: contact.line.wire.read_settings(0x0100, 1), found.append)
    connected.close()  # the work was done on the thread; its answer still lies in the queue
    for _ in range(20):
        qapp.processEvents()
    assert found == []


def test_work_without_a_contact_says_so(qtbot, link):
    found = []
    link.read("anything", lambda contact: 1, found.append)
    qtbot.waitUntil(lambda: len(found) == 1)
    assert "no controller is connected" in str(found[0])


def shown(qtbot, link, standin):
    standin.do("turn-back 1")
    qtbot.waitUntil(lambda: bool(link.contact.shown))
    standin.do("turn-back 0")
    qtbot.waitUntil(lambda: link.live.values["motor_rpm"] > -3)


def send(link, tune, done):
    changes = difference(link.contact.map, link.contact.raws, tune)
    link.perform("sending", SendTune(tune, tuple(changes), True, Watched(BIKE)), (), done.append)


def test_a_send_is_ordered_proved_and_its_raws_are_known(qtbot, connected, standin):
    shown(qtbot, connected, standin)
    tune = connected.contact.tune.with_setting("battery_guard.fade_end_v", 46.5).with_setting(
        "battery_guard.fade_start_v", 48.0
    )
    told = []
    send(connected, tune, told)
    assert connected.writing
    qtbot.waitUntil(lambda: bool(told))
    assert told[0].outcome is Outcome.PROVED and not connected.writing
    assert difference(connected.contact.map, connected.contact.raws, tune) == []
    assert standin.shows("battery_guard.fade_start_v") == ("48.0", "48.0")


@pytest.mark.long
def test_a_send_can_be_stopped(qtbot, connected, standin):
    tune = connected.contact.tune.with_setting("drive.phase_current_a", 110.0)
    shown(qtbot, connected, standin)
    told = []
    connected.progress.connect(lambda _progress: connected.stop())
    send(connected, tune, told)
    qtbot.waitUntil(lambda: bool(told))
    assert told[0].outcome in (Outcome.STOPPED, Outcome.PROVED)  # it may have been faster than the word
    running, kept = standin.shows("drive.phase_current_a")
    assert running == kept == ("90.0" if told[0].outcome is Outcome.STOPPED else "110.0")


def test_live_values_come_at_the_asked_rate(qtbot, connected):
    times = []
    connected.live_changed.connect(lambda live: times.append(live.at_s))
    asked = []
    connected._ask_live_every.connect(asked.append)
    connected.want_rate("recording", 20)
    connected.want_rate("calibrate", 25)
    connected.want_rate("calibrate", None)  # whoever goes away slows down nobody else
    connected.want_rate("recording", None)
    assert asked == [20, 20, 20, 40]
    qtbot.waitUntil(lambda: len(times) > 12)
    assert times == sorted(times)
