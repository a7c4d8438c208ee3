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
