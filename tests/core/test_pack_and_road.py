"""Charge, energy and range against their own definitions."""

import math

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from crisp_hornet.core.pack.cells import charge_at, cold_factor, rested_v, tiredness, usable
from crisp_hornet.core.road.performance import steady_ride
from crisp_hornet.core.road.range import energy_map, range_km, stopping_distance_m
from tests.amount import some
from tests.bikes import a_bike


@seed(2)
@settings(max_examples=some(80), deadline=None, database=None)
@given(st.sampled_from(["nmc", "nca", "lfp"]), st.floats(0.02, 0.98), st.integers(7, 28))
def test_charge_and_rested_voltage_are_each_others_inverse(chemistry, charge, series):
    pack = a_bike(battery__chemistry=chemistry, battery__series=series).battery
    found = charge_at(pack, float(rested_v(pack, charge)))
    assert found.value == pytest.approx(charge, abs=1e-6) and 0 < found.spread <= 0.5


def test_a_flat_curve_tells_less_and_a_custom_one_is_used():
    nmc, lfp = (a_bike(battery__chemistry=kind).battery for kind in ("nmc", "lfp"))
    assert charge_at(lfp, float(rested_v(lfp, 0.5))).spread > 3 * charge_at(nmc, float(rested_v(nmc, 0.5))).spread
    own = a_bike(battery__chemistry="custom", battery__rested_v_table=[[0, 3.0], [1, 4.0]]).battery
    assert charge_at(own, 16 * 3.25).value == pytest.approx(0.25)
    for table in (None, [[0, 3.0]], [[0, 4.0], [1, 3.0]], "flat", [[0, "x"], [1, 2]]):
        with pytest.raises(ValueError, match="rested_v_table"):
            rested_v(a_bike(battery__chemistry="custom", battery__rested_v_table=table).battery, 0.5)


@pytest.mark.parametrize(("power", "cutoff"), [(150.0, 48.0), (900.0, 50.0), (1800.0, 46.0)])
def test_usable_energy_agrees_with_discharging_in_time(power, cutoff):
    pack = a_bike().battery

    def volts(q):
        rested = float(rested_v(pack, q))
        return (rested + math.sqrt(rested**2 - 4 * power * pack.resistance_ohm)) / 2

    empty = lambda t, x: volts(x[0]) - cutoff
    empty.terminal = True
    run = solve_ivp(
        lambda t, x: [-power / volts(x[0]) / 3600 / pack.capacity_ah],
        (0, 1e6),
        [0.9],
        events=empty,
        rtol=1e-9,
        max_step=60,
    )
    found = usable(pack, 0.9, cutoff, power)
    assert found.wh == pytest.approx(power * run.t[-1] / 3600, rel=0.005)
    assert found.charge_left == pytest.approx(run.y[0, -1], abs=0.004)


def test_cold_an_early_cutoff_and_a_heavy_load_give_less():
    pack = a_bike().battery
    base = usable(pack, 0.8, 48, 800).wh
    assert base > usable(pack, 0.8, 48, 800, cell_c=-5).wh and base > usable(pack, 0.8, 52, 800).wh > 0
    assert usable(pack, 0.8, 48, 9e5).wh == 0 and usable(pack, 0.01, 60, 100).ah == 0
    assert cold_factor(25) == pytest.approx(1) and 1.8 < cold_factor(0) < 2.2
    assert tiredness(0.12, 0.09) == pytest.approx(1 / 3)


def test_range_and_its_interval_follow_from_energy_and_consumption():
    bike = a_bike()
    found = range_km(bike, 25.0, 0.0, 62.0, 48.0)
    ride = steady_ride(bike, 25.0, 62.0)
    energy = usable(bike.battery, charge_at(bike.battery, 62.0).value, 48.0, ride.battery_w).wh
    assert found.km == pytest.approx(energy / (ride.battery_w / 25)) and found.low_km < found.km < found.high_km
    assert range_km(bike, 40.0, 0.0, 62.0, 48.0).km < found.km


def test_energy_rises_with_speed_and_slope_and_stopping_with_the_square():
    table = energy_map(a_bike(), np.array([20.0, 35.0]), np.array([0.0, 0.05]), 62.0)
    assert table[0, 0] < table[0, 1] and np.all(table[0] < table[1])
    grip = 0.8
    assert stopping_distance_m(36, grip) == pytest.approx(10 + 100 / (2 * 0.6 * grip * 9.80665))
