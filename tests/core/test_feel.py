"""Throttles that ask for power or speed, response maps, anchors of the levels, and levels that feel like others."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given, seed, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.integrate import solve_ivp

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.rider.assist import Motive, exponent_through, family, middle_of, nearest_family
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.rider.match import NoMatch, feel_of, level_like
from crisp_hornet.core.rider.throttle import signal_v, standstill_share, throttle_share, twist_launch
from crisp_hornet.core.road.vehicle import effective_mass_kg, grip_force_n, road_load_n
from crisp_hornet.documents.assist import Level
from crisp_hornet.documents.sensors import Sensors
from crisp_hornet.documents.throttle import ResponsePoint, Throttle
from tests.amount import some
from tests.bikes import a_bike, a_tune

SPEEDS = np.linspace(0, 60, 400)
CURVE = pull_curve(a_bike(), a_tune(), SPEEDS, Conditions(62.0))


@pytest.mark.long
@seed(91)
@settings(max_examples=some(16), deadline=None, database=None)
@given(
    st.sampled_from(["power", "speed"]),
    st.floats(0.1, 1.0),
    st.floats(0.0, 1.5),
    st.floats(20.0, 45.0),
    st.floats(1.0, 8.0),
)
def test_a_launch_that_asks_for_power_or_speed_is_what_a_fine_integration_gives(asks, twist, ramp, ends, taper):
    throttle = Throttle(asks=asks, ramp_s=ramp)
    share = float(throttle_share(throttle, twist))
    assume(share > 0.02)
    mass, grip, full = effective_mass_kg(CURVE.bike), grip_force_n(CURVE.bike), CURVE.wheel_force_n
    most_w = float(np.max(CURVE.wheel_w))

    def pull(t, kmh):
        now = share * (min(t / ramp, 1.0) if ramp > 1e-4 else 1.0)
        by_power, by_speed = now * most_w / max(kmh / 3.6, 1e-3), min(max((now * ends - kmh) / taper, 0.0), 1.0)
        asked = by_power if asks == "power" else full.max() * by_speed
        return min(np.interp(kmh, SPEEDS, full), asked, grip)

    def gain(t, v):
        drives, holds = pull(t, 3.6 * v[0]), float(road_load_n(CURVE.bike, 3.6 * v[0]))
        return [0.0 if v[0] <= 0 and drives <= holds else (drives - holds) / mass]

    found = twist_launch(CURVE, throttle, twist, 5.0, taper_kmh=taper, ends_kmh=ends)
    truth = solve_ivp(gain, (0, 5), [0.0], max_step=0.004, rtol=1e-7).y[0][-1] * 3.6
    assert found.speed_kmh[-1] == pytest.approx(truth, rel=0.02, abs=0.15)


@seed(92)
@settings(max_examples=some(60), deadline=None, database=None)
@given(
    st.lists(st.floats(0.3, 4.9), min_size=2, max_size=8, unique_by=lambda v: round(v, 2)), st.floats(0, 1), st.data()
)
def test_a_response_map_is_straight_between_its_points_whatever_the_throttle(volts, twist, data):
    volts = sorted(round(one, 2) for one in volts)
    shares = sorted(data.draw(st.lists(st.floats(0, 1), min_size=len(volts), max_size=len(volts))))
    points = [ResponsePoint(volts=v, share=s) for v, s in zip(volts, shares, strict=True)]
    rest, full = data.draw(st.floats(0.4, 1.2)), data.draw(st.floats(2.5, 4.6))
    sensors = Sensors(throttle_rest_v=rest, throttle_full_v=full)
    at = rest + twist * (full - rest)
    low = max((k for k in range(len(volts)) if volts[k] <= at), default=None)
    if low is None:
        wanted = shares[0]
    elif low == len(volts) - 1:
        wanted = shares[-1]
    else:
        wanted = shares[low] + (shares[low + 1] - shares[low]) * (at - volts[low]) / (volts[low + 1] - volts[low])
    for dead_band in (0.0, 0.3):
        assert throttle_share(Throttle(response=points, dead_band=dead_band), twist, sensors) == pytest.approx(
            wanted, abs=1e-9
        )


def test_a_throttle_whose_signal_is_half_known_still_rises():
    for sensors in (Sensors(), Sensors(throttle_rest_v=4.4), Sensors(throttle_full_v=0.9)):
        rest, full = signal_v(sensors)
        assert full >= rest + 0.4999
    with pytest.raises(ValidationError, match="above throttle_rest_v"):
        Sensors(throttle_rest_v=2.0, throttle_full_v=2.1)


def test_at_rest_only_a_share_of_the_phase_current_is_a_share_of_the_force():
    assert standstill_share(Throttle(), 0.3) == 0.3
    for asks in ("power", "speed"):
        assert list(standstill_share(Throttle(asks=asks), [0.0, 0.01, 1.0])) == [0.0, 1.0, 1.0]


@seed(93)
@settings(max_examples=some(80), deadline=None, database=None)
@given(st.integers(3, 12), st.floats(0.2, 3.0), st.floats(0.5, 6.0), st.floats(0.12, 0.8))
def test_three_anchors_hold_whatever_lies_between(count, lowest, span, share):
    highest, middle = lowest + span, lowest + share * span
    exponent = exponent_through(count, lowest, highest, middle)
    made = family(count, lowest, highest, exponent)
    assert made[0] == pytest.approx(lowest, abs=1e-3) and made[-1] == pytest.approx(highest, abs=1e-3)
    at = middle_of(count) / (count - 1)
    held = math.log(share) / math.log(at)
    if 0.2 < held < 5.0:
        assert made[middle_of(count)] == pytest.approx(middle, abs=2e-3)
    assert all(low <= high for low, high in pairwise(made))
    assert nearest_family(made).middle == made[middle_of(count)]
    with pytest.raises(ValueError, match="no middle"):
        exponent_through(2, lowest, highest, middle)


@seed(94)
@settings(max_examples=some(24), deadline=None, database=None)
@given(
    st.sampled_from(["torque", "power", "cadence", "blend"]),
    st.sampled_from(["watts per watt", "acceleration"]),
    st.floats(0.3, 6.0),
    st.floats(60.0, 220.0),
    st.sampled_from([0.0, 60.0]),
)
def test_a_matched_level_feels_like_its_model_on_another_bike(style, feel, times, watts, cargo):
    rider, model = Rider(watts=watts), Level(multiplier=times)
    here = Motive.of(CURVE, a_tune(assist={"style": style}))
    heavy = a_bike(chassis__cargo_kg=cargo, chassis__crr=0.02)
    tune = a_tune(assist={"style": "torque"}, drive__phase_current_a=70)
    there = Motive.of(pull_curve(heavy, tune, SPEEDS, Conditions(60.0)), tune)
    wanted = feel_of(there, model, rider, feel)
    try:
        found = level_like(here, Level(multiplier=1.0), rider, feel, wanted)
    except NoMatch as none:
        # the bare legs are quicker already, or all the drive has is too little
        assert none.reaches < wanted or feel_of(here, Level(multiplier=0.0, power_share=0.0), rider, feel) > wanted
        return
    assert feel_of(here, found, rider, feel) == pytest.approx(wanted, rel=0.03, abs=0.02)
