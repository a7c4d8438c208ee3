"""What a suggested change would do, against launches and climbs worked out in the test."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.effects import predicted_effects
from crisp_hornet.core.evidence.findings import Suggestion
from crisp_hornet.core.evidence.findings.suggestion import Effect
from crisp_hornet.core.road.consequences import Consequence
from tests.bikes import a_bike, a_tune

BIKE, TUNE, SPEEDS, RESTED_V = a_bike(), a_tune(drive__battery_current_a=30), np.linspace(0, 70, 281), 62.0


def told(path, value, bike=BIKE, tune=TUNE, of_bike=False):
    effects = predicted_effects(bike, tune, Suggestion(path, value, "", of_bike), RESTED_V, SPEEDS)
    return {one.after.label: one for one in effects}


def launch_s(tune):
    """0 to 25 km/h by an integrator, from the curve's force alone."""
    curve, chassis = pull_curve(BIKE, tune, SPEEDS, Conditions(RESTED_V)), BIKE.chassis
    inertia = BIKE.mass_kg + (chassis.wheel_inertia_kgm2 + BIKE.motor.rotor_inertia_kgm2) / (1.59 / 2 / math.pi) ** 2

    def faster(_t, v):
        load = BIKE.mass_kg * 9.80665 * chassis.crr + 0.6 * chassis.cda_m2 * v[0] ** 2
        return [(np.interp(3.6 * v[0], SPEEDS, curve.wheel_force_n) - load) / inertia]

    reached = lambda _t, v: v[0] - 25 / 3.6
    reached.terminal = True
    return float(solve_ivp(faster, (0, 60), [0.0], events=reached, rtol=1e-8).t[-1])


@pytest.mark.parametrize(
    ("before", "after", "share"), [(10.0, 12.0, 0.2), (math.inf, 5.0, math.inf), (5.0, math.inf, math.inf)]
)
def test_what_begins_or_ends_to_make_sense_counts_most(before, after, share):
    assert Effect(Consequence("a", before, "s", 1), Consequence("a", after, "s", 1)).share == pytest.approx(share)


def test_more_battery_current_is_told_in_speed_and_time():
    found = told("drive.battery_current_a", 20.0)
    launch = found["0 to 25 km/h"]
    assert launch.before.value == pytest.approx(launch_s(TUNE), rel=0.01)
    assert launch.after.value == pytest.approx(launch_s(TUNE.with_setting("drive.battery_current_a", 20.0)), rel=0.01)
    assert "0 to 25 km/h" in launch.in_words and launch.in_words.endswith(" s")
    assert launch.share == pytest.approx(abs(launch.after.value / launch.before.value - 1))
    shares = [one.share for one in found.values()]
    assert shares == sorted(shares, reverse=True) and len(found) <= 3


@pytest.mark.parametrize(
    ("path", "value", "label", "up"),
    [
        ("battery_guard.fade_end_v", 50.0, "a full pack gives", False),
        ("regen.battery_current_a", 2.0, "regen charges a half-full pack with", False),
        ("assist.ramp_s", 3.0, "at 60 rpm help follows a harder stroke after", True),
        ("assist.start_deg", 120.0, "at 60 rpm help begins after", True),
    ],
)
def test_each_part_of_the_tune_has_its_own_figures(path, value, label, up):
    tune = a_tune(regen__battery_current_a=9, regen__phase_current_a=40)
    found = told(path, value, tune=tune)
    assert label in found, list(found)
    assert (found[label].after.value > found[label].before.value) is up


def test_a_learned_figure_is_told_and_what_moves_nothing_or_is_no_tune_is_not():
    assert "derating, 12 % hill" in told("motor.thermal.winding_to_housing_w_per_k", 2.0, of_bike=True)
    assert told("drive.phase_current_a", TUNE.drive.phase_current_a) == {}
    assert told("drive.nothing", 3.0) == {} and told("chassis.crr", -1.0, of_bike=True) == {}
    carried = told("battery_guard.fade_end_v", TUNE.battery_guard.fade_end_v + 8)  # the other end moves along
    assert "a full pack gives" in carried
