"""Launches, levels, strokes and guards against time-stepping and searches written here on their own."""

import math

import numpy as np
import pytest
from hypothesis import assume, given, seed, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from crisp_hornet.core.drive.inverse import REGEN_BATTERY, REGEN_PHASE, regen_setting_for_force
from crisp_hornet.core.drive.modes import at_start, in_mode, mode_of
from crisp_hornet.core.drive.no_load import lifted_wheel
from crisp_hornet.core.drive.pull import Conditions, pull_curve, regen_curve
from crisp_hornet.core.heat import guarding
from crisp_hornet.core.heat.weakening import weakening_gain
from crisp_hornet.core.pack.cells import rested_v
from crisp_hornet.core.rider.assist import Motive, family, human_watts, level_rides, nearest_family, watts_to_full
from crisp_hornet.core.rider.braking import lever_feel
from crisp_hornet.core.rider.legs import Rider, legs, runs_empty_kmh, starts_at_w
from crisp_hornet.core.rider.stroke import UNEVEN, pedal_stroke
from crisp_hornet.core.rider.throttle import FAMILIES, family_shares, hill_start_back_m, throttle_share, twist_launch
from crisp_hornet.core.road.vehicle import effective_mass_kg, grip_force_n, road_load_n
from crisp_hornet.core.tunes.step_plan import STAND_FIRST, STEP, step_plan
from crisp_hornet.documents.assist import Assist, Level
from crisp_hornet.documents.mode import Mode
from crisp_hornet.documents.throttle import Throttle
from tests.amount import of, some
from tests.bikes import a_bike, a_tune, cases

SPEEDS = np.linspace(0, 60, 400)
CURVE = pull_curve(a_bike(), a_tune(), SPEEDS, Conditions(62.0))


def throttles():
    shares = st.lists(st.floats(0.02, 1.0), min_size=4, max_size=4).map(sorted)
    return st.builds(
        lambda s, dead, ramp: Throttle(share_25=s[0], share_50=s[1], share_75=s[2], maximum=s[3], dead_band=dead, ramp_s=ramp),
        shares, st.floats(0, 0.3), st.floats(0.0, 2.0),
    )  # fmt: skip


@seed(61)
@settings(max_examples=some(20), deadline=None, database=None)
@given(throttles(), st.floats(0.2, 1.0), st.floats(-0.03, 0.1))
def test_a_twist_launch_is_what_a_fine_integration_gives(throttle, twist, grade):
    share = float(throttle_share(throttle, twist))
    mass, grip = effective_mass_kg(CURVE.bike), grip_force_n(CURVE.bike, grade)
    full = CURVE.wheel_force_n

    def pull(t, kmh):
        asked = share * (min(t / throttle.ramp_s, 1.0) if throttle.ramp_s > 1e-4 else 1.0)
        return min(np.interp(kmh, SPEEDS, full), asked * full[0], grip)

    def gain(t, v):
        return [(pull(t, 3.6 * v[0]) - float(road_load_n(CURVE.bike, 3.6 * v[0], grade))) / mass]

    assume(share * full[0] > 1.1 * float(road_load_n(CURVE.bike, 0.0, grade)))
    found = twist_launch(CURVE, throttle, twist, 5.0, grade)
    rolls = np.flatnonzero(found.speed_kmh > 0)
    assume(rolls.size)  # a slow ramp on a slope it hardly climbs: it still rolls back at the end
    standing = rolls[0] - 1  # it rolls once the pull exceeds the load; until then both stand
    exact = solve_ivp(
        gain, (found.time_s[standing], 5.0), [0.0], max_step=0.03, rtol=1e-8, atol=1e-9, dense_output=True
    )
    assert found.speed_kmh[-1] == pytest.approx(3.6 * exact.y[0][-1], rel=0.01, abs=0.02)
    middle = (found.time_s[standing] + 5.0) / 2
    at_middle = float(np.interp(middle, found.time_s, found.speed_kmh))
    assert at_middle == pytest.approx(3.6 * float(exact.sol(middle)[0]), rel=0.01, abs=0.02)
    assert np.all(np.diff(throttle_share(throttle, np.linspace(0, 1, 300))) >= -1e-12)


def test_throttle_families_keep_their_end_and_a_hill_start_rolls_back_as_a_falling_body():
    for name in FAMILIES:
        shares = family_shares(name, 0.8)
        assert shares[-1] == pytest.approx(0.8) and list(shares) == sorted(shares)
    assert family_shares("gentle start", 1.0)[0] < family_shares("linear", 1.0)[0]
    with pytest.raises(KeyError):
        family_shares("steep", 1.0)
    at_once, waits = Throttle(ramp_s=0.0), Throttle(ramp_s=0.0, rolling_back="waits")
    bike, grade = CURVE.bike, 0.08
    theta = math.atan(grade)
    free = 9.80665 * bike.mass_kg * (math.sin(theta) - bike.chassis.crr * math.cos(theta)) / effective_mass_kg(bike)
    stop = (float(CURVE.wheel_force_n[0]) - float(road_load_n(bike, 0.0, grade))) / effective_mass_kg(bike)
    by_hand = free * 0.5**2 / 2 + (free * 0.5) ** 2 / (2 * stop)
    assert hill_start_back_m(CURVE, at_once, grade) == pytest.approx(by_hand, rel=0.03)
    assert math.isinf(hill_start_back_m(CURVE, waits, grade)) and hill_start_back_m(CURVE, waits, -0.02) == 0


def assisted(**assist):
    return a_tune(**{f"assist__{key}": value for key, value in assist.items()})


@pytest.mark.parametrize("style", ["torque", "power", "blend", "cadence"])
@pytest.mark.parametrize("grade", of([0.06], [0.0]))
def test_a_rider_at_each_level_moves_as_in_small_steps(style, grade):
    tune = assisted(style=style, levels=[{"multiplier": m, "power_share": p, "speed_share": s} for m, p, s in
                                         ((2, 0.3, 0.6), (4, 0.6, 0.8), (8, 1, 1))])  # fmt: skip
    motive, rider = Motive.of(CURVE, tune), Rider(140.0, 75.0, most_nm=25.0)
    mass, grip, ramp = effective_mass_kg(CURVE.bike), grip_force_n(CURVE.bike, grade), tune.assist.ramp_s
    for ride, level in zip(level_rides(motive, rider, grade), tune.assist.levels, strict=True):
        v, t, step, seen = 0.0, 0.0, 0.005, {}
        while t < 40:
            kmh = 3.6 * v
            rolls = max(v, 0.5 / 3.6)
            cadence = min(max(75.0, 60 * rolls / 7.5), 60 * rolls / 2.2)
            torque = min(140.0 / (cadence * 2 * math.pi / 60), 25.0) if cadence <= 110.0 else 0.0
            pedals = 0.95 * torque * cadence * 2 * math.pi / 60 / rolls
            motor = float(motive.force_n(level, torque, cadence, kmh)) * min(t / ramp, 1.0)
            v = max(0.0, v + step * (min(motor + pedals, grip) - float(road_load_n(CURVE.bike, kmh, grade))) / mass)
            t += step
            if round(t / step) % 200 == 0:
                seen[round(t)] = 3.6 * v
            if ride.speed_kmh == 0 or (v and 3.6 * v > 0.97 * ride.speed_kmh):
                break
        for at, kmh in seen.items():
            if at in (2, 5, 10, 20, 30) and at < ride.time_s[-1]:
                assert float(np.interp(at, ride.time_s, ride.speeds_kmh)) == pytest.approx(kmh, rel=0.01, abs=0.1)
        if math.isfinite(ride.to_speed_s) and t < 39.9:
            assert 3.6 * v >= 0.9 * ride.speed_kmh


def test_styles_and_shares_by_hand():
    level = Level(multiplier=3.0, power_share=0.5, speed_share=0.5)
    tune = assisted(style="torque", speed_kmh=30.0, levels=[level.model_dump(), level.model_dump()])
    motive = Motive.of(CURVE, tune)
    assert motive.ends_kmh == 30 and motive.speed_of(level) == 15
    # in the gear of the development both styles agree: 4.5 m a turn at 60 rpm are 4.5 m/s
    kmh, torque = 3.6 * 4.5 * 0.8, 15.0
    power = Motive.of(CURVE, assisted(style="power", speed_kmh=30.0, levels=[level.model_dump()] * 2))
    assert float(motive.force_n(level, torque, 48, kmh)) == pytest.approx(float(power.force_n(level, torque, 48, kmh)))
    assert float(motive.force_n(level, torque, 48, kmh)) == pytest.approx(
        3 * float(human_watts(torque, 48)) / (kmh / 3.6)
    )
    assert float(motive.force_n(level, 5.0, 48, kmh)) == 0  # below what starts it
    assert float(motive.force_n(level, torque, 48, 15.01)) == 0  # its speed is over
    most = float(np.max(CURVE.wheel_w))
    strong = Level(multiplier=20.0, power_share=0.25)
    assert float(motive.force_n(strong, 80, 60, 20.0)) * 20 / 3.6 == pytest.approx(0.25 * most, rel=1e-6)
    needs = watts_to_full(motive, strong, 60, 20.0)
    torque = needs / (60 * 2 * math.pi / 60)
    full = float(motive.full_n(strong, 20.0))
    assert float(motive.force_n(strong, 1.001 * torque, 60, 20.0)) == pytest.approx(full)
    assert float(motive.force_n(strong, 0.98 * torque, 60, 20.0)) < full
    assert math.isinf(watts_to_full(motive, level, 60, 20.0))
    assert watts_to_full(Motive.of(CURVE, assisted(style="cadence")), level, 60, 10.0) == 0


@seed(62)
@settings(max_examples=some(100), deadline=None, database=None)
@given(st.integers(3, 12), st.floats(0.2, 3), st.floats(0.5, 10), st.floats(0.3, 3.0))
def test_a_family_is_recognised_with_its_anchors_and_what_is_drawn_by_hand(count, lowest, more, exponent):
    figures = family(count, lowest, lowest + more, exponent)
    found = nearest_family(figures)
    assert (found.lowest, found.highest) == (figures[0], figures[-1]) and found.by_hand == ()
    assert found.exponent == pytest.approx(exponent, abs=0.08) and figures == sorted(figures)
    if count >= 5:
        moved = [*figures]
        moved[2] += 0.1 * more if moved[2] + 0.1 * more < moved[-1] else -0.1 * more
        assert 2 in nearest_family(moved).by_hand


@seed(63)
@settings(max_examples=some(30), deadline=None, database=None)
@given(
    st.floats(12, 60),
    st.floats(40, 100),
    st.floats(0, 200),
    st.floats(0, 1.0),
    st.floats(0, 1),
    st.floats(0, 1),
    st.floats(0, 90),
)
def test_a_stroke_is_what_small_steps_give(torque, cadence, smoothing, ramp, hold, stop, start_deg):
    assist = Assist(smoothing_deg=smoothing, ramp_s=ramp, hold_s=hold, stop_s=stop, start_deg=start_deg, start_nm=5.0)
    found, step, turn = pedal_stroke(assist, torque, cadence), 0.0005, 60 / cadence
    window = max(round(smoothing / 360 * turn / step), 1)
    pushes, now, held, starts, stops = [], 0.0, 0.0, None, None
    total = 0.0
    for k in range(round((5 * turn + 1.6) / step)):
        t = k * step
        human = torque * (1 - UNEVEN * math.cos(4 * math.pi * t / turn)) if t < 5 * turn else 0.0
        pushes.append(human)
        total += human - (pushes[-window - 1] if len(pushes) > window else 0.0)
        sensed = total / window
        asked = sensed if sensed >= 5.0 and min(t, 5 * turn) / turn * 360 >= start_deg and sensed > 1e-9 else 0.0
        if asked >= now:
            now, held = min(asked, now + (2 * torque / ramp * step if ramp > 0 else math.inf)), 0.0
        elif asked > 0:
            now, held = max(asked, now - (2 * torque / stop * step if stop > 0 else math.inf)), 0.0
        else:
            held += step
            if held > hold:
                now = max(0.0, now - (2 * torque / stop * step if stop > 0 else math.inf))
        starts = t if starts is None and now >= torque / 2 else starts
        stops = t - 5 * turn if stops is None and t >= 5 * turn and now <= torque / 20 else stops
    assert found.starts_s == pytest.approx(starts, rel=0.01, abs=0.006)  # its own step is 4 ms
    if stops is not None:
        assert found.stops_s == pytest.approx(stops, rel=0.01, abs=0.01)
    assert found.starts_deg == pytest.approx(found.starts_s / turn * 360)


def test_more_smoothing_follows_later_and_more_evenly():
    short, long = (pedal_stroke(Assist(smoothing_deg=deg, ramp_s=0.05), 20, 70) for deg in (30.0, 180.0))
    assert short.lags_deg < long.lags_deg and short.ripple > 0.5 > 0.05 > long.ripple
    assert math.isinf(pedal_stroke(Assist(start_nm=40.0), 10, 70).starts_s)


# --- guards -------------------------------------------------------------------------------------------------


@seed(64)
@settings(max_examples=some(60), deadline=None, database=None)
@given(st.floats(0.02, 0.4), st.floats(10, 50), st.floats(0.3, 6), st.integers(5, 95))
def test_the_share_left_by_charge_is_the_fixed_point(ohm, amps, wide, percent):
    bike = a_bike(battery__resistance_ohm=ohm)
    tune = a_tune(
        drive__battery_current_a=amps, battery_guard__fade_end_v=47.0, battery_guard__fade_start_v=47.0 + wide
    )
    charges, shares = guarding.share_by_charge(bike, tune)
    at = int(np.argmin(np.abs(charges - percent / 100)))
    open_v = float(rested_v(bike.battery, charges[at]))
    fixed = lambda u: min(max((open_v - u * amps * ohm - 47.0) / wide, 0), 1) - u
    assert shares[at] == pytest.approx(brentq(fixed, 0, 1), abs=1e-9)


def test_what_the_low_voltage_fade_gives_up_is_the_energy_between_its_end_and_the_trip():
    late, early = (a_tune(battery_guard__fade_start_v=v + 2, battery_guard__fade_end_v=v) for v in (50.0, 54.0))
    bike = a_bike()
    one, other = guarding.low_voltage(bike, late), guarding.low_voltage(bike, early)
    assert other.wh_given_up > one.wh_given_up > 0 and other.km_given_up > one.km_given_up
    charges = np.linspace(0, 1, 20001)
    open_v = rested_v(bike.battery, charges)
    loaded = (open_v + np.sqrt(open_v**2 - 4 * 250 * bike.battery.resistance_ohm)) / 2
    between = (loaded <= 54.0) & (loaded >= bike.battery.bms_trip_v)
    by_hand = np.trapezoid(np.where(between, loaded, 0), charges) * bike.battery.capacity_ah
    assert other.wh_given_up == pytest.approx(by_hand, rel=0.02)
    assert one.over_trip_v == pytest.approx(50.0 - bike.battery.bms_trip_v) and one.sag_v == pytest.approx(30 * 0.09)
    assert guarding.low_voltage(bike, a_tune(battery_guard__fade_end_v=44.0)).wh_given_up == 0


def test_a_long_climb_fades_as_a_stepped_one_does():
    bike, tune = a_bike(), a_tune(drive__phase_current_a=150)
    found = guarding.climb(bike, tune, 0.08, 62.0, minutes=15.0)
    guard, w, h, s = tune.heat_guard, 25.0, 25.0, 25.0
    m, c = bike.motor.thermal, bike.controller.thermal
    kmhs = []
    for second in range(15 * 60):
        if second % 10 == 0:
            curve = pull_curve(bike, tune, np.linspace(0, 60, 121), Conditions(62.0, winding_c=w, controller_c=s))
            spare = curve.wheel_force_n - road_load_n(bike, curve.speed_kmh, 0.08)
            end = int(np.argmax(spare < 0))
            kmh = (
                float(np.interp(0, [-spare[end - 1], -spare[end]], curve.speed_kmh[end - 1 : end + 1])) if end else 0.0
            )
            amps = float(np.interp(kmh, curve.speed_kmh, curve.phase_current_a))
            kmhs.append(kmh)
        turns = kmh / 3.6 / 1.59 * 2 * math.pi
        hertz = 23 * turns / 2 / math.pi
        iron = (23 / 2 / math.pi * (0.12 + 0.0005 * hertz) + 0.25) * turns
        copper = 1.5 * 0.06 * (1 + 0.00385 * (w - 25)) * amps**2
        w, h, s = (
            w + (copper - m.winding_to_housing_w_per_k * (w - h)) / m.winding_j_per_k,
            h + (iron + m.winding_to_housing_w_per_k * (w - h) - (3 + 0.5 * kmh / 3.6) * (h - 25)) / m.housing_j_per_k,
            s + (1.5 * 0.004 * amps**2 + 6 - (c.to_air_w_per_k + 0.3 * kmh / 3.6) * (s - 25)) / c.heatsink_j_per_k,
        )  # fmt: skip
    assert found.winding_c[-1] == pytest.approx(w, abs=1.5) and found.end_kmh == pytest.approx(kmhs[-1], abs=0.6)
    assert guard.motor_fade_start_c < w < guard.motor_fade_end_c and 0 < found.fade_starts_s < 15 * 60
    cool = guarding.climb(bike, a_tune(drive__phase_current_a=60), 0.0, 62.0, minutes=3.0)
    assert math.isnan(cool.fade_starts_s) and np.all(cool.share == 1)


def test_regen_by_charge_closes_as_the_pack_fills():
    found = guarding.regen_by_charge(a_bike(), a_tune())
    assert found.current_a[0] == pytest.approx(8, abs=0.1) and found.current_a[-1] < found.current_a[0]
    assert found.allowed_cold_a < found.allowed_a and np.all(np.diff(found.current_a[20:]) <= 1e-3)


@seed(65)
@settings(max_examples=some(60), deadline=None, database=None)
@given(cases(interior=True, weakening=False), st.floats(0.15, 0.9))
def test_a_dragged_regen_edge_lands_where_it_was_put(case, share):
    bike, tune, volts, _ = case
    tune = a_tune(
        regen__phase_current_a=30.0, regen__battery_current_a=500.0, regen__fade_start_v=150.0, regen__fade_end_v=160.0
    )
    volts = min(max(volts, bike.battery.series * 3.3), bike.battery.series * 4.1)
    assume(bike.controller.max_phase_current_a > 31)
    conditions = Conditions(volts)
    speeds = np.linspace(1, 15, 15)
    curve = regen_curve(bike, tune, speeds, conditions)
    at = int(share * 14)
    assume(bool(curve.running[at]) and curve.wheel_force_n[at] < -1)
    assume(abs(float(curve.phase_current_a[at]) - 30) < 0.01)  # not where the voltage ends it
    found = regen_setting_for_force(bike, REGEN_PHASE, float(speeds[at]), float(curve.wheel_force_n[at]), conditions)
    assert found == pytest.approx(30.0, rel=0.01)
    charge = -float(curve.battery_current_a[at])
    found = regen_setting_for_force(bike, REGEN_BATTERY, float(speeds[at]), float(curve.wheel_force_n[at]), conditions)
    assert found == pytest.approx(max(charge, 0.0), rel=0.02, abs=0.05)


# --- modes, steps, weakening --------------------------------------------------------------------------------


@seed(66)
@settings(max_examples=some(60), deadline=None, database=None)
@given(cases(), st.floats(1, 300), st.floats(1, 100), st.none() | st.floats(5, 80), st.none() | st.floats(50, 4000))
def test_a_mode_never_gives_more_than_the_tune(case, phase, battery, kmh, watts):
    bike, tune, volts, winding = case
    mode = Mode(
        name="Guest", phase_current_a=phase, battery_current_a=battery, speed_kmh=kmh, power_w=watts, highest_level=2
    )
    held = in_mode(tune, mode)
    speeds, conditions = np.linspace(0, 60, 31), Conditions(volts, winding)
    whole, gentle = (pull_curve(bike, one, speeds, conditions).wheel_force_n for one in (tune, held))
    assert np.all(gentle <= whole * (1 + 2e-3) + 0.3) and len(held.assist.levels) == 2
    both = tune.model_copy(update={"modes": [mode.model_copy(update={"starts": True})]})
    assert at_start(both).drive == held.drive and at_start(tune) is tune
    assert mode_of(both, "Guest").phase_current_a == phase
    with pytest.raises(LookupError, match="Guest"):
        mode_of(both, "Full")


@seed(67)
@settings(max_examples=some(60), deadline=None, database=None)
@given(st.floats(20, 150), st.floats(20, 170), st.floats(10, 45), st.floats(10, 50), st.floats(0.0, 3.0))
def test_steps_go_up_evenly_and_end_at_the_goal(phase, goal_phase, battery, goal_battery, ramp):
    now = a_tune(drive__phase_current_a=round(phase, 1), drive__battery_current_a=round(battery, 1))
    goal = a_tune(
        drive__phase_current_a=round(goal_phase, 1),
        drive__battery_current_a=round(goal_battery, 1),
        throttle__ramp_s=ramp,
    )
    steps = step_plan(now, goal)
    if not now.differing(goal):
        assert steps == []
        return
    assert steps[-1].tune is goal and all(step.checks for step in steps) and len(steps) <= 6
    for key in ("drive.phase_current_a", "drive.battery_current_a"):
        row = [now.setting(key), *(step.tune.setting(key) for step in steps)]
        end = goal.setting(key)
        if end <= row[0]:
            assert set(row[1:]) == {end}  # what eases changes at once
        else:
            assert row == sorted(row)
            if len(steps) < 6:
                assert max(np.diff(row)) <= STEP * end + 0.11
    assert step_plan(goal, goal) == []


def test_a_wheel_is_only_let_run_on_the_stand_where_its_back_emf_stays_under_the_rating():
    """28 mWb·1.0275 cold, 23 pole pairs: 90 V are reached at 758 rpm, whatever made the motor turn so fast."""
    bike, now = a_bike(motor__flux_linkage_wb=0.028), a_tune(drive__motor_rpm=500)
    for weakening, rpm, safe in ((0, 900, True), (60, 700, True), (60, 900, False)):
        goal = a_tune(drive__field_weakening_a=weakening, drive__motor_rpm=rpm)
        assert (STAND_FIRST in step_plan(now, goal, bike)[-1].checks) is safe
        by_hand = math.sqrt(3) * 23 * 2 * math.pi / 60 * 0.028 * (1 + 0.0011 * 25)
        unloaded = 67.2 * 0.95 / math.sqrt(3) / (0.028 - 1.4e-4 * weakening) / 23 * 60 / 2 / math.pi
        lifted = lifted_wheel(bike, goal)
        assert lifted.rpm == pytest.approx(min(rpm, unloaded)) and lifted.emf_v == pytest.approx(by_hand * lifted.rpm)
    assert any("Not on the stand" in one for one in step_plan(now, goal, bike)[-1].checks)


def test_weakening_says_what_it_brings_costs_and_where_it_ends():
    bike = a_bike(motor__flux_linkage_wb=0.03)
    gain = weakening_gain(bike, a_tune(drive__field_weakening_a=30), np.linspace(0, 70, 141), Conditions(60.0), 120.0)
    assert gain.with_kmh > gain.without_kmh + 1 and gain.extra_w > 0 and gain.extra_k > 0
    enough = pull_curve(bike, a_tune(drive__field_weakening_a=gain.useful_a), np.linspace(0, 70, 141), Conditions(60.0))
    most = pull_curve(bike, a_tune(drive__field_weakening_a=120), np.linspace(0, 70, 141), Conditions(60.0))
    assert np.allclose(enough.wheel_force_n, most.wheel_force_n, atol=1.0)


@seed(67)
@settings(max_examples=some(30), deadline=None, database=None)
@given(st.floats(0, 60), st.floats(0, 80), st.floats(0, 25), st.floats(30.0, 130.0))
def test_regen_of_many_packs_at_once_is_what_each_gives_alone(weakening_a, phase_a, battery_a, winding_c):
    bike = a_bike()
    tune = a_tune(
        drive__field_weakening_a=weakening_a, regen__phase_current_a=phase_a, regen__battery_current_a=battery_a
    )
    volts, kmh = rested_v(bike.battery, np.linspace(0.02, 1.0, 7)), np.linspace(5.0, 60.0, 7)
    many = regen_curve(bike, tune, kmh, Conditions(50.0, winding_c), volts)
    for at, volt in enumerate(volts):
        alone = regen_curve(bike, tune, [kmh[at]], Conditions(float(volt), winding_c))
        assert many.wheel_force_n[at] == pytest.approx(alone.wheel_force_n[0], rel=1e-9, abs=1e-9)
        assert many.battery_current_a[at] == pytest.approx(alone.battery_current_a[0], rel=1e-9, abs=1e-9)


@pytest.mark.parametrize("style", ["torque", "cadence"])
def test_a_share_of_battery_current_reaches_the_phase_limit_at_walking_pace(style):
    """Against the motor's own power balance: what a fifth of the current may carry, losses and all, at each speed."""
    tune = assisted(style=style, levels=[{"multiplier": 20, "power_share": 0.22}] * 2)
    kinds = {}
    for kind in ("power", "battery_current", "phase_current", "torque"):
        bike = a_bike(controller__level_share=kind)
        motive = Motive.of(pull_curve(bike, tune, np.linspace(0, 60, 601), Conditions(60.0)), tune)
        kinds[kind] = [float(motive.force_n(tune.assist.levels[0], 90.0, 70.0, kmh)) for kmh in (2.0, 10.0, 25.0)]
    full = [float(np.interp(kmh, CURVE.speed_kmh, pull_curve(a_bike(), tune, CURVE.speed_kmh, Conditions(60.0)).wheel_force_n))
            for kmh in (0.0, 2.0)]  # fmt: skip
    assert kinds["phase_current"][0] == kinds["torque"][0] == pytest.approx(0.22 * full[0], rel=1e-3)
    assert kinds["power"][0] == pytest.approx(full[1], rel=0.01)
    bike, amps = a_bike(), 0.22 * tune.drive.battery_current_a
    for kmh, force in zip((2.0, 10.0, 25.0), kinds["battery_current"], strict=True):
        omega = 23 * kmh / 3.6 / 1.59 * 2 * math.pi
        watts = amps * (60.0 - amps * bike.battery.resistance_ohm) - bike.controller.idle_w
        ohm, emf = bike.motor.phase_resistance_ohm + bike.controller.resistance_ohm, omega * bike.motor.flux_linkage_wb
        iq = max(np.roots([1.5 * ohm, 1.5 * emf, -watts]))
        drag = 23 / 2 / math.pi * (0.12 + 0.0005 * omega / 2 / math.pi) + 0.25
        by_hand = (1.5 * 23 * 0.019 * min(iq, tune.drive.phase_current_a) - drag) * 2 * math.pi / 1.59
        assert force == pytest.approx(by_hand, rel=0.01)


def test_on_a_hill_the_cadence_drops_and_the_legs_push_harder():
    """No motor at all: power against weight, rolling and air, solved for the speed; below the lowest gear the torque rises to its most."""
    tune = assisted(levels=[{"multiplier": 0, "power_share": 0}] * 2)
    bike = a_bike(chassis__bike_kg=18, chassis__rider_kg=75, chassis__cargo_kg=0)
    motive = Motive.of(pull_curve(bike, tune, np.linspace(0, 60, 1201), Conditions(60.0)), tune)
    for watts, cadence, most_nm, climbs in ((120, 70, 60, True), (150, 45, 60, True), (120, 70, 15, False)):
        ride = level_rides(motive, Rider(watts, cadence, most_nm=most_nm), 0.06)[0]
        assert (ride.speed_kmh > 0) == climbs
        if climbs:
            balance = lambda kmh, watts=watts: 0.95 * watts - float(road_load_n(bike, kmh, 0.06)) * kmh / 3.6
            assert ride.speed_kmh == pytest.approx(brentq(balance, 1.0, 20.0), rel=0.01)
            assert ride.cadence_rpm == pytest.approx(min(cadence, ride.speed_kmh / 3.6 * 60 / 2.2), rel=0.01)
    fast = legs(Rider(150.0, 80.0), np.array([20.0, 45.0, 60.0]))
    rider = Rider(150.0, 80.0)
    last = legs(rider, np.array([runs_empty_kmh(rider) - 0.05, runs_empty_kmh(rider) + 0.05])).force_n
    assert last[0] > 0 and last[1] == 0
    assert float(human_watts(6.0, 80.0)) == pytest.approx(starts_at_w(6.0, rider))
    assert fast.cadence_rpm[0] == 80 and fast.cadence_rpm[1] > 80 and fast.force_n[2] == 0, (
        "beyond what the legs follow they push nothing"
    )


def test_start_delay_and_start_current_shift_and_step_the_start():
    base = {"levels": [{"multiplier": 3.0}] * 2, "ramp_s": 0.4}
    rides = [level_rides(Motive.of(CURVE, assisted(**base, **more)), Rider())[0]
             for more in ({}, {"start_delay_s": 0.5}, {"start_current_a": 60.0})]  # fmt: skip
    at = [np.interp(0.4, ride.time_s, ride.speeds_kmh) for ride in rides]
    assert at[1] < at[0] < at[2]
    pushed = (
        pedal_stroke(assisted(**base).assist, 25.0, 70.0),
        pedal_stroke(assisted(**base, start_delay_s=0.5).assist, 25.0, 70.0),
    )
    assert pushed[1].starts_s == pytest.approx(pushed[0].starts_s + 0.5, abs=0.15)


def test_braking_by_lever_travel_is_the_currents_share_of_torque_and_drag():
    """Surface magnets, a pack that takes it all: torque is proportional to the current, drag comes on top as soon as the motor brakes."""
    bike, conditions = a_bike(battery__bms_charge_a=200), Conditions(56.0)
    base = {
        "regen__phase_current_a": 40,
        "regen__battery_current_a": 200,
        "regen__fade_start_v": 66,
        "regen__fade_end_v": 67,
    }
    omega = 23 * 30 / 3.6 / 1.59 * 2 * math.pi
    drag = 23 / 2 / math.pi * (0.12 + 0.0005 * omega / 2 / math.pi) + 0.25

    def by_hand(share):
        return (1.5 * 23 * 0.019 * 40 * share + drag) * 2 * math.pi / 1.59 / effective_mass_kg(bike) if share else 0.0

    for command, lift in (
        ("lever switch", 0.0),
        ("proportional lever", 0.25),
        ("two-way throttle", 0.0),
        ("none", 0.3),
    ):
        felt = lever_feel(bike, a_tune(braking__command=command, braking__lift_off_share=lift, **base), conditions)
        for travel, seen in zip(felt.travel[::8], felt.braking_mps2[::8], strict=True):
            asked = {"none": 0.0, "lever switch": float(travel >= 0.1)}.get(command, travel)
            assert seen == pytest.approx(by_hand(max(asked, lift)), rel=0.01)
        assert felt.lift_off_mps2 == pytest.approx(by_hand(lift), rel=0.01)
        assert felt.rolls_mps2 == pytest.approx(float(road_load_n(bike, 30.0)) / effective_mass_kg(bike))
