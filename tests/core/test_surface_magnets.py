"""The search for surface magnets against the scan that serves every motor, and against its own limits."""

import numpy as np
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.drive.envelope import _scan, _unhindered
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.motor import electrical_speed
from crisp_hornet.core.drive.pull import Conditions, drive_bounds, drive_power_cap, torque_share
from crisp_hornet.core.drive.surface_magnets import iq_at_power, most_of_surface
from tests.amount import some
from tests.bikes import a_bike, a_tune

SPEEDS = np.linspace(0, 120, 60)


@st.composite
def hindered(draw):
    """Bounds of a surface-magnet motor at the speeds at which the voltage matters."""
    number = lambda low, high: draw(st.floats(low, high, allow_nan=False))
    inductance = 10 ** number(-4.8, -3)
    bike = a_bike(
        motor__ld_h=inductance,
        motor__lq_h=inductance,
        motor__flux_linkage_wb=number(0.005, 0.05),
        motor__phase_resistance_ohm=10 ** number(-2.5, -0.7),
        battery__resistance_ohm=10 ** number(-2, -0.3),
    )
    tune = a_tune(
        drive__field_weakening_a=draw(st.sampled_from([0.0, 5.0, 20.0, 60.0, 150.0])),
        drive__phase_current_a=number(10, 250),
        drive__battery_current_a=number(2, 80),
        drive__speed_kmh=draw(st.sampled_from([30.0, 60.0, 200.0])),
        drive__speed_taper_kmh=5.0,
    )
    conditions = Conditions(bike.battery.series * number(3, 4.2), winding_c=number(20, 150))
    limits = effective_limits(bike, tune)
    share, _ = torque_share(tune, limits, conditions, SPEEDS)
    bounds = drive_bounds(bike, tune, limits, conditions, share, drive_power_cap(bike, tune, limits, conditions))
    omega = electrical_speed(bike, SPEEDS)
    _, settled = _unhindered(bounds, omega)
    return bounds.rows(~settled), omega[~settled]


@seed(21)
@settings(max_examples=some(120), deadline=None, database=None)
@given(hindered())
def test_it_finds_what_the_scan_finds_and_stays_inside_every_limit(case):
    bounds, omega = case
    if omega.size == 0:
        return
    found, scanned = most_of_surface(bounds, omega), _scan(bounds, omega, 1.0)
    assert np.all(found.feasible | ~scanned.feasible)
    gap = np.where(scanned.feasible, scanned.i_q - found.i_q, 0.0)
    assert gap.max(initial=0.0) <= 2e-5 * bounds.current_a.max()
    inside = found.feasible
    assert np.all(bounds.voltage_excess(omega, found.i_d, found.i_q)[inside] <= 1e-8)
    assert np.all((bounds.power_w(omega, found.i_d, found.i_q) - bounds.most_w)[inside] <= 1e-6)
    share = np.maximum(bounds.share, 1e-12)
    assert np.all((np.hypot(found.i_d, found.i_q / share) - bounds.current_a)[inside & (bounds.share > 0)] <= 1e-6)
    assert np.all((found.i_d <= 0)[inside]) and np.all((-found.i_d <= bounds.weakening_a + 1e-9)[inside])


@seed(22)
@settings(max_examples=some(60), deadline=None, database=None)
@given(hindered())
def test_the_current_at_the_power_limit_takes_just_that_power(case):
    bounds, omega = case
    top = np.full(omega.shape, 1e4)
    i_q = iq_at_power(bounds, omega, top)
    power = bounds.power_w(omega, np.zeros_like(omega), i_q)
    reached = bounds.most_w >= bounds.idle_w
    assert np.allclose(power[reached], bounds.most_w[reached], rtol=1e-9, atol=1e-6)
