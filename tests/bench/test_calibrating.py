"""Calibrate in the real window against the stand-in process, whose true values the application does not know."""

import csv

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit

from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.stations.calibrate.instruments import INSTRUMENTS
from crisp_hornet.bench.test_stand import TestStand
from crisp_hornet.bench.theme import LIGHT
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.standin.sensors import departed
from tests.bench.driving import click, find, go, texts
from tests.bench.linking import beside, connect

TRUTH = departed(1)  # what the stand-in drew; the application is never told


@pytest.fixture
def bench(qtbot, demo_window, standin):
    """Connected, confirmed, and the lever proved."""
    beside(demo_window, standin)
    connect(qtbot, demo_window, standin.port)
    go(qtbot, demo_window, 3)
    page = demo_window.stations["calibrate"]
    click(qtbot, page.confirm)
    record(qtbot, demo_window, "brake", lambda: lever(qtbot, demo_window, standin))
    assert page.view.judgement.verdict.value == "passed", page.view.judgement
    assert page.lever_proved
    return demo_window


def lever(qtbot, window, standin):
    for _ in range(2):
        for pulled in (1, 0):
            standin.do(f"brake {pulled}")
            qtbot.waitUntil(lambda pulled=pulled: window.link.live.values["brake"] == pulled)


def channel_is(qtbot, window, name, check):
    qtbot.waitUntil(lambda: check(window.link.live.values[name]))


def record(qtbot, window, kind, act, **answers):
    page = window.stations["calibrate"]
    page.choose(next(one for one in INSTRUMENTS if one.kind == kind))
    for name, value in answers.items():
        field = page.view.fields[name]
        field.setCurrentText(value) if isinstance(field, Chooser) else field.setText(str(value))
    for _ in range(5):  # on a loaded machine values grow stale meanwhile, and what records stops by itself
        qtbot.waitUntil(lambda: window.act_button.text() == "Record" and window.act_button.isEnabled())
        click(qtbot, window.act_button)
        settle(qtbot, page, 4)
        act()
        settle(qtbot, page, 8)
        if page.view.recording_since is not None:
            break
    click(qtbot, window.act_button)
    qtbot.waitUntil(lambda: page.view.judgement is not None)
    return page.view.judgement


def settle(qtbot, page, samples=16):
    begin = len(page.ring)
    qtbot.waitUntil(lambda: len(page.ring) >= min(begin + samples, 3000))


def twist(qtbot, window, standin, times=4):
    page = window.stations["calibrate"]
    standin.do("brake 1")  # held: the motor stays cut
    for _ in range(times):
        for share in (0, 1):
            standin.do(f"throttle {share}")
            settle(qtbot, page, 22)
    standin.do("throttle 0")
    settle(qtbot, page, 22)
    standin.do("brake 0")


def write(qtbot, window):
    click(qtbot, find(window, "Write it to the controller"))
    qtbot.waitUntil(lambda: not window.link.busy and bool(window.notice.text))
    assert ", permanent" in window.notice.text


def test_nothing_is_recorded_before_the_cautions_and_nothing_turns_before_the_lever(qtbot, demo_window, standin):
    window = demo_window
    go(qtbot, window, 3)
    assert "Hook up the controller" in window.stations["calibrate"].meaning()[1]
    beside(window, standin)
    connect(qtbot, window, standin.port)
    go(qtbot, window, 3)
    page = window.stations["calibrate"]
    assert not window.act_button.isEnabled() and "is secured" in page.meaning()[1]
    click(qtbot, page.confirm)
    page.choose(next(one for one in INSTRUMENTS if one.kind == "motor"))
    assert not page.view.hold.isEnabled() and "Test the brake lever first" in page.meaning()[1]


def test_the_throttle_is_found_written_and_then_reads_the_whole_way(qtbot, bench, standin):
    found = record(qtbot, bench, "throttle", lambda: twist(qtbot, bench, standin))
    span = TRUTH.throttle_full_v - TRUTH.throttle_rest_v
    assert found.verdict.value == "passed", found
    assert abs(found.figures["rest_v"] - TRUTH.throttle_rest_v) < 0.01 * span
    assert abs(found.figures["full_v"] - TRUTH.throttle_full_v) < 0.01 * span
    write(qtbot, bench)
    assert float(standin.shows("calibration.throttle_full_v")[1]) == pytest.approx(found.figures["full_v"], abs=0.002)
    output = record(qtbot, bench, "throttle output", lambda: twist(qtbot, bench, standin, 3))
    assert output.verdict.value == "passed", output
    kept = bench.desk.garage.calibrations.of(bench.desk.bike_id, "throttle")
    assert kept[0].written and kept[0].serial == "TW60-00417"
    assert any("Throttle: passed" in entry.title for entry in bench.desk.garage.book.of(bench.desk.bike_id))


@pytest.mark.long
def test_the_torque_sensor_by_rest_and_a_known_weight(qtbot, bench, standin):
    standin.do("sensor torque_rest_v 0.78")  # clearly not what the controller holds: there is something to write
    rest = record(qtbot, bench, "torque", lambda: settle(qtbot, bench.stations["calibrate"], 90))
    assert rest.verdict.value == "passed", rest
    write(qtbot, bench)

    def hang():
        standin.do(f"pedal {12 * 9.80665 * 0.165:.3f}")
        settle(qtbot, bench.stations["calibrate"], 40)

    standin.do("brake 1")
    hang()  # the weight hangs before the recording begins
    span = record(qtbot, bench, "torque span", hang, weight_kg=12, crank_mm=165)
    assert span.verdict.value == "passed" and span.figures["nm_per_v"] == pytest.approx(TRUTH.torque_nm_per_v, rel=0.03)


@pytest.mark.long
def test_pedals_magnets_temperature_current_and_roll_out(qtbot, bench, standin):
    page = bench.stations["calibrate"]

    def crank():
        standin.do("cadence 20")
        settle(qtbot, page, 220)
        standin.do("cadence 0")
        settle(qtbot, page, 5)

    before = len(page.ring)
    assert before
    # the crank is turned by its clock: count what came, and say how many turns that was
    pulses = record(qtbot, bench, "pedals", crank, turns=1)
    turns = pulses.figures["pulses"] / TRUTH.pedal_pulses
    assert turns > 0.8

    def roll():
        at = bench.link.live.values["wheel_pulses"]
        standin.do("roll 5")
        channel_is(qtbot, bench, "wheel_pulses", lambda shown: (shown - at) % 65536 >= 5)
        settle(qtbot, page)

    magnets = record(qtbot, bench, "speed", roll, turns=5)
    assert magnets.figures["magnets"] == TRUTH.wheel_magnets and magnets.verdict.value == "passed"
    cold = record(qtbot, bench, "temperature", lambda: settle(qtbot, page), known_c=16)
    assert cold.verdict.value == "passed", cold
    zero = record(qtbot, bench, "current", lambda: settle(qtbot, page, 120))
    assert abs(zero.figures["zero_a"] - (TRUTH.current_zero_a + 0.08)) < 0.1
    rolled = record(qtbot, bench, "wheel", lambda: None, distance_m=5.392, turns=4)
    assert rolled.figures["circumference_m"] == pytest.approx(1.348)


@pytest.mark.long
def test_the_kinds_of_sensors_are_found_written_with_proof_and_kept_with_the_bike(qtbot, bench, standin):
    page, desk = bench.stations["calibrate"], bench.desk
    # a hot motor tells the beta of its sensor: believed 3950, truly 3435
    standin.do("sensor ntc_beta 3435")
    standin.do("heat 110")
    channel_is(qtbot, bench, "motor_c", lambda shown: shown < 100)
    beta = record(qtbot, bench, "temperature", lambda: settle(qtbot, page), known_c=110, thermistor="to be found")
    assert beta.verdict.value == "failed" and beta.figures["beta_k"] == pytest.approx(3435, rel=0.02), beta
    write(qtbot, bench)
    assert float(standin.shows("calibration.motor_sensor_beta")[1]) == pytest.approx(3435, rel=0.02)
    channel_is(qtbot, bench, "motor_c", lambda shown: shown > 105)
    # another kind of sensor altogether
    standin.do("sensor thermistor 4")
    standin.do("heat 16")
    platinum = record(qtbot, bench, "temperature", lambda: settle(qtbot, page), known_c=16, thermistor="to be found")
    assert "Pt1000" in platinum.next, platinum
    write(qtbot, bench)
    assert standin.shows("calibration.motor_sensor_kind")[1] == "4.0"
    channel_is(qtbot, bench, "motor_c", lambda shown: abs(shown - 16) < 2)
    click(qtbot, find(bench, "Save to the bike"))
    assert (
        "Pt1000" in desk.bike.sensors.motor_thermistor
        and desk.bike.sources["sensors.motor_thermistor"].origin == "measured"
    )
    # speed from the motor's pulses: a hub that turns along has as many as pole pairs
    pulses = record(qtbot, bench, "speed", lambda: settle(qtbot, page), turns=5, source="motor pulses")
    assert pulses.figures["magnets"] == desk.bike.motor.pole_pairs, pulses
    write(qtbot, bench)
    assert standin.shows("calibration.speed_from")[1] == "1.0"
    click(qtbot, find(bench, "Save to the bike"))
    assert (
        desk.bike.sensors.speed_from == "motor pulses" and desk.bike.sensors.speed_magnets == desk.bike.motor.pole_pairs
    )


@pytest.mark.long
def test_the_controller_zeroes_and_a_ride_with_gps_gives_the_wheel(qtbot, bench, standin):
    standin.do("sensor current_zero_a 0.9")
    page = bench.stations["calibrate"]
    first = record(qtbot, bench, "current", lambda: settle(qtbot, page, 60))
    assert first.verdict.value == "doubtful" and first.figures["zero_a"] == pytest.approx(0.98, abs=0.1)
    click(qtbot, find(bench, "Zero it on the controller"))
    qtbot.waitUntil(lambda: "took the command" in bench.notice.text)
    again = record(qtbot, bench, "current", lambda: settle(qtbot, page, 60))
    assert abs(again.figures["zero_a"]) < 0.1
    click(qtbot, find(bench, "Save to the bike"))
    off = bench.desk.bike.sensors.off("battery_a")  # its zero is known better now, its gain is not
    assert off.zero_spread < 0.15 and off.gain_spread == 0.02 and not bench.desk.bike.sensors.gain_checked("battery_a")
    page.choose(next(one for one in INSTRUMENTS if one.kind == "gps"))
    qtbot.waitUntil(lambda: bench.act_button.text() == "Check the open ride")
    click(qtbot, bench.act_button)
    wheel = page.view.judgement
    assert wheel.figures["circumference_m"] == pytest.approx(
        1.029 * bench.desk.bike.drivetrain.wheel_circumference_m, rel=0.005
    ), wheel


@pytest.mark.long
@pytest.mark.parametrize(
    ("acts", "kind", "words"),
    [
        (("cut torque-signal",), "torque", "broken or shorted to ground"),
        (("cut motor-temp",), "temperature", "broken or unplugged"),
        (("sensor wheel_magnets 2",), "speed", "has 2 magnets, set to 1"),
        (("cut pedal",), "pedals", "No pulse came"),
    ],
)
def test_a_planted_fault_ends_in_the_right_sentence_and_in_the_watch_list(qtbot, bench, standin, acts, kind, words):
    for act in acts:
        standin.do(act)
    page = bench.stations["calibrate"]
    seen = []  # the recording must not begin with what the sensor told before the fault
    bench.link.live_changed.connect(seen.append)
    qtbot.waitUntil(lambda: len(seen) > 10)
    found = record(qtbot, bench, kind, lambda: (standin.do("roll 5"), standin.do("crank 1"), settle(qtbot, page, 40)))
    assert found.verdict.value == "failed" and words in found.reason, found
    qtbot.waitUntil(lambda: words in texts(bench))
    assert page.caption() == f"{kind} failed" and bench.desk.watch.sensors[kind] == "failed"


@pytest.mark.long
def test_a_throttle_that_reads_8_to_91_percent_is_told_so(qtbot, bench, standin):
    standin.do("sensor throttle_rest_v 1.11")
    standin.do("sensor throttle_full_v 3.80")
    found = record(qtbot, bench, "throttle output", lambda: twist(qtbot, bench, standin, 3))
    assert found.verdict.value == "failed" and "% instead of 0 to 100 %" in found.reason, found


def hold_to_the_end(qtbot, window, press, release):
    """Detection to its end, still held. A machine that stalls longer than the dead-man waits is rightly stopped: then it is held again."""
    for _ in range(5):
        press()
        channel_is(qtbot, window, "detect_state", lambda state: state == 1)
        channel_is(qtbot, window, "detect_state", lambda state: state in (2, 3))
        if window.link.live.values["detect_state"] == 2:
            return
        release()
        settle(qtbot, window.stations["calibrate"], 10)
    raise AssertionError("stopped by the dead-man five times")


def test_motor_detection_runs_only_while_held(qtbot, bench, standin):
    page = bench.stations["calibrate"]
    page.choose(next(one for one in INSTRUMENTS if one.kind == "motor"))
    qtbot.waitUntil(lambda: page.view.hold.isVisible() and page.view.hold.isEnabled())
    qtbot.mousePress(page.view.hold, Qt.MouseButton.LeftButton)
    channel_is(qtbot, bench, "detect_state", lambda state: state == 1)
    settle(qtbot, page, 6)
    qtbot.mouseRelease(page.view.hold, Qt.MouseButton.LeftButton)
    channel_is(qtbot, bench, "detect_state", lambda state: state == 3)  # the controller's own time-out
    qtbot.waitUntil(lambda: page.view.judgement is not None or bool(bench.notice.text))
    assert bench.notice.text == "" and page.view.judgement, bench.notice.text
    assert "did not run to its end" in page.view.judgement.reason
    page.setFocus()
    hold_to_the_end(
        qtbot, bench, lambda: qtbot.keyPress(page, Qt.Key.Key_Space), lambda: qtbot.keyRelease(page, Qt.Key.Key_Space)
    )
    qtbot.waitUntil(lambda: "agrees with the bike" in page.view.judgement.reason)
    qtbot.keyRelease(page, Qt.Key.Key_Space)
    assert page.view.judgement.figures["position_offset_deg"] == pytest.approx(TRUTH.position_offset_deg, abs=0.06)
    before = bench.desk.bike
    click(qtbot, find(bench, "Save to the bike"))
    assert bench.desk.bike.sources["motor.flux_linkage_wb"].origin == "measured" and bench.desk.bike != before
    bench.desk.undo_stack.undo()
    assert bench.desk.bike == before


@pytest.mark.long
def test_a_motor_that_turns_backwards_is_told_and_the_direction_found_is_written(qtbot, bench, standin):
    standin.do("sensor direction 1")
    page = bench.stations["calibrate"]
    page.choose(next(one for one in INSTRUMENTS if one.kind == "motor"))
    qtbot.waitUntil(lambda: page.view.hold.isVisible() and page.view.hold.isEnabled())
    hold, left = page.view.hold, Qt.MouseButton.LeftButton
    hold_to_the_end(qtbot, bench, lambda: qtbot.mousePress(hold, left), lambda: qtbot.mouseRelease(hold, left))
    qtbot.waitUntil(lambda: page.view.judgement is not None and "Direction reversed" in page.view.judgement.reason)
    qtbot.mouseRelease(page.view.hold, Qt.MouseButton.LeftButton)
    assert page.view.judgement.verdict.value == "doubtful" and page.view.judgement.figures["direction"] == 1
    standin.do("brake 1")  # it is only written to at standstill
    channel_is(qtbot, bench, "motor_rpm", lambda rpm: abs(rpm) < 2)
    standin.do("brake 0")
    click(qtbot, find(bench, "Write it to the controller"))
    qtbot.waitUntil(lambda: standin.shows("calibration.direction") == ("1.0", "1.0"))


@pytest.mark.long
def test_a_proportional_lever_is_seen_to_go_all_the_way(qtbot, bench, standin):
    def pull(most):
        for _ in range(2):
            for at in (0.3, 0.6, most, 0.6, 0.3, 0.0):
                standin.do(f"brake {at}")
                channel_is(qtbot, bench, "brake", lambda shown, at=at: abs(shown - at) < 0.002)
                settle(qtbot, bench.stations["calibrate"], 3)

    found = record(qtbot, bench, "brake", lambda: pull(1.0))
    assert found.verdict.value == "passed" and "proportional" in found.reason and found.figures["most"] == 1
    found = record(qtbot, bench, "brake", lambda: pull(0.85))
    assert found.verdict.value == "doubtful" and "0 to 85 % instead of 0 to 100 %" in found.reason


def test_the_lever_cuts_a_motor_that_drives(qtbot, bench, standin):
    def drive_and_cut():
        standin.do("throttle 0.35")
        channel_is(qtbot, bench, "phase_a", lambda amps: amps > 6)
        settle(qtbot, bench.stations["calibrate"], 8)
        standin.do("brake 1")
        settle(qtbot, bench.stations["calibrate"], 40)

    found = record(qtbot, bench, "brake cut", drive_and_cut)
    assert found.verdict.value == "passed" and found.figures["cut_s"] <= 0.35, found
    standin.do("throttle 0")


def test_leaving_the_station_or_losing_the_line_stops_what_turns(qtbot, bench, standin):
    page = bench.stations["calibrate"]
    page.choose(next(one for one in INSTRUMENTS if one.kind == "motor"))
    page.setFocus()
    qtbot.keyPress(page, Qt.Key.Key_Space)
    channel_is(qtbot, bench, "detect_state", lambda state: state == 1)
    go(qtbot, bench, 4)
    assert not page.view._deadman.isActive()
    channel_is(qtbot, bench, "detect_state", lambda state: state == 3)


@pytest.mark.long
def test_the_scope_triggers_freezes_measures_and_exports(qtbot, bench, standin, tmp_path):
    page = bench.stations["calibrate"]
    click(qtbot, find(bench, "Calibrate Live scope"))
    view = page.scope_view
    settle(qtbot, page, 30)
    assert view.scope.channels == [
        name for name in page.ring.names if name in ("throttle_v", "phase_a", "battery_a", "motor_rpm")
    ]
    view.window_box.setCurrentIndex(0)
    view.trigger_box.setCurrentText("throttle_v")
    level = find(bench, "trigger level", QLineEdit)
    qtbot.keyClicks(level, "2.5")
    qtbot.keyClick(level, Qt.Key.Key_Return)
    settle(qtbot, page, 4)
    standin.do("throttle 1")
    qtbot.waitUntil(lambda: view.scope.frozen_at is not None)
    standin.do("throttle 0")
    view.scope.setFocus()
    for _ in range(30):  # well before the trigger, whatever the samples' distance
        qtbot.keyClick(view.scope, Qt.Key.Key_Left)
    for _ in range(40):
        qtbot.keyClick(view.scope, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    first, second = view.scope.readings()["throttle_v"]
    assert {round(first), round(second)} == {1, 4}  # before the trigger, and after it
    view.export(tmp_path / "scope.csv")
    rows = list(csv.DictReader((tmp_path / "scope.csv").read_text().splitlines()))
    assert rows[0]["time_s"] == "0.000" and 0.5 < float(rows[-1]["time_s"]) <= 1.0 and "phase_a" in rows[0]
    qtbot.keyClick(view.scope, Qt.Key.Key_Space)
    assert view.scope.frozen_at is None


def test_the_test_stand_by_mouse_and_keyboard(qtbot, standin):
    stand = TestStand(Simulated(ports=(standin.port,), act=standin.do), LIGHT)
    qtbot.addWidget(stand)
    stand.show()
    throttle = stand.rulers["throttle"]
    throttle.setFocus()
    for _ in range(3):
        qtbot.keyClick(throttle, Qt.Key.Key_Right)
    assert throttle.value == 15
    click(qtbot, stand.switches["brake"])
    click(qtbot, stand.switches["cut torque-signal"])
    click(qtbot, find(stand, "Five wheel turns"))
    qtbot.keyClick(stand, Qt.Key.Key_Escape)
    assert throttle.value == 0 and not stand.switches["brake"].isChecked()
    stand.do("juggle 1")
    assert "unknown: juggle" in texts(stand)
