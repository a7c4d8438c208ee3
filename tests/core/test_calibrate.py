"""Each instrument against fifty seeded stand-ins with true values it does not know, and every planted fault by its right name."""

import math
import re
from pathlib import Path

import numpy as np
import pytest

from crisp_hornet.core.calibrate.electric import (
    judge_detection,
    judge_gain,
    judge_running,
    judge_zero,
)
from crisp_hornet.core.calibrate.heat import judge_temperature
from crisp_hornet.core.calibrate.judgement import Verdict
from crisp_hornet.core.calibrate.levers import judge_cut, judge_lever
from crisp_hornet.core.calibrate.pedals import judge_pedals, recognised_after_s
from crisp_hornet.core.calibrate.speed import judge_against_gps, judge_magnets, judge_roll_out
from crisp_hornet.core.calibrate.throttle import judge_output, judge_throttle
from crisp_hornet.core.calibrate.torque import human_w, judge_human, judge_sides, judge_torque_rest, judge_torque_span
from crisp_hornet.demo import HERON
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import read_bike
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.sensors import Sensors, departed, with_truth
from crisp_hornet.standin.truth import true_bike
from tests.amount import of, some
from tests.said import holds

SAID = Path(__file__).parent / "said_by_instruments.json"

MAP, BIKE = shipped_map("Weir 60"), read_bike(HERON)
SEEDS = range(some(12, 4))
SAMPLE_S = 0.04


class Stand:
    """A stand-in without its line: hands act, samples come as the registers would give them."""

    def __init__(self, seed, **truth):
        self.hands = Hands()
        sensors = departed(seed)
        for name, value in truth.items():
            sensors = with_truth(sensors, name, value)
        self.controller = SimulatedController(
            MAP, SimulatedBike(true_bike(BIKE)), self.hands, seed, Sensors(sensors, seed)
        )
        self.truth = self.controller.sensors.truth
        self.rows = []

    def run(self, seconds, **hands):
        for name, value in hands.items():
            setattr(self.hands, name, value)
        for _ in range(round(seconds / SAMPLE_S)):
            for _ in range(8):
                self.controller.step(SAMPLE_S / 8)
            live = self.controller.live()
            self.rows.append([one.value_of(one.encode(live[one.name])) for one in MAP.telemetry.channel])
        return self

    def channel(self, name):
        index = [one.name for one in MAP.telemetry.channel].index(name)
        return np.array([row[index] for row in self.rows])

    @property
    def time_s(self):
        return np.arange(len(self.rows)) * SAMPLE_S

    def twisted(self, times=4):
        for _ in range(times):
            self.run(0.7, throttle=0.0).run(0.3, throttle=0.5).run(0.7, throttle=1.0).run(0.2, throttle=0.4)
        return self.run(0.7, throttle=0.0)

    def started(self, times=4):
        """Gentle starts from standstill."""
        for _ in range(times):
            self.run(1.6, throttle=0.11, brake=False).run(1.0, throttle=0.0, brake=True)
        return self


HEARD = []


@pytest.fixture(autouse=True)
def heard(request):
    """What is said of the first of the seeds is held."""
    HEARD.clear()
    yield
    if not request.node.name.endswith("]") or "[0" in request.node.name:
        holds(SAID, request.node.name, [f"{one.reason} {one.next} {figures_of(one)}" for one in HEARD])


def figures_of(judgement):
    return ", ".join(f"{name} {value:.4g}" for name, value in judgement.figures.items())


def sound(judgement):
    assert judgement.verdict is Verdict.PASSED, judgement
    HEARD.append(judgement)
    return judgement.figures


def wrong(judgement, words):
    assert judgement.verdict is not Verdict.PASSED and re.search(words, judgement.reason), judgement
    assert judgement.next
    HEARD.append(judgement)
    return judgement


@pytest.mark.parametrize("seed", SEEDS)
def test_sound_sensors_are_found_to_their_true_values_and_none_is_called_faulty(seed):
    stand = Stand(seed).twisted()
    found = sound(judge_throttle(stand.time_s, stand.channel("throttle_v")))
    span = stand.truth.throttle_full_v - stand.truth.throttle_rest_v
    assert abs(found["rest_v"] - stand.truth.throttle_rest_v) < 0.01 * span
    assert abs(found["full_v"] - stand.truth.throttle_full_v) < 0.01 * span

    rest = Stand(seed).run(4.0)
    rest_v = sound(judge_torque_rest(rest.time_s, rest.channel("torque_v")))["rest_v"]
    kg, crank_m = 10.0, 0.17
    rest.rows.clear()
    rest.run(2.0, human_nm=kg * 9.80665 * crank_m)
    span = sound(judge_torque_span(rest_v, float(np.median(rest.channel("torque_v"))), kg, crank_m))["nm_per_v"]
    assert span == pytest.approx(stand.truth.torque_nm_per_v, rel=0.03)

    still = Stand(seed).run(6.0)
    zero = judge_zero(still.channel("battery_a"), BIKE.controller.idle_w, float(np.median(still.channel("pack_v"))))
    true_zero = stand.truth.current_zero_a + true_bike(BIKE).current_zero_a
    assert zero.verdict is not Verdict.FAILED and abs(zero.figures["zero_a"] - true_zero) < 0.1

    pedals = Stand(seed).run(15.0, cadence_rpm=20.0)
    counted = sound(judge_pedals(pedals.time_s, pedals.channel("pedal_pulses"), pedals.channel("pedal_forward"), 5))
    assert counted["pulses_per_turn"] == stand.truth.pedal_pulses

    levers = Stand(seed)
    for _ in range(2):
        levers.run(0.4, brake=False).run(0.4, brake=True)
    assert sound(judge_lever(levers.run(0.2, brake=False).channel("brake")))["pulls"] == 2

    ohm = float(np.median(still.channel("motor_sensor_ohm")))
    sound(judge_temperature(ohm, 16.0, float(np.median(still.channel("motor_c")))))
    sound(judge_running(Stand(seed).started().channel("motor_rpm")))


def test_the_motor_cut_is_proved_and_a_lever_that_does_not_cut_is_caught():
    stand = Stand(1).run(3.0, throttle=0.4).run(1.0, brake=True).run(0.5, brake=False, throttle=0.0)
    time, brake, phase, throttle = (stand.time_s, *(stand.channel(one) for one in ("brake", "phase_a", "throttle")))
    assert sound(judge_cut(time, brake, np.where(brake > 0, 0.0, 30.0), throttle))["cut_s"] <= 0.35
    wrong(judge_cut(time, brake, np.full(phase.size, 30.0), throttle), "keeps driving")
    wrong(judge_cut(time, 0 * brake, phase, throttle), "not pulled while the motor drove")


@pytest.mark.parametrize("seed", of([0], [20, 40]))
@pytest.mark.parametrize(
    ("wire", "sensor", "words"),
    [
        ("throttle-signal", "throttle_v", "throttle's signal is stuck at 0.0.* broken or shorted to ground"),
        ("throttle-ground", "throttle_v", "throttle's signal is stuck at 4.9.* ground is missing"),
        ("torque-signal", "torque_v", "torque sensor's signal .* broken or shorted"),
        ("torque-ground", "torque_v", "torque sensor's signal .* ground is missing"),
    ],
)
def test_a_broken_wire_is_named(seed, wire, sensor, words):
    stand = Stand(seed)
    stand.controller.sensors.cut.add(wire)
    stand.twisted(3)
    judge = judge_throttle if sensor == "throttle_v" else judge_torque_rest
    assert wrong(judge(stand.time_s, stand.channel(sensor)), words).verdict is Verdict.FAILED


@pytest.mark.parametrize("seed", of([20], [0, 40]))
def test_every_other_planted_fault_is_named(seed):
    def throttle(**truth):
        stand = Stand(seed, **truth).twisted()
        return judge_throttle(stand.time_s, stand.channel("throttle_v"))

    wrong(throttle(throttle_noise_v=0.09), "noisy at rest")
    wrong(throttle(throttle_spread_v=0.35), "does not come back to the same rest")
    wrong(throttle(throttle_full_v=1.5), "only moves from")
    stand = Stand(seed).twisted(1)
    wrong(judge_throttle(stand.time_s, stand.channel("throttle_v")), "1 full opening and")
    reads = Stand(seed, throttle_rest_v=1.11, throttle_full_v=3.81).twisted()
    wrong(judge_output(reads.channel("throttle")), r"reads \d+ to 9\d % instead of 0 to 100 %")

    def pedals(**truth):
        stand = Stand(seed, pedal_pulses=12, **truth).run(15.0, cadence_rpm=20.0)
        return judge_pedals(stand.time_s, stand.channel("pedal_pulses"), stand.channel("pedal_forward"), 5)

    wrong(pedals(pedal_backwards=True), "reads as backward")
    wrong(pedals(pedal_missing=4), "of the pulses are missing")
    quiet = Stand(seed)
    quiet.controller.sensors.cut |= {"pedal", "speed", "motor-temp", "lever"}
    quiet.run(2.0, cadence_rpm=60.0, brake=True)
    wrong(judge_pedals(quiet.time_s, quiet.channel("pedal_pulses"), quiet.channel("pedal_forward"), 5), "No pulse came")
    wrong(judge_magnets(quiet.channel("wheel_pulses"), 3, 1), "No pulse came")
    wrong(judge_temperature(float(quiet.channel("motor_sensor_ohm")[-1]), 16.0, 16.0), "broken or unplugged")
    wrong(judge_lever(quiet.channel("brake")), "never read pulled")

    wheel = Stand(seed, wheel_magnets=2).run(0.2)
    wheel.controller.sensors.wheel_turns += 5
    wrong(
        judge_magnets(wheel.run(0.2).channel("wheel_pulses"), 5, 1),
        "has 2 magnets, set to 1: shows 2 times",
    )
    wrong(judge_running(Stand(seed, position_offset_deg=52.0).started().channel("motor_rpm")), "rough")
    warm = judge_temperature(10_000 * math.exp(3950 * (1 / 289.15 - 1 / 298.15)), 16.0, 64.0)
    wrong(warm, "takes the sensor for another kind")
    drifting = Stand(seed, torque_drift_v_per_min=0.4).run(8.0)
    wrong(judge_torque_rest(drifting.time_s, drifting.channel("torque_v")), "drifts")


@pytest.mark.parametrize("seed", range(some(8, 3)))
def test_the_circumference_by_roll_out_and_against_gps(seed):
    rng = np.random.default_rng(seed)
    true_m, believed_m = 1.348, 1.31
    found = wrong(judge_roll_out(round(4 * true_m + rng.normal(0, 0.003), 3), 4, believed_m), "the setting is").figures
    assert found["circumference_m"] == pytest.approx(true_m, rel=0.005)
    speed = 24 + 4 * np.sin(np.arange(240) / 20)
    wheel, gps = speed * believed_m / true_m + rng.normal(0, 0.1, 240), speed + rng.normal(0, 0.4, 240)
    gps[::7] = np.nan
    against = wrong(judge_against_gps(wheel, gps, believed_m), "").figures
    assert against["circumference_m"] == pytest.approx(true_m, rel=0.005)
    assert abs(against["circumference_m"] - true_m) < 3 * against["spread_m"]
    wrong(judge_against_gps(wheel[:5], gps[:5], believed_m), "moments above")
    wrong(judge_roll_out(9.0, 1, believed_m), "not a plausible wheel")


def test_gain_sides_span_and_detection():
    assert sound(judge_gain(10.16, 10.0, 0.1))["gain"] == pytest.approx(1.006)
    wrong(judge_gain(12.0, 10.0, 0.0), "against the meter")
    sound(judge_sides(80.0, 78.0))
    wrong(judge_sides(80.0, 60.0), "differ by 33 %")
    wrong(judge_torque_span(0.75, 0.76, 10, 0.17), "only 10 mV")
    wrong(judge_torque_span(0.95, 0.75, 10, 0.17), "other way round")
    assert human_w(30.0, 60.0) == pytest.approx(188.5, abs=0.1)
    motor = BIKE.motor
    found = {"resistance_ohm": motor.phase_resistance_ohm, "ld_h": motor.ld_h, "lq_h": motor.lq_h,
             "flux_linkage_wb": motor.flux_linkage_wb, "pole_pairs": float(motor.pole_pairs)}  # fmt: skip
    sound(judge_detection(found, BIKE))
    wrong(judge_detection(found | {"pole_pairs": motor.pole_pairs + 2.0}, BIKE), "pole pairs, the bike says")
    wrong(judge_detection(found | {"flux_linkage_wb": 2 * motor.flux_linkage_wb}, BIKE), "flux linkage")
    wrong(judge_detection(dict.fromkeys(found, 0.0), BIKE), "No valid motor found")


def test_a_proportional_lever_and_a_throttle_that_works_both_ways():
    course = np.concatenate([np.linspace(0, 1, 20), np.ones(10), np.linspace(1, 0, 20), np.zeros(10)])
    lever = np.tile(course, 2)
    assert sound(judge_lever(lever))["proportional"] == 1
    wrong(judge_lever(0.1 + 0.75 * lever), "reads 10 to 85 % instead of 0 to 100 %")
    wrong(judge_lever(np.ones(50)), "reads pulled all the time")
    rng = np.random.default_rng(2)
    once = np.concatenate([np.full(40, 2.5), np.full(20, 4.2), np.full(40, 2.5), np.full(20, 0.8)])
    volts = np.concatenate([np.tile(once, 4), np.full(40, 2.5)]) + rng.normal(0, 0.005, 4 * once.size + 40)
    found = sound(judge_throttle(np.arange(volts.size) * SAMPLE_S, volts))
    assert found["two_way"] == 1 and abs(found["rest_v"] - 2.5) < 0.01 and abs(found["least_v"] - 0.8) < 0.03


def test_human_watts_against_what_the_rider_knows():
    torque, cadence = np.full(100, 20.0), np.full(100, 60.0)
    sound(judge_human(torque, cadence, 120.0))
    wrong(judge_human(torque, cadence, 200.0), "126 W where you give 200 W")
    wrong(judge_human(torque, 0 * cadence, 120.0), "No pedalling was seen")


def test_how_soon_pedalling_is_noticed():
    stand = Stand(3).run(0.4).run(2.0, cadence_rpm=60.0)
    late = stand.channel("cadence_rpm") * (stand.time_s > 0.9)
    assert 0.2 < recognised_after_s(stand.time_s, stand.channel("pedal_pulses"), late) < 0.6
    pulses = np.array([0, 0, 0, 1, 1, 2])
    assert recognised_after_s(np.arange(6.0), pulses, np.array([0, 0, 0, 0, 0, 60])) == 2.0
    assert recognised_after_s(stand.time_s, stand.channel("pedal_pulses"), 0 * late) is None
