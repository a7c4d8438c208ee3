"""Each rule fires on its cause and is silent otherwise."""

import numpy as np
import pytest

from crisp_hornet.core.pull import Conditions, pull_curve
from crisp_hornet.core.rules import RULES, Situation, Strength, judge
from crisp_hornet.core.starting import starting_tune
from tests.bikes import a_bike, a_tune

SPEEDS = np.linspace(0, 60, 200)


def situation(bike, tune, controller=None):
    return Situation(bike, tune, pull_curve(bike, tune, SPEEDS, Conditions(62.0)), controller)


def ids(found):
    return {warning.id for warning in found}


WEAK = {"motor__flux_linkage_wb": 0.03}  # runs into its back-EMF early
CAUSES = [
    ("emf-over-controller", WEAK | {"controller__max_voltage_v": 64}, {"drive__field_weakening_a": 60}, Strength.STOP),
    ("emf-over-pack", WEAK, {"drive__field_weakening_a": 60}, Strength.WARN),
    ("demagnetising", WEAK | {"motor__demagnetising_a": 20}, {"drive__field_weakening_a": 60}, Strength.STOP),
    (
        "sags-under-trip",
        {"battery__resistance_ohm": 0.6, "battery__bms_trip_v": 46},
        {"battery_guard__fade_start_v": 44.0, "battery_guard__fade_end_v": 40.0},
        Strength.WARN,
    ),
    ("weakening-unused", {}, {"drive__field_weakening_a": 20, "drive__motor_rpm": 200}, Strength.NOTE),
    ("battery-over-bms", {}, {"drive__battery_current_a": 51}, Strength.STOP),
    ("battery-over-wiring", {"battery__fuse_a": 28}, {}, Strength.STOP),
    ("battery-over-wiring", {"battery__fuse_a": 40, "battery__wiring_a": 25}, {}, Strength.STOP),
    ("fade-under-trip", {"battery__bms_trip_v": 47}, {}, Strength.WARN),
    ("regen-over-charge", {}, {"regen__battery_current_a": 16}, Strength.STOP),
    ("phase-over-rating", {}, {"drive__phase_current_a": 181}, Strength.STOP),
    ("battery-over-rating", {"battery__bms_discharge_a": 90}, {"drive__battery_current_a": 61}, Strength.STOP),
    ("rpm-over-motor", {}, {"drive__motor_rpm": 901}, Strength.STOP),
    ("heat-fade-late", {"motor__max_winding_c": 120}, {}, Strength.WARN),
    ("front-wheel", {"chassis__cg_height_m": 3.8}, {}, Strength.WARN),
    ("tyre-slips", {"chassis__tyre_grip": 0.25}, {}, Strength.WARN),
]


@pytest.mark.parametrize(
    ("id_", "bike", "tune", "strength"), CAUSES, ids=[f"{one[0]}-{k}" for k, one in enumerate(CAUSES)]
)
def test_a_rule_fires_on_its_cause_says_what_to_do_and_mends(id_, bike, tune, strength):
    assert id_ not in ids(judge(situation(a_bike(), a_tune())))
    bike, draft = a_bike(**bike), a_tune(**tune)
    warning = next(one for one in judge(situation(bike, draft)) if one.id == id_)
    assert warning.strength is strength and warning.text and warning.reason and warning.mend
    if warning.mended_value is not None:
        assert id_ not in ids(judge(situation(bike, draft.with_setting(warning.setting, warning.mended_value))))


def test_a_big_step_is_noted_and_no_step_is_not():
    now = a_tune(drive__phase_current_a=80)
    found = judge(situation(a_bike(), a_tune(drive__phase_current_a=110), now))
    assert ids(found) == {"big-step"} and found[0].mended_value == 104
    assert judge(situation(a_bike(), a_tune(drive__phase_current_a=100), now)) == []


def test_every_rule_has_a_cause_above_and_the_strongest_comes_first():
    assert len(RULES) == len({one[0] for one in CAUSES}) + 1
    found = judge(
        situation(
            a_bike(battery__bms_trip_v=47), a_tune(drive__battery_current_a=51), a_tune(drive__battery_current_a=30)
        )
    )
    assert [one.strength for one in found] == [Strength.STOP, Strength.WARN, Strength.NOTE]


def test_rules_work_without_a_curve_and_front_drive_never_lifts():
    assert judge(Situation(a_bike(), a_tune())) == []
    assert (
        judge(
            situation(a_bike(chassis__driven_wheel="front", chassis__cg_height_m=3.8, chassis__tyre_grip=5.0), a_tune())
        )
        == []
    )


def test_the_gentle_start_is_gentle():
    bike = a_bike()
    tune = starting_tune(bike)
    assert judge(situation(bike, tune)) == []
    assert tune.battery_guard.fade_end_v > bike.battery.bms_trip_v
