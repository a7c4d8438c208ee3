"""Heat against solve_ivp with a right-hand side written here, closed forms, and conservation of energy."""

import math
import random

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.heat.endurance import continuous_curve, seconds_of_full_pull
from crisp_hornet.core.heat.nodes import HeldHeat, Temperatures, continuous_current_a, losses
from tests.bikes import a_bike, a_tune


def right_side(bike, current, v_kmh, ambient):
    """The three heat balances, from the contract alone."""
    m, c, t = bike.motor, bike.controller, bike.motor.thermal
    v = v_kmh / 3.6
    shaft = v / (bike.drivetrain.wheel_circumference_m / 2 / math.pi) * bike.drivetrain.ratio
    f = shaft * m.pole_pairs / 2 / math.pi
    iron = m.hysteresis_loss_w_per_hz * f + m.eddy_loss_w_per_hz2 * f**2

    def slope(_time, x):
        winding, housing, stage = x
        copper = 1.5 * m.phase_resistance_ohm * (1 + 0.00385 * (winding - 25)) * current**2
        over = t.winding_to_housing_w_per_k * (winding - housing)
        out = (t.housing_to_air_w_per_k + t.airflow_w_per_k_per_mps * v) * (housing - ambient)
        cold = (c.thermal.to_air_w_per_k + c.thermal.airflow_w_per_k_per_mps * v) * (stage - ambient)
        return [(copper - over) / t.winding_j_per_k, (iron + m.friction_nm * shaft + over - out) / t.housing_j_per_k,
                (1.5 * c.resistance_ohm * current**2 + c.idle_w - cold) / c.thermal.heatsink_j_per_k]  # fmt: skip

    return slope


def random_thermal(rng):
    return a_bike(motor__thermal={"winding_j_per_k": rng.uniform(100, 900), "housing_j_per_k": rng.uniform(800, 6000),
                                  "winding_to_housing_w_per_k": rng.uniform(1.5, 12), "housing_to_air_w_per_k": rng.uniform(0.8, 6),
                                  "airflow_w_per_k_per_mps": rng.uniform(0, 1)},
                  motor__phase_resistance_ohm=rng.uniform(0.02, 0.2))  # fmt: skip


def test_the_course_of_temperature_agrees_with_integration():
    rng = random.Random(8)
    for _ in range(40):
        bike, current, v, ambient = (
            random_thermal(rng),
            rng.uniform(5, 90),
            rng.choice([0.0, rng.uniform(3, 45)]),
            rng.uniform(-10, 40),
        )
        start = Temperatures(rng.uniform(0, 110), rng.uniform(0, 70), rng.uniform(0, 70))
        held = HeldHeat(bike, losses(bike, current, v), start, ambient)
        times = np.array([1, 20, 120, 600, 1800.0])
        run = solve_ivp(right_side(bike, current, v, ambient), (0, 1800), [start.winding_c, start.housing_c, start.controller_c],
                        t_eval=times, rtol=1e-10, atol=1e-9)  # fmt: skip
        for mine, theirs in zip(
            (held.winding_c(times), held.housing_c(times), held.controller_c(times)), run.y, strict=True
        ):
            assert np.allclose(mine, theirs, atol=0.01 + 1e-6 * np.abs(theirs).max())


def test_energy_is_conserved_with_each_loss_on_its_own():
    rng = random.Random(9)
    for _ in range(20):
        bike, current, v = random_thermal(rng), rng.uniform(5, 60), rng.uniform(0, 40)
        source, held = losses(bike, current, v), HeldHeat(bike, losses(bike, current, v))
        time = np.linspace(0, 900, 20001)
        winding, housing = held.winding_c(time), held.housing_c(time)
        made = np.trapezoid(source.copper_25_w * (1 + 0.00385 * (winding - 25)) + source.housing_w, time)
        t = bike.motor.thermal
        stored = t.winding_j_per_k * (winding[-1] - 25) + t.housing_j_per_k * (housing[-1] - 25)
        left = np.trapezoid((t.housing_to_air_w_per_k + t.airflow_w_per_k_per_mps * v / 3.6) * (housing - 25), time)
        assert stored + left == pytest.approx(made, rel=1e-3)


def test_times_to_a_limit_are_when_the_course_crosses_it():
    rng = random.Random(10)
    for _ in range(40):
        bike, current, v = random_thermal(rng), rng.uniform(20, 120), rng.uniform(0, 40)
        held = HeldHeat(bike, losses(bike, np.array([current]), v))
        seconds = held.seconds_until_winding(100.0)[0]
        if math.isfinite(seconds):
            assert held.winding_c(seconds) == pytest.approx(100.0, abs=1e-3) and held.winding_c(0.98 * seconds) < 100
        else:
            assert held.winding_settles_c[0] <= 100 or held.winding_c(4 * 3600) < 100
        stage = held.seconds_until_controller(40.0)[0]
        assert (
            held.controller_c(stage) == pytest.approx(40.0, abs=1e-6)
            if math.isfinite(stage)
            else held.controller_settles_c[0] <= 40
        )


def test_a_small_winding_cools_like_an_rc_circuit():
    """With a huge housing the winding is one capacity behind one conductance: exp(−t/RC)."""
    bike = a_bike(motor__thermal={"winding_j_per_k": 300, "housing_j_per_k": 1e9, "winding_to_housing_w_per_k": 5,
                                  "housing_to_air_w_per_k": 3, "airflow_w_per_k_per_mps": 0.5})  # fmt: skip
    cools = HeldHeat(bike, losses(bike, 0.0, 0.0), Temperatures(105, 25, 25))
    assert float(cools.seconds_until_winding(45.0)) == pytest.approx(300 / 5 * math.log(80 / 20), rel=1e-4)
    assert float(cools.seconds_until_winding(20.0)) == math.inf


def test_thermal_runaway_is_recognised():
    bike = a_bike(motor__thermal={"winding_j_per_k": 100, "housing_j_per_k": 1000, "winding_to_housing_w_per_k": 1.0,
                                  "housing_to_air_w_per_k": 1.0, "airflow_w_per_k_per_mps": 0})  # fmt: skip
    held = HeldHeat(bike, losses(bike, np.array([10.0, 150.0]), 0.0))
    assert held.runs_away.tolist() == [False, True] and held.winding_settles_c[1] == math.inf


def test_the_continuous_curve_settles_at_the_fade_and_no_higher():
    bike, tune, speeds = a_bike(), a_tune(drive__battery_current_a=60), np.linspace(0, 40, 21)
    curve = continuous_curve(bike, tune, speeds, 62.0, ambient_c=30)
    held = HeldHeat(bike, losses(bike, curve.phase_current_a, speeds), None, 30)
    hot = np.maximum(held.winding_settles_c / 100, held.controller_settles_c / 75)
    assert np.all(hot <= 1 + 1e-6)
    by_heat = curve.limit == "phase"
    assert by_heat.any() and np.allclose(hot[by_heat], 1, rtol=1e-6)
    assert np.all(curve.wheel_force_n <= pull_curve(bike, tune, speeds, Conditions(62.0, 100)).wheel_force_n + 1e-6)


def test_full_pull_until_the_fade_errs_only_a_little_and_early():
    """Against integration in which the current follows the winding's temperature."""
    bike, tune = a_bike(), a_tune(drive__battery_current_a=50)
    for v in (4.0, 12.0, 20.0):
        curve = pull_curve(bike, tune, [v], Conditions(62.0, 60.0))
        quick = seconds_of_full_pull(curve, tune)[0]

        def slope(time, x, v=v):
            current = pull_curve(bike, tune, [v], Conditions(62.0, x[0])).phase_current_a[0]
            return right_side(bike, current, v, 25.0)(time, x)

        reach = lambda t, x: x[0] - 100
        reach.terminal = True
        run = solve_ivp(slope, (0, 7200), [25.0, 25, 25], events=reach, rtol=1e-6, max_step=20)
        exact = run.t_events[0][0] if len(run.t_events[0]) else math.inf
        assert quick == pytest.approx(exact, rel=0.04)


@pytest.mark.parametrize("ohm", [0.004, 0.0])
def test_what_the_controller_alone_can_hold_for_ever(ohm):
    """Next to no heat in the winding: copper heat and idle draw of the power stage meet what it gives to the air."""
    bike = a_bike(controller__resistance_ohm=ohm, motor__phase_resistance_ohm=1e-4)
    sink = bike.controller.thermal
    held = continuous_current_a(bike, np.array([0.0, 36.0]), 150.0, 80.0, 25.0)
    given_w = (sink.to_air_w_per_k + sink.airflow_w_per_k_per_mps * np.array([0.0, 10.0])) * 55.0
    if ohm:
        assert 1.5 * ohm * held**2 + bike.controller.idle_w == pytest.approx(given_w)
    else:
        assert (held > 300).all()  # only the winding holds it
