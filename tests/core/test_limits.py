"""Effective limits with their owners, and the caps on pack power against trying every current."""

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.drive.limits import effective_limits, fade
from crisp_hornet.core.pack.battery import charge_floor_w, loaded_voltage, most_power_w, power_cap
from tests.amount import some
from tests.bikes import a_bike, a_tune


def test_the_least_wins_and_its_owner_is_named():
    chain = [
        {"name": "Display", "battery_current_a": 22, "speed_kmh": 25},
        {"name": "Board", "battery_current_a": 40, "power_w": 900},
    ]
    limits = effective_limits(a_bike(chain=chain), a_tune())
    assert (limits.battery_current_a.value, limits.battery_current_a.owner) == (22, "Display")
    assert (limits.power_w.value, limits.power_w.owner) == (900, "Board")
    assert (limits.speed_kmh.value, limits.speed_kmh.owner) == (25, "Display")
    assert limits.phase_current_a.owner == "tune" and limits.motor_rpm.value == 900
    free = effective_limits(a_bike(), a_tune(drive__phase_current_a=999))
    assert (free.phase_current_a.value, free.phase_current_a.owner) == (180, "controller")
    assert (free.power_w.value, free.power_w.owner) == (None, "nobody")


def test_fades_run_from_all_to_nothing_and_may_be_steps():
    assert fade(np.array([90.0, 100, 112.5, 125, 130]), 100, 125).tolist() == [1, 1, 0.5, 0, 0]
    assert fade(np.array([9.9, 10, 11]), 10, 10).tolist() == [1, 0, 0]
    assert fade(1.0, 0.0, 5e-324) == 0.0, "a width that divides to infinity is a step too"


volts, ohms, amps = st.floats(30, 90), st.floats(0, 0.4), st.floats(0, 120)


@seed(12)
@settings(max_examples=some(150), deadline=None, database=None)
@given(volts, ohms, amps, st.floats(0.5, 1.05), st.floats(0, 0.2), st.none() | st.floats(10, 8000))
def test_the_power_cap_is_what_trying_every_current_finds(rested, ohm, limit, end_share, width, watts):
    end = rested * end_share
    start = end + width * rested
    cap = power_cap(rested, ohm, limit, start, end, watts)
    current = np.linspace(0, min(limit, rested / (2 * ohm) if ohm else limit), 4001)
    loaded = rested - current * ohm
    share = np.clip((loaded - end) / (start - end), 0, 1) if start > end else (loaded > end).astype(float)
    fits = current <= share * limit + 1e-9
    best = float((current * loaded)[fits].max())
    best = min(best, watts) if watts is not None else best
    step = (current[1] - current[0]) * rested if limit else 0.0
    assert cap.power_w == pytest.approx(best, abs=2 * step + 1e-6)
    if cap.power_w <= most_power_w(rested, ohm):
        assert float(loaded_voltage(rested, ohm, cap.power_w * (1 - 1e-12))) >= rested / 2 - 1e-6


@seed(13)
@settings(max_examples=some(150), deadline=None, database=None)
@given(volts, st.floats(0.01, 0.4), st.floats(0.1, 60), st.floats(0.95, 1.2), st.floats(0.001, 0.1))
def test_the_charge_floor_is_what_trying_every_current_finds(rested, ohm, limit, end_share, width):
    end = rested * end_share
    start = end - width * rested
    floor = charge_floor_w(rested, ohm, limit, start, end)
    current = np.linspace(0, limit, 4001)
    loaded = rested + current * ohm
    fits = current <= np.clip((end - loaded) / (end - start), 0, 1) * limit + 1e-9
    assert floor == pytest.approx(-float((current * loaded)[fits].max()), abs=2 * current[1] * loaded[-1] + 1e-6)


def test_a_pack_cannot_give_more_than_its_resistance_lets_it():
    assert np.isnan(loaded_voltage(50.0, 0.5, most_power_w(50.0, 0.5) * 1.001))
    assert float(loaded_voltage(50.0, 0.5, most_power_w(50.0, 0.5) * 0.999999)) == pytest.approx(25, rel=0.01)
    assert power_cap(50.0, 0.5, 500, 1, 0, None).limit == "voltage"
