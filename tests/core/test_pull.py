"""The pull curve against an exhaustive search that shares no code with it."""

import math

import numpy as np
import pytest
from hypothesis import given, seed, settings

from crisp_hornet.core.pull import Conditions, pull_curve
from crisp_hornet.core.refusals import NotComputed
from tests.bikes import a_bike, a_tune, cases
from tests.core import exhaustive

SPEEDS = np.array([0.0, 3, 8, 14, 19, 25, 31, 38, 45, 52, 60, 75])


@seed(20260901)
@settings(max_examples=320, deadline=None, derandomize=False, database=None)
@given(cases(interior=False, weakening=False))
def test_force_is_the_true_maximum_and_every_point_meets_every_limit(case):
    bike, tune, rested_v, winding_c = case
    curve = pull_curve(bike, tune, SPEEDS, Conditions(rested_v, winding_c))
    for k, v in enumerate(SPEEDS):
        expected = exhaustive.best_force(bike, tune, rested_v, winding_c, v)
        assert curve.wheel_force_n[k] == pytest.approx(expected, rel=2e-3, abs=0.3)
        if curve.running[k]:
            over = exhaustive.violation(bike, tune, rested_v, winding_c, v, curve.id_a[k], curve.iq_a[k])
            assert over <= 1e-6
        found = exhaustive.state(bike, rested_v, winding_c, v, curve.id_a[k], curve.iq_a[k])
        if curve.running[k]:
            assert curve.battery_current_a[k] == pytest.approx(found["ib"], rel=1e-9)
            assert curve.shaft_torque_nm[k] == pytest.approx(found["shaft_nm"], rel=1e-9, abs=1e-9)


@seed(7)
@settings(max_examples=80, deadline=None, database=None)
@given(cases(interior=False, weakening=False))
def test_the_named_limit_is_the_one_whose_release_gains(case):
    """Releasing the named limit lets more current flow; releasing every other one does not."""
    bike, tune, rested_v, winding_c = case
    curve = pull_curve(bike, tune, SPEEDS, Conditions(rested_v, winding_c))
    released = {
        "battery": (
            a_like(bike, "controller", "max_battery_current_a"),
            tune.with_setting("drive.battery_current_a", 1e4),
        ),
        "power": (bike, tune.with_setting("drive.power_w", None)),
        "phase": (a_like(bike, "controller", "max_phase_current_a"), tune.with_setting("drive.phase_current_a", 1e4)),
    }
    for name, (freer_bike, freer_tune) in released.items():
        if name == "battery" and bike.chain:
            continue
        freer = pull_curve(freer_bike, freer_tune, SPEEDS, Conditions(rested_v, winding_c))
        gains = freer.iq_a > curve.iq_a * (1 + 1e-9) + 1e-9
        named = curve.limit == name
        assert np.all(named[gains] | np.isin(curve.limit[gains], ["speed", "heat", "low_voltage"]))


def a_like(bike, part, key):
    data = bike.model_dump(mode="json", by_alias=True)
    data[part][key] = 1e4
    return type(bike).model_validate(data)


def test_losses_add_up_to_what_the_pack_gives():
    """Power balance, each loss on its own: the cells' power is road power plus every loss."""
    curve = pull_curve(a_bike(), a_tune(), np.arange(1.0, 46.0), Conditions(62.0, 60.0))
    pulling = curve.wheel_force_n > 0
    losses = (
        curve.copper_loss_w
        + curve.iron_loss_w
        + curve.inverter_loss_w
        + curve.friction_loss_w
        + curve.drivetrain_loss_w
        + curve.pack_loss_w
    )
    from_cells = 62.0 * curve.battery_current_a
    assert np.allclose((curve.wheel_w + losses)[pulling], from_cells[pulling], rtol=1e-10)


def test_closed_forms_at_standstill_and_at_no_load():
    bike, tune = a_bike(), a_tune(drive__battery_current_a=60)
    motor = bike.motor
    curve = pull_curve(bike, tune, [0.0], Conditions(62.0))
    stall_nm = 1.5 * 23 * 0.019 * 120 - 23 / (2 * math.pi) * motor.hysteresis_loss_w_per_hz - motor.friction_nm
    assert curve.wheel_force_n[0] == pytest.approx(stall_nm * 2 * math.pi / 1.59, rel=1e-12)
    # an ideal machine runs up to the speed at which its back-EMF uses up the voltage
    ideal = a_bike(
        motor__hysteresis_loss_w_per_hz=0,
        motor__eddy_loss_w_per_hz2=0,
        motor__friction_nm=0,
        controller__idle_w=0,
        motor__max_rpm=9000,
    )
    no_load_rad = 0.95 * 62.0 / math.sqrt(3) / 0.019 / 23
    no_load_kmh = no_load_rad * 1.59 / (2 * math.pi) * 3.6
    freer = a_tune(drive__motor_rpm=9000)
    forces = pull_curve(ideal, freer, [no_load_kmh * 0.999, no_load_kmh * 1.001], Conditions(62.0)).wheel_force_n
    assert forces[0] > 0 and forces[1] == 0


@pytest.mark.parametrize(
    ("change", "key"),
    [
        ({"motor__lq_h": 2e-4}, "motor.lq_h"),
        ({"motor__saturation": {"knee_a": 90}}, "motor.saturation"),
        ({"drivetrain__gears": [1.0, 2.0]}, "drivetrain.gears"),
        ({"controller__ratings_by_voltage": [[60, 90]]}, "controller.ratings_by_voltage"),
    ],
)
def test_what_is_not_computed_is_refused_by_name(change, key):
    with pytest.raises(NotComputed, match=key):
        pull_curve(a_bike(**change), a_tune(), [0.0], Conditions(62.0))


def test_field_weakening_is_refused_by_name():
    with pytest.raises(NotComputed, match="drive.field_weakening_a"):
        pull_curve(a_bike(), a_tune(drive__field_weakening_a=20), [0.0], Conditions(62.0))
