"""The simulated bike against physics it must obey, and the process as scripts use it."""

import math
import signal
import subprocess
import sys
from dataclasses import fields, replace
from pathlib import Path

import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.demo import HERON, THISTLE, THISTLE_FACTORY
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike, read_tune
from crisp_hornet.standin.controller import BUSY, ILLEGAL_ADDRESS, ILLEGAL_VALUE, Refusal, SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.modbus_memory import ModbusMemory
from crisp_hornet.standin.modbus_peer import ModbusPeer
from crisp_hornet.standin.physics import SimulatedBike, rested_cell_v
from crisp_hornet.standin.rider import Leg, record
from crisp_hornet.standin.truth import Departures, departed_bike, true_bike
from tests.standins import is_gone

MAP = shipped_map("Weir 60")


@pytest.fixture
def stand():
    hands = Hands()
    bike = SimulatedBike(true_bike(read_bike(HERON)))
    return bike, SimulatedController(MAP, bike, hands), hands


def run(bike, controller, hands, seconds):
    for _ in range(round(seconds / 0.001)):
        bike.step(0.001, hands, controller.settings)


def test_limits_hold_and_power_balances_on_a_full_pull(stand):
    bike, controller, hands = stand
    hands.wheel_up, hands.throttle = False, 1.0
    run(bike, controller, hands, 12)
    s, t = bike.state, bike.truth
    assert s.battery_a == pytest.approx(30, rel=0.02)  # the controller's regulator holds its limit
    copper = 1.5 * (t.winding_ohm * (1 + 0.00393 * (s.winding_c - 25)) + t.stage_ohm) * s.iq**2
    shaft = 1.5 * t.pole_pairs * t.flux_wb * s.iq * bike.omega / t.pole_pairs
    assert s.battery_a * s.pack_v == pytest.approx(copper + shaft + t.idle_w, rel=0.01)
    assert s.pack_v < t.series * rested_cell_v(s.charge) - 30 * t.pack_ohm_fast + 0.1
    phase_v = math.hypot(bike.omega * t.inductance_h * s.iq, bike.omega * t.flux_wb + t.winding_ohm * s.iq)
    assert phase_v <= t.modulation * s.pack_v / math.sqrt(3) * 1.01


def test_coasting_slows_by_its_drag_and_indicates_with_the_believed_wheel(stand):
    bike, controller, hands = stand
    hands.wheel_up = False
    bike.state.speed_mps = 10.0
    run(bike, controller, hands, 1)
    t = bike.truth
    force = 190 * 9.80665 * t.rolling + 0.6 * t.drag_m2 * 9.9**2 + bike._drag_nm() / (t.rolled_m / 2 / math.pi)
    assert 10.0 - bike.state.speed_mps == pytest.approx(
        force / (190 + (t.wheels_kgm2 + t.rotor_kgm2 * t.ratio**2) / (t.rolled_m / 2 / math.pi) ** 2), rel=0.02
    )
    assert bike.indicated_kmh == pytest.approx(bike.state.speed_mps * 3.6 / Departures().wheel)


def test_a_hot_winding_and_an_empty_pack_fade(stand):
    bike, controller, hands = stand
    hands.wheel_up, hands.throttle = False, 1.0
    bike.state.winding_c = 115
    run(bike, controller, hands, 1.5)
    assert bike.state.iq == pytest.approx(
        90 * (125 - bike.state.winding_c) / 20, rel=0.02
    )  # on its way down from 105 to 125 °C
    bike.state.winding_c, bike.state.charge = 20, 0.03
    run(bike, controller, hands, 6)
    assert bike.state.battery_a < 29


def test_a_true_pack_of_factor_one_shows_the_documents_resistance_in_a_10_s_pulse(stand):
    bike, controller, hands = stand
    bike.truth = departed_bike(bike.truth, "pack_resistance", 1.0)
    hands.wheel_up, hands.brake = False, 0.0
    run(bike, controller, hands, 0.5)
    rested = bike.state.pack_v
    hands.throttle, hands.grade = 1.0, 0.12
    run(bike, controller, hands, 10)
    seen = (rested - bike.state.pack_v) / bike.state.battery_a
    assert seen == pytest.approx(read_bike(HERON).battery.resistance_ohm, rel=0.04)


def test_an_emptied_pack_is_cut_by_its_bms_and_nothing_answers_until_it_is_charged(stand):
    bike, controller, hands = stand
    peer, question = ModbusPeer(controller), bytes.fromhex("01 04 00 00 00 02 71 CB".replace(" ", ""))
    bike.state.charge, controller.settings.low_start_v, controller.settings.low_end_v = 0.004, 20.0, 10.0
    hands.wheel_up, hands.throttle = False, 1.0
    run(bike, controller, hands, 30)
    assert bike.state.bms_open and bike.state.battery_a == bike.state.pack_v == bike.state.iq == 0
    assert peer.receive(question) == b""
    hands.throttle, hands.charging, bike.state.charge = 0.0, True, 0.5
    run(bike, controller, hands, 0.5)
    assert not bike.state.bms_open and peer.receive(question) and bike.state.pack_v > 55


@pytest.mark.parametrize("gear", [1, 2, 3])
def test_a_mid_motor_with_gears_pulls_as_it_is_predicted(gear):
    """Two physics that share nothing: stepped in time here, solved for the most torque there; with no departure they must agree."""
    bike = read_bike(THISTLE)
    same = Departures(**{one.name: 0.0 if one.name == "current_zero_a" else 1.0 for one in fields(Departures)})
    held = replace(true_bike(bike, same), mass_kg=1e7, rolling=0.0, drag_m2=0.0)  # it holds its speed
    hands, tune = Hands(wheel_up=False, throttle=1.0, gear=gear), read_tune(THISTLE_FACTORY)
    for kmh in (5.0, 20.0, 40.0):
        stand = SimulatedBike(held, charge=0.7)
        controller = SimulatedController(shipped_map("Weir 90"), stand, hands)
        controller.take_tune(tune)
        stand.state.speed_mps = kmh / 3.6
        run(stand, controller, hands, 1.5)
        s, t = stand.state, stand.truth
        made = 1.5 * t.pole_pairs * (t.flux_wb + (t.ld_h - t.inductance_h) * s.i_d) * s.iq - stand._drag_nm()
        force = made * stand.ratio * t.drive_efficiency / (t.rolled_m / 2 / math.pi)
        rested = t.series * rested_cell_v(0.7) - s.slow_v
        told = pull_curve(bike.in_gear(bike.drivetrain.gears[gear - 1]), tune, [kmh], Conditions(rested, s.winding_c))
        assert force == pytest.approx(float(told.wheel_force_n[0]), rel=0.035)
        assert s.battery_a == pytest.approx(float(told.battery_current_a[0]), rel=0.05)
        assert s.i_d == pytest.approx(float(told.id_a[0]), rel=0.08)


def test_behind_a_freewheel_the_motor_rests_while_the_wheel_turns():
    stand = SimulatedBike(true_bike(read_bike(THISTLE)))
    hands, controller = Hands(wheel_up=False), SimulatedController(shipped_map("Weir 90"), stand, Hands())
    stand.state.speed_mps = 8.0
    run(stand, controller, hands, 0.5)
    slower = 8.0 - stand.state.speed_mps
    t, radius = stand.truth, stand.truth.rolled_m / 2 / math.pi
    force = t.mass_kg * 9.80665 * t.rolling + 0.6 * t.drag_m2 * 8.0**2
    assert stand.motor_rpm == 0 and slower == pytest.approx(
        0.5 * force / (t.mass_kg + t.wheels_kgm2 / radius**2), rel=0.03
    )
    hands.throttle = 0.6
    run(stand, controller, hands, 0.6)
    assert stand.motor_rpm == pytest.approx(stand.state.speed_mps / t.rolled_m * stand.ratio * 60, rel=0.01)


def test_each_truth_can_be_set_by_its_name(stand):
    bike, _, _ = stand
    for one in fields(Departures):
        changed = departed_bike(bike.truth, one.name, 1.5)
        assert changed != bike.truth and getattr(changed.departures, one.name) == 1.5
    for name, value in (("colour", 1.0), ("wheel", 0.0), ("wheel", math.nan)):
        with pytest.raises(ValueError, match=name):
            departed_bike(bike.truth, name, value)


def test_writes_are_volatile_refused_while_turning_and_checked(stand):
    _, controller, hands = stand
    memory = ModbusMemory(controller)
    register = MAP.register("drive.battery_current_a")
    memory.write(register.address, [40])
    assert controller.settings.battery_a == 20 and controller.live()["unkept"] == 1
    controller.power_cycle()
    assert controller.settings.battery_a == 30 and controller.live()["unkept"] == 0
    for address, word, code in (
        (0x999, 1, ILLEGAL_ADDRESS),
        (register.address, 0xFFF0, ILLEGAL_VALUE),
        (MAP.keep.address, 1, ILLEGAL_VALUE),
    ):
        with pytest.raises(Refusal) as refused:
            memory.write(address, [word])
        assert refused.value.code == code
    hands.throttle = 0.5
    with pytest.raises(Refusal) as refused:
        memory.write(register.address, [20])
    assert refused.value.code == BUSY
    with pytest.raises(Refusal):
        memory.read_input(0, 99)


def test_bytes_in_pieces_noise_and_strangers(stand):
    peer = ModbusPeer(stand[1])
    question = bytes.fromhex("01 04 00 00 00 02 71 CB".replace(" ", ""))
    answers = [peer.receive(question[k : k + 1]) for k in range(len(question))]
    assert answers[:-1] == [b""] * 7 and answers[-1][:3] == bytes([1, 4, 4])
    assert peer.receive(b"\x01\x04\x00\x00\x00\x02\x00\x00") == b""  # a wrong checksum is not answered
    assert peer.receive(bytes.fromhex("0904000000027083")) == b""  # another device
    assert peer.receive(bytes.fromhex("010100000001FDCA"))[1] == 0x81  # a question it does not know


@pytest.mark.long
def test_a_ride_can_be_recorded_again_the_same(stand):
    def rows():
        hands = Hands()
        bike = SimulatedBike(true_bike(read_bike(HERON)))
        return list(
            record(bike, SimulatedController(MAP, bike, hands), hands, [Leg(30, 0.0, 15, 2), Leg(40, 0.05, None, 1)])
        )

    first = rows()
    assert first == rows() and first[-1]["wheel_speed_kmh"] < 1
    assert max(row["throttle"] for row in first) == 1.0 and first[-1]["altitude_m"] > 412


@pytest.mark.parametrize(
    ("act", "answer"),
    [
        ("throttle 0.5", "ok"),
        ("throttle 5", "no throttle takes"),
        ("juggle 1", "no unknown: juggle"),
        ("throttle", "no could not"),
        ("show drive.power_w", "is drive.power_w None None"),
        ("show nothing", "no no setting"),
        ("truth wheel 1.01", "ok"),
        ("truth colour 1", "no no truth 'colour'"),
        ("charge 2", "no charge takes"),
    ],
)
def test_the_process_answers_each_act_with_a_line(standin, act, answer):
    assert standin.do(act).startswith(answer)


def test_the_process_ends_cleanly_on_sigterm_and_takes_its_link_along(standin):
    assert Path(standin.port).exists()
    assert standin.close() == 0
    assert is_gone(standin.port)


def test_an_owned_process_ends_when_its_owner_is_gone(tmp_path):
    process = subprocess.Popen(
        [sys.executable, "-m", "crisp_hornet", "standin", "--owned"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    with process:
        assert process.stdout.readline().startswith(b"ready /dev/")
        process.stdin.close()
        assert process.wait(timeout=10) == 0


def test_it_runs_with_no_standard_input_at_all(tmp_path):
    with subprocess.Popen(
        [sys.executable, "-m", "crisp_hornet", "standin"], stdin=subprocess.DEVNULL, stdout=subprocess.PIPE
    ) as process:
        assert process.stdout.readline().startswith(b"ready /dev/")
        process.send_signal(signal.SIGINT)
        assert process.wait(timeout=10) == 0
