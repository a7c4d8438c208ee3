"""Every job of practice solved in the real window, against the stand-in process: by the ordinary stations, the test stand and the sheet."""

import json
from functools import reduce

import pytest

from crisp_hornet.bench.app import link_of
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.practice.practising import Practising
from crisp_hornet.bench.practice.room import practice_room
from crisp_hornet.bench.window import Window
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.difference import changes_to
from crisp_hornet.link.operations import WriteCalibration
from crisp_hornet.link.report import Outcome as Sent
from crisp_hornet.practice.jobs import shipped
from crisp_hornet.practice.judging import Outcome
from crisp_hornet.practice.progress import Progress
from tests.amount import of
from tests.bench.driving import click, find, texts
from tests.bench.linking import connect, send_and_wait

JOBS = shipped()
pytestmark = pytest.mark.realtime


@pytest.fixture
def practise(qtbot, qapp, tmp_path):
    """Opens the window on a job; all is closed at the end."""
    opened = []

    def open_one(number, **more):
        room_of = practice_room(JOBS[number - 1], Progress(tmp_path / "practice"), **more)
        garage, room = room_of.__enter__()
        window = Window(Desk(garage), link_of(garage), simulated=room.simulated, practising=Practising(room))
        window.asks = lambda _window, _question: True
        window.show()
        with qtbot.waitActive(window):
            window.activateWindow()
        opened.append((window, room_of))
        return window

    def close(window):
        room_of = next(one for known, one in opened if known is window)
        opened.remove((window, room_of))
        window.finish()
        window.close()
        room_of.__exit__(None, None, None)

    open_one.close = close
    yield open_one
    for window, _ in list(opened):
        close(window)


def hand_over(qtbot, window, sentence="", ending="ride"):
    window.practice.show_job()
    sheet = window.practice.sheet
    sheet.sentence.setText(sentence)
    sheet.endings[ending].setChecked(True)
    with qtbot.waitSignal(window.practising.judged):
        click(qtbot, sheet.give)
    return window.practising.judgement


def take(qtbot, window, step, cures=True):
    """One step of a cure by the window; what ``cures`` nothing may be refused by it too."""
    drawn, job, desk, link = window.practising.room.drawn, window.practising.job, window.desk, window.link
    if step.restore:
        window.stations["send"].restore(min(desk.story.backups(), key=lambda one: one[0])[1])
        assert send_and_wait(qtbot, window, keep=True).outcome is Sent.PROVED
    settings = {name: drawn.value(asked, job) for name, asked in (step.set or {}).items()}
    if settings and all(name.startswith("calibration.") for name in settings):
        show_the_bike(qtbot, window)
        assert window.simulated.act("brake 1") == "ok"  # held, or an uncalibrated throttle would turn the wheel
        qtbot.waitUntil(lambda: link.live.values["wheel_speed_kmh"] == 0 and link.live.values["brake"] == 1)
        reports = []
        operation = WriteCalibration(tuple(changes_to(link.contact.map, link.contact.raws, settings)))
        asked = [one.id for one in link.contact.questions(operation)]
        link.perform("writing a calibration", operation, asked, reports.append)
        qtbot.waitUntil(lambda: bool(reports) and not link.busy)
        assert reports[0].outcome is Sent.PROVED, reports[0]
        assert window.simulated.act("brake 0") == "ok"
    elif settings:
        tune = desk.held.tune.model_dump(mode="json", by_alias=True, exclude_unset=True)
        for name, value in settings.items():  # at once: a pair may be crossed in between
            *groups, last = name.split(".")
            reduce(dict.__getitem__, groups, tune)[last] = value
        desk.draft.set(Tune.model_validate(tune))
        window.show_station("send")
        if not cures and "Nothing overrides a stop" in texts(window):
            return  # the watch list does not let it through: that cures nothing either
        if link.live.values["wheel_speed_kmh"] > 0:  # it turns by itself: the lever is held meanwhile
            show_the_bike(qtbot, window)
            assert window.simulated.act("brake 1") == "ok"
            qtbot.waitUntil(lambda: link.live.values["wheel_speed_kmh"] == 0)
        report = send_and_wait(qtbot, window, keep=True)
        assert report.outcome is Sent.PROVED or (not cures and report.outcome is Sent.STOPPED), report
        assert window.simulated.act("brake 0") == "ok"
    for path, asked in (step.document or {}).items():
        learn(desk, path, drawn.value(asked, job))
    if step.act is not None:
        line = step.act
        for path, figure in drawn.figures.items():
            line = line.replace("{" + path + "}", f"{figure:.6g}")
        assert window.simulated.act(line) == "ok", line
        if step.act == "key-off" and link.contact is not None:
            read_again(qtbot, window)


def learn(desk, path, value):
    if path.startswith("chain."):
        last = desk.bike.chain[-1].model_copy(update={path.removeprefix("chain."): value})
        desk.active.change(desk.bike.model_copy(update={"chain": [*desk.bike.chain[:-1], last]}), "chain")
    else:
        desk.active.change(desk.bike.with_value(path, value, "entered"), path)


def show_the_bike(qtbot, window):
    """The lever pulled twice by hand, as Send asks before the first write of a contact."""
    if window.link.contact.shown:
        return
    for pulls in (1, 2):
        assert window.simulated.act("brake 1") == "ok"
        qtbot.waitUntil(lambda pulls=pulls: window.link.lever_pulls >= pulls)
        assert window.simulated.act("brake 0") == "ok"
        qtbot.waitUntil(lambda: window.link.live.values["brake"] == 0)
    qtbot.waitUntil(lambda: bool(window.link.contact.shown))


def read_again(qtbot, window):
    window.link.disconnect_now()
    qtbot.waitUntil(lambda: window.link.contact is None)
    connect(qtbot, window, window.simulated.port)


# one of each kind of cure; the others in a long run, and all of them by a machine (`tests/practice`)
@pytest.mark.parametrize("number", of([1], range(2, 17)))
def test_a_job_is_solved_in_the_window(qtbot, practise, number):
    window = practise(number, seed=2)
    practising, job = window.practising, JOBS[number - 1].job
    if not job.by_hand:
        connect(qtbot, window, window.simulated.port)
    for step in job.cure:
        take(qtbot, window, step)
    written = any(step.set or step.restore for step in job.cure)
    if written:
        assert window.simulated.act("brake 0") == window.simulated.act("key-off") == "ok"
        read_again(qtbot, window)
    with qtbot.waitSignal(practising.ridden):
        practising.ride(min(job.roads, key=lambda name: job.roads[name].longest_s))
    said = next((step for step in reversed(job.cure) if step.said), None)
    judged = hand_over(qtbot, window, said.said if said else "", said.ending if said else "ride")
    assert judged.outcome is Outcome.SOLVED, judged.lines
    qtbot.waitUntil(lambda: job.debrief[0] in texts(window.practice.sheet))
    assert job.complaint[0] in texts(window.practice.sheet)
    assert practising.room.progress.of(practising.room.file.key).state == "solved"


@pytest.mark.long
@pytest.mark.parametrize("number", of([2], [1, 3, 4, 5, 6, 7, *range(8, len(JOBS) + 1)]))
def test_a_wrong_cure_in_the_window_solves_nothing(qtbot, practise, number):
    window = practise(number, seed=2)
    practising, job = window.practising, JOBS[number - 1].job
    if not job.by_hand:
        connect(qtbot, window, window.simulated.port)
    for step in job.wrong[0].steps:
        take(qtbot, window, step, cures=False)
    with qtbot.waitSignal(practising.ridden):
        practising.ride(min(job.roads, key=lambda name: job.roads[name].longest_s))
    judged = hand_over(qtbot, window, "It is mended now.")
    assert judged.outcome in (Outcome.NOT_YET, Outcome.ENDED), (job.wrong[0].says, judged.lines)
    assert practising.room.progress.of(practising.room.file.key).state != "solved"


@pytest.mark.long
def test_hints_open_one_by_one_and_a_job_is_left_and_taken_up(qtbot, practise):
    window = practise(3, seed=1)
    window.practice.show_job()
    sheet = window.practice.sheet
    assert "Is it the hand" not in texts(sheet)
    click(qtbot, find(sheet, "Open hint 1 of 3"))
    qtbot.waitUntil(lambda: "1. Is it the hand or the reading?" in texts(sheet))
    assert "Set the volts" not in texts(sheet)
    assert hand_over(qtbot, window).outcome is Outcome.NOT_YET
    qtbot.waitUntil(lambda: "Not yet" in texts(sheet))
    assert "V at rest" not in texts(sheet)  # the cause is not given away
    window.simulated.act("set drive.phase_current_a 77")
    before = json.loads(window.simulated.act("snapshot").removeprefix("is "))
    practise.close(window)

    again = practise(3)
    assert again.practising.room.drawn.seed == 1 and again.practising.hints == 1
    after = json.loads(again.simulated.act("snapshot").removeprefix("is "))
    assert after["running"] == before["running"] and after["sensors"] == before["sensors"]
    assert [row[1] for row in after["journal"]] == [row[1] for row in before["journal"]]
    with pytest.raises(DocumentError, match="open in another window"):
        practise(3)
    again.simulated.act("set drive.phase_current_a 66")
    state = again.practising.room.progress.state_file(JOBS[2].key)
    kept = state.stat().st_mtime_ns
    qtbot.waitUntil(lambda: state.stat().st_mtime_ns != kept)  # kept by itself: a kill would not lose it
    raw = again.practising.room.before["running"]["drive.phase_current_a"]
    assert json.loads(state.read_bytes())["running"]["drive.phase_current_a"] == round(raw * 66 / 115)


def test_a_ride_is_logged_told_and_can_be_stopped_and_instruments_and_mends_are_at_the_test_stand(qtbot, practise):
    window = practise(2, seed=1)
    with qtbot.waitSignal(window.practising.ridden):
        window.practising.ride("lane")
    assert "It stood." in window.notice.text and window.desk.ride.count == 1
    window.practising.ride("yard")
    click(qtbot, window.practice_bar.stop)
    qtbot.waitUntil(lambda: not window.practising.busy)
    assert "Stopped." in window.notice.text and window.desk.ride.count == 1
    window.show_test_stand()
    tools = window.test_stand.tools
    click(qtbot, find(window.test_stand, "Read: Voltmeter"))
    assert 50 < float(tools.readings["volts"]) < 67
    click(qtbot, find(window.test_stand, "Set the lever's magnet right"))
    with qtbot.waitSignal(window.practising.ridden):
        window.practising.ride("lane")
    assert "It stood." not in window.notice.text
