"""The simulated controller follows the settings of throttle and assist."""

import math

import pytest

from crisp_hornet.demo import HERON
from crisp_hornet.documents.store import read_bike
from crisp_hornet.standin.asked_current import Rider, RiderSettings
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.truth import true_bike

TRUTH = true_bike(read_bike(HERON))
MOST_A = 100.0
VALUES = {
    "throttle.share_25": 0.1, "throttle.share_50": 0.3, "throttle.share_75": 0.6, "throttle.maximum": 0.9, "throttle.dead_band": 0.1,
    "throttle.ramp_s": 0.5, "throttle.release_s": 0.2, "throttle.start": 0.0, "throttle.rolling_kmh": 4.0,
    "assist.levels.count": 2.0, "assist.levels.1.multiplier": 2.0, "assist.levels.2.multiplier": 4.0,
    "assist.levels.1.power_share": 0.3, "assist.levels.2.power_share": 0.8, "assist.style": 0.0, "assist.handover_rpm": 60.0,
    "assist.development_m": 4.5, "assist.start_nm": 6.0, "assist.smoothing_deg": 90.0, "assist.ramp_s": 0.2,
}  # fmt: skip


def settled(hands, speed_mps=4.0, seconds=4.0, share_of="phase_current", pack_w=1800.0, **changed):
    values = VALUES | {key.replace("__", "."): value for key, value in changed.items()}
    rider, c = Rider(), RiderSettings.of(values, share_of)
    asked = 0.0
    for _ in range(round(seconds / 0.002)):
        asked = rider.step(0.002, hands, c, TRUTH, speed_mps, MOST_A, pack_w, TRUTH.ratio)
    return asked


@pytest.mark.parametrize(
    ("twist", "share"), [(0.05, 0.0), (0.1 + 0.9 * 0.5, 0.3), (0.1 + 0.9 * 0.625, 0.45), (1.0, 0.9)]
)
def test_the_throttle_follows_its_points_and_its_dead_band(twist, share):
    assert settled(Hands(throttle=twist)) == pytest.approx(share * MOST_A, abs=0.01)


def test_the_throttle_waits_for_pedalling_or_rolling_and_ramps():
    assert settled(Hands(throttle=1.0), throttle__start=1.0) == 0
    assert settled(Hands(throttle=1.0, cadence_rpm=50), throttle__start=1.0) == pytest.approx(90)
    assert settled(Hands(throttle=1.0), speed_mps=1.0, throttle__start=2.0) == 0
    assert settled(Hands(throttle=1.0), speed_mps=1.2, throttle__start=2.0) == pytest.approx(90)
    assert settled(Hands(throttle=1.0), seconds=0.25) == pytest.approx(50, rel=0.03)


def test_a_level_multiplies_the_rider_by_style():
    per_a = (
        1.5 * TRUTH.pole_pairs * TRUTH.flux_wb * TRUTH.ratio * TRUTH.drive_efficiency / (TRUTH.rolled_m / 2 / math.pi)
    )
    pedalling = Hands(human_nm=20.0, cadence_rpm=72.0, level=2)
    by_torque, by_power = 4 * 20 * 2 * math.pi / 4.5 / per_a, 4 * 20 * 72 * math.pi / 30 / 4.0 / per_a
    assert settled(pedalling) == pytest.approx(by_torque, rel=0.02)
    assert settled(pedalling, assist__style=1.0) == pytest.approx(by_power, rel=0.02)
    assert settled(pedalling, assist__style=3.0) == pytest.approx(0.3 * by_torque + 0.7 * by_power, rel=0.02)
    assert settled(pedalling, assist__style=2.0) == pytest.approx(80, rel=0.02)
    assert settled(Hands(human_nm=5.0, cadence_rpm=72.0, level=2)) == 0
    assert settled(Hands(human_nm=20.0, cadence_rpm=72.0, level=0)) == 0
    assert settled(Hands(human_nm=20.0, cadence_rpm=0.0, level=2)) == 0


def test_a_share_of_battery_current_is_power_and_a_start_waits_and_begins_with_its_current():
    pedalling = Hands(human_nm=20.0, cadence_rpm=72.0, level=1)
    for speed in (0.5, 4.0, 9.0):
        amps = settled(pedalling, speed, share_of="battery_current", assist__style=2.0)
        emf = speed * 2 * math.pi / TRUTH.rolled_m * TRUTH.pole_pairs * TRUTH.flux_wb
        watts = 1.5 * ((TRUTH.winding_ohm + TRUTH.stage_ohm) * amps**2 + emf * amps) + TRUTH.idle_w
        assert amps == MOST_A or watts == pytest.approx(0.3 * 1800, rel=0.01)
    late = {"assist__start_delay_s": 0.5, "assist__start_current_a": 5.0, "assist__style": 2.0}
    assert settled(pedalling, seconds=0.45, **late) == 0
    assert settled(pedalling, seconds=0.504, **late) >= 5.0


def test_without_registers_it_is_a_plain_throttle():
    plain = RiderSettings.of({})
    assert plain.points == (0.0, 1.0) and plain.multipliers == []


RESPONSE = {"throttle.response.count": 3.0} | {
    f"throttle.response.{at}.{key}": value
    for at, point in enumerate([(1.0, 0.0), (2.0, 0.2), (4.0, 1.0)], start=1)
    for key, value in zip(("volts", "share"), point, strict=True)
}


def test_a_response_map_goes_by_the_voltage_and_the_dead_band_no_longer_counts():
    changed = {key.replace(".", "__"): value for key, value in RESPONSE.items()}
    for twist, share in ((0.02, 0.0), ((2.0 - 0.85) / 3.25, 0.2), ((3.0 - 0.85) / 3.25, 0.6), (1.0, 1.0)):
        assert settled(Hands(throttle=twist), **changed) == pytest.approx(share * MOST_A, abs=0.01)


def test_a_throttle_that_asks_for_power_or_speed_gives_all_at_rest_and_less_as_it_rolls():
    power, speed = (
        {"throttle__asks": 1.0},
        {"throttle__asks": 2.0, "drive__speed_kmh": 30.0, "drive__speed_taper_kmh": 2.0},
    )
    assert settled(Hands(throttle=1.0), speed_mps=0.1, **power) == MOST_A
    amps = settled(Hands(throttle=0.55), speed_mps=9.0, **power)
    emf = 9.0 * 2 * math.pi / TRUTH.rolled_m * TRUTH.pole_pairs * TRUTH.flux_wb
    watts = 1.5 * ((TRUTH.winding_ohm + TRUTH.stage_ohm) * amps**2 + emf * amps) + TRUTH.idle_w
    assert watts == pytest.approx(0.3 * 1800, rel=0.01)
    assert settled(Hands(throttle=0.55), speed_mps=0.0, **speed) == MOST_A
    assert settled(Hands(throttle=0.55), speed_mps=8.5 / 3.6, **speed) == pytest.approx(
        MOST_A * 0.25, rel=0.01
    )  # of 0.3 x 30 km/h
    assert settled(Hands(throttle=0.55), speed_mps=10 / 3.6, **speed) == 0


def held(rider, c, seconds, speed_mps=6.0, **hands):
    asked = 0.0
    for _ in range(round(seconds / 0.01)):
        asked = rider.step(0.01, Hands(**hands), c, TRUTH, speed_mps, MOST_A, 1800.0, TRUTH.ratio)
    return asked


def test_cruise_begins_only_after_its_time_and_above_its_speed_and_ends_as_it_is_set():
    c = RiderSettings.of(
        VALUES | {"throttle.cruise_s": 5.0, "throttle.cruise_least_kmh": 15.0, "throttle.cruise_ends": 1.0}
    )
    rider = Rider()
    assert held(rider, c, 4.0, throttle=0.6) > 0 and held(rider, c, 1.0, throttle=0.0) == 0  # too short
    assert held(rider, c, 6.0, throttle=0.6, speed_mps=3.0) > 0 and held(rider, c, 1.0, throttle=0.0) == 0  # too slow
    asked = held(rider, c, 6.0, throttle=0.6)
    assert held(rider, c, 20.0, throttle=0.0) == pytest.approx(asked)  # nobody holds it
    assert held(rider, c, 0.5, throttle=0.3) < asked and held(rider, c, 1.0, throttle=0.0) == 0  # taken again
    held(rider, c, 6.0, throttle=0.6)
    rider.stop()
    assert held(rider, c, 1.0, throttle=0.0) == 0  # the brake
    brake_only = RiderSettings.of(VALUES | {"throttle.cruise_s": 5.0, "throttle.cruise_ends": 0.0})
    asked = held(rider, brake_only, 6.0, throttle=0.6)
    assert (
        held(rider, brake_only, 1.0, throttle=0.3)
        == pytest.approx(asked)
        == pytest.approx(held(rider, brake_only, 1.0, throttle=0.0))
    )


def test_a_shift_cuts_what_is_asked_for_a_moment():
    c = RiderSettings.of(VALUES | {"assist.shift_cut_s": 0.3, "assist.shift_share": 0.1})
    rider = Rider()
    before = held(rider, c, 2.0, throttle=1.0, gear=1)
    assert held(rider, c, 0.05, throttle=1.0, gear=2) == pytest.approx(0.1 * before)
    assert held(rider, c, 0.2, throttle=1.0, gear=2) == pytest.approx(0.1 * before)
    assert held(rider, c, 0.2, throttle=1.0, gear=2) == pytest.approx(before)
