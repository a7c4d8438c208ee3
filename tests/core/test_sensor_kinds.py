"""Kinds of sensors: thermistors by the stand-in's own tables, speed from motor pulses, torque sensors that feel one pedal."""

import math

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.calibrate.heat import COLD_K, judge_temperature
from crisp_hornet.core.calibrate.judgement import Verdict
from crisp_hornet.core.calibrate.speed import judge_motor_pulses
from crisp_hornet.core.calibrate.thermistors import KINDS, beta_of, fitting, sensor_c
from crisp_hornet.core.calibrate.torque import judge_sides
from crisp_hornet.standin.thermistors import ohm_of, read_as
from tests.amount import some


def passed(judged):
    assert judged.verdict is Verdict.PASSED, judged.reason
    return judged.figures


def not_passed(judged, words):
    assert judged.verdict is not Verdict.PASSED and words in judged.reason, judged.reason


@seed(83)
@settings(max_examples=some(120), deadline=None, database=None)
@given(st.sampled_from(range(5)), st.floats(-30.0, 180.0), st.floats(3300.0, 4200.0))
def test_a_thermistor_of_each_kind_is_read_back_named_and_told_from_the_others(kind, at_c, beta):
    ohm = ohm_of(kind, beta, at_c)  # the stand-in's own table
    name = KINDS[kind]
    assert sensor_c(name, ohm, beta) == pytest.approx(at_c, abs=1.5)
    assert read_as(kind, beta, ohm) == pytest.approx(at_c, abs=0.01)
    assert name in fitting(ohm, at_c, COLD_K, beta)
    if kind < 2 and abs(at_c - 25) > 20:
        assert beta_of(name, ohm, at_c) == pytest.approx(beta, rel=1e-6)
    far = judge_temperature(ohm, at_c, at_c + 30.0, name, beta) if 20 <= ohm <= 1e6 else None
    if far is not None:
        assert far.verdict is Verdict.FAILED and far.figures["kind"] == kind


@pytest.mark.parametrize(("kind", "at_c", "ohm"), [
    (0, 25.0, 10_000.0), (1, 60.0, 100_000.0 * math.exp(3950 * (1 / 333.15 - 1 / 298.15))), (4, 100.0, 1385.055), (4, 0.0, 1000.0),
    (2, 25.0, 1000.0), (3, 100.0, 1000.0),
])  # fmt: skip
def test_a_temperature_sensor_reads_by_its_table(kind, at_c, ohm):
    """Platinum at 100 °C: 1.38506 times its resistance at 0 °C, by IEC 60751."""
    assert sensor_c(KINDS[kind], ohm) == pytest.approx(at_c, abs=0.02)


def test_speed_from_motor_pulses_counts_pole_pairs_times_gear_where_one_gear_holds():
    assert passed(judge_motor_pulses(8, 5.0, 0, False, 40))["magnets"] == 40
    not_passed(judge_motor_pulses(8, 5.0, 0, False, 1), "= 40 pulses a wheel turn; set to 1")
    not_passed(judge_motor_pulses(8, 5.0, 0, True, 40), "stands while the bike coasts")
    not_passed(judge_motor_pulses(4, 8.1, 9, False, 40), "differ in each")
    not_passed(judge_motor_pulses(3, 1.17, 0, False, 4), "no whole number")


def test_a_torque_sensor_feels_both_pedals_or_one():
    assert passed(judge_sides(80.0, 79.0))["sides"] == 0 and passed(judge_sides(80.0, 0.0))["sides"] == 1
    not_passed(judge_sides(0.0, 0.0), "neither")


def test_a_cold_motor_names_its_sensor_and_a_hot_one_its_beta():
    """At 16 °C a 3435 sensor reads within a kelvin of what 3950 says; at 110 °C it is 17 K off."""
    cold = ohm_of(0, 3435.0, 16.0)
    found = passed(judge_temperature(cold, 16.0, read_as(0, 3950.0, cold)))
    assert KINDS[int(found["kind"])] == "NTC 10 kΩ" and found["beta_k"] == 3950
    hot = ohm_of(0, 3435.0, 110.0)
    off = judge_temperature(hot, 110.0, read_as(0, 3950.0, hot))
    assert off.verdict is Verdict.FAILED and off.figures["beta_k"] == 3435
    not_passed(judge_temperature(ohm_of(4, 0.0, 16.0), 16.0, 16.0, "NTC 10 kΩ"), "would be")
