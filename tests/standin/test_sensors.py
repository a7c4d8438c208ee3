"""The simulated sensors and line troubles do what they say."""

import math
import statistics

import pytest

from crisp_hornet.demo import HERON
from crisp_hornet.documents.store import read_bike
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.sensors import ABORTED, DONE, RUNNING, WIRES, Sensors, SensorTruth, departed, with_truth
from crisp_hornet.standin.trouble import KINDS, Trouble
from crisp_hornet.standin.truth import true_bike

TRUE = true_bike(read_bike(HERON))


def test_the_throttle_runs_from_rest_to_full_and_wires_send_it_to_the_rails():
    sensors = Sensors(SensorTruth(throttle_rest_v=0.9, throttle_full_v=4.0, throttle_noise_v=0.001))
    for share in (0.0, 0.25, 1.0):
        mean = statistics.mean(sensors.throttle_v(share) for _ in range(50))
        assert mean == pytest.approx(0.9 + 3.1 * share, abs=0.003)
    sensors.cut.add("throttle-signal")
    assert max(sensors.throttle_v(1.0) for _ in range(50)) < 0.1
    sensors.cut = {"throttle-ground"}
    assert min(sensors.throttle_v(0.0) for _ in range(50)) > 4.9


def test_the_torque_sensor_drifts_with_time():
    sensors = Sensors(SensorTruth(torque_noise_v=0.0, torque_drift_v_per_min=0.06, torque_nm_per_v=50.0))
    first = sensors.torque_v(10.0)
    for _ in range(100):
        sensors.step(0.1, Hands(), 0.0)
    assert sensors.torque_v(10.0) - first == pytest.approx(0.01, abs=1e-6)
    assert first == pytest.approx(0.75 + 0.2)


@pytest.mark.parametrize(("missing", "per_turn"), [(None, 12), (4, 11)])
def test_pedal_pulses_count_turns_and_a_missing_magnet_costs_one(missing, per_turn):
    sensors, hands = Sensors(SensorTruth(pedal_pulses=12, pedal_missing=missing)), Hands(cadence_rpm=60.0)
    for _ in range(3001):
        sensors.step(0.001, hands, 0.0)
    assert sensors.pedal_count() == 3 * per_turn
    counts = []
    for _ in range(1000):
        sensors.step(0.001, hands, 0.0)
        counts.append(sensors.pedal_count())
    assert counts == sorted(counts)


def test_wheel_pulses_wrap_and_stop_with_their_wire():
    sensors = Sensors(SensorTruth(wheel_magnets=2))
    sensors.step(0.1, Hands(), 40_000.0)
    assert sensors.wheel_count() == 80_000 % 65_536
    sensors.cut.add("speed")
    assert sensors.wheel_count() == 0


def test_the_ntc_follows_its_formula_and_breaks_open():
    sensors = Sensors(SensorTruth(ntc_beta=3435.0))
    assert sensors.motor_ohm(25.0) == pytest.approx(10_000)
    assert sensors.motor_ohm(60.0) == pytest.approx(10_000 * math.exp(3435 * (1 / 333.15 - 1 / 298.15)))
    sensors.cut.add("motor-temp")
    assert sensors.motor_ohm(25.0) > 1e6


def test_detection_needs_the_hand_all_the_time():
    sensors = Sensors()
    sensors.detect()
    for _ in range(10):
        sensors.step(0.1, Hands(), 0.0)
    assert sensors.detect_state == ABORTED
    sensors.detect()
    for step in range(30):
        if step % 2 == 0:
            sensors.detect() if sensors.detect_state == RUNNING else None
        sensors.step(0.1, Hands(), 0.0)
    assert sensors.detect_state == DONE
    found = sensors.detected(TRUE)
    assert found["pole_pairs"] == TRUE.pole_pairs and found["offset_deg"] == sensors.truth.position_offset_deg


def test_a_wrong_offset_shakes_more():
    sensors = Sensors(SensorTruth(position_offset_deg=30.0))
    assert sensors.ripple(30.0) < 0.02 < 0.1 < sensors.ripple(45.0)


def test_true_values_are_set_by_name_and_drawn_by_seed():
    truth = with_truth(SensorTruth(), "pedal_backwards", 1.0)
    assert truth.pedal_backwards is True
    assert with_truth(truth, "pedal_missing", -1).pedal_missing is None
    with pytest.raises(ValueError, match="no sensor value"):
        with_truth(truth, "colour", 1.0)
    assert departed(3) == departed(3) != departed(4)


def test_each_trouble_spoils_an_answer_in_its_way():
    answer, seen = bytes(range(1, 12)), set()
    trouble = Trouble(chance=1.0, seed=3)
    for _ in range(200):
        pieces = trouble.spoilt(answer)
        if not pieces:
            seen.add("lost")
        elif len(pieces) == 2:
            seen.add("doubled")
        elif pieces[0][0] > 0:
            seen.add("late")
        elif len(pieces[0][1]) < len(answer):
            seen.add("cut")
        else:
            assert sum(bin(a ^ b).count("1") for a, b in zip(pieces[0][1], answer, strict=True)) == 1
            seen.add("corrupt")
    assert seen == set(KINDS)
    assert Trouble().spoilt(answer) == [(0.0, answer)]


def test_acts_fall_due_after_so_many_writes():
    trouble = Trouble(due=[(0, "a"), (2, "b")])
    assert [trouble.after_write() for _ in range(4)] == [["a"], [], ["b"], []]


ANSWERS = [
    ("cut nothing", "no no wire"),
    ("cut lever", "ok"),
    ("join lever", "ok"),
    ("roll 3", "ok"),
    ("crank x", "no could not convert"),
    ("heat 90", "ok"),
    ("sensor colour 3", "no no sensor value"),
    ("sensors 9", "ok"),
    ("stick drive.nothing 3", "no no setting"),
    ("set drive.motor_rpm 99999", "no motor speed limit 99999"),
    ("after 1 unplug", "ok"),
    ("noise x", "no could not convert"),
    ("charger 2", "no charger takes 0 to 1"),
]


def test_each_act_is_answered(standin):
    assert [act for act, answer in ANSWERS if not standin.do(act).startswith(answer)] == []


def test_there_is_a_name_for_every_wire():
    assert len(set(WIRES)) == len(WIRES) == 8
