"""The pull curve against an exhaustive search that shares no code with it."""

import math
import random

import numpy as np
import pytest
from hypothesis import given, seed, settings

from crisp_hornet.core.drive.pull import Conditions, pull_curve, regen_curve
from crisp_hornet.core.drive.uncertainty import pull_band
from crisp_hornet.core.road.performance import operating_point
from tests.amount import of, some
from tests.bikes import a_bike, a_tune, cases
from tests.core import exhaustive

# speeds as shares of the no-load speed, so that every machine is seen below, at and far above its base speed
SHARES = np.array([0.0, 0.3, 0.6, 0.85, 0.97, 1.05, 1.2, 1.5, 2.2])


def no_load_kmh(bike, rested_v):
    omega = bike.controller.modulation_limit * rested_v / math.sqrt(3) / bike.motor.flux_linkage_wb
    turns = omega / bike.motor.pole_pairs / bike.drivetrain.ratio / (2 * math.pi)
    return turns * bike.drivetrain.wheel_circumference_m * 3.6


def held_against_search(bike, tune, rested_v, winding_c, speeds):
    """Compare with the search; returns the curve. A point is right if no search finds more and it meets every limit."""
    curve = pull_curve(bike, tune, speeds, Conditions(rested_v, winding_c))
    for k, v in enumerate(speeds):
        expected = exhaustive.best_force(bike, tune, rested_v, winding_c, v, first=81, fine=17, levels=6)
        assert curve.wheel_force_n[k] >= expected - max(0.002 * expected, 0.3)
        if not curve.running[k]:
            assert expected == 0
            continue
        i_d, i_q = curve.id_a[k], curve.iq_a[k]
        assert exhaustive.violation(bike, tune, rested_v, winding_c, v, i_d, i_q) <= 1e-6
        above = exhaustive.mtpa_id(bike, i_q) - i_d
        scale = max(exhaustive.limits_of(bike, tune)["phase"], 1.0)
        assert -1e-6 * scale <= above <= tune.drive.field_weakening_a + 1e-6 * scale
        found = exhaustive.state(bike, rested_v, winding_c, v, i_d, i_q)
        assert curve.battery_current_a[k] == pytest.approx(found["ib"], rel=1e-9, abs=1e-9)
        assert curve.shaft_torque_nm[k] == pytest.approx(found["shaft_nm"], rel=1e-9, abs=1e-9)
    return curve


@seed(20260901)
@settings(max_examples=some(160), deadline=None, database=None)
@given(cases())
def test_force_is_the_true_maximum_and_every_point_meets_every_limit(case):
    bike, tune, rested_v, winding_c = case
    held_against_search(bike, tune, rested_v, winding_c, SHARES * no_load_kmh(bike, rested_v))


@seed(41)
@settings(max_examples=some(60), deadline=None, database=None)
@given(cases(interior=False, weakening=False))
def test_surface_magnets_without_weakening_have_closed_forms(case):
    """With id = 0 the force is the least of three bounds on iq, each with its own formula or a root by bisection."""
    bike, tune, rested_v, winding_c = case
    speeds = SHARES * no_load_kmh(bike, rested_v)
    curve = pull_curve(bike, tune, speeds, Conditions(rested_v, winding_c))
    for k, v in enumerate(speeds):
        fits = lambda q, v=v: exhaustive.violation(bike, tune, rested_v, winding_c, v, 0.0, np.asarray(q)) <= 0
        low, high = 0.0, exhaustive.limits_of(bike, tune)["phase"]
        if not curve.running[k] or not fits(0.0):
            continue
        for _ in range(60):
            low, high = ((low + high) / 2, high) if fits((low + high) / 2) else (low, (low + high) / 2)
        assert curve.iq_a[k] == pytest.approx(low, rel=1e-5, abs=1e-6)


def random_case(rng, **fixed):
    """A motor that needs weakening at speed, with generous limits unless they are fixed."""
    series, inductance = rng.randint(12, 24), 10 ** rng.uniform(-4.3, -3.3)
    bike = a_bike(**({
        "motor__pole_pairs": rng.randint(4, 24), "motor__phase_resistance_ohm": rng.uniform(0.01, 0.12),
        "motor__ld_h": inductance, "motor__lq_h": inductance * rng.choice([1.0, rng.uniform(1.2, 3)]),
        "motor__flux_linkage_wb": rng.uniform(0.005, 0.03), "motor__max_rpm": 60000, "battery__series": series,
        "battery__resistance_ohm": rng.uniform(0.0, 0.15), "controller__max_battery_current_a": 900,
        "controller__max_phase_current_a": 900, "drivetrain__ratio": rng.uniform(1, 8)} | fixed.pop("bike", {})))  # fmt: skip
    settings = {"drive__motor_rpm": 60000, "drive__phase_current_a": 300, "drive__battery_current_a": 400,
                "battery_guard__fade_start_v": 5, "battery_guard__fade_end_v": 2}  # fmt: skip
    return bike, a_tune(**(settings | fixed)), series * rng.uniform(3.3, 4.2)


def test_voltage_alone_decides_far_above_base_speed():
    """Maximum torque per volt: neither the current, nor the weakening limit, nor the pack's power is met."""
    rng, seen = random.Random(1), 0
    while seen < 30:
        bike, tune, rested_v = random_case(rng, drive__field_weakening_a=900.0, drive__phase_current_a=900.0)
        curve = held_against_search(bike, tune, rested_v, 25.0, [rng.uniform(2, 4) * no_load_kmh(bike, rested_v)])
        inside = curve.phase_current_a[0] < 0.98 * 900
        seen += bool(curve.running[0] and inside and curve.limit[0] == "voltage")


def test_weakening_exhausted():
    rng, seen = random.Random(2), 0
    while seen < 30:
        weakening = rng.uniform(5, 40)
        bike, tune, rested_v = random_case(rng, drive__field_weakening_a=weakening)
        curve = held_against_search(bike, tune, rested_v, 25.0, [rng.uniform(0.9, 1.3) * no_load_kmh(bike, rested_v)])
        depth = exhaustive.mtpa_id(bike, curve.iq_a[0]) - curve.id_a[0]
        seen += bool(curve.running[0] and depth > 0.999 * weakening)


@pytest.mark.parametrize("fade", ["heat", "speed", "low_voltage"])
def test_each_fade_while_it_is_active(fade):
    rng, seen = random.Random(fade), 0
    while seen < 30:
        settings = {
            "drive__field_weakening_a": rng.choice([0.0, rng.uniform(5, 80)]),
            "drive__phase_current_a": rng.uniform(30, 200),
        }
        winding_c = rng.uniform(101, 124) if fade == "heat" else 25.0
        bike, tune, rested_v = random_case(rng, **settings)
        speed = rng.uniform(0.1, 1.1) * no_load_kmh(bike, rested_v)
        if fade == "speed":
            tune = tune.with_setting("drive.speed_taper_kmh", 8.0).with_setting(
                "drive.speed_kmh", speed + rng.uniform(0.5, 7.5)
            )
        if fade == "low_voltage":
            tune = tune.with_setting("battery_guard.fade_start_v", rested_v + 1).with_setting(
                "battery_guard.fade_end_v", rested_v - rng.uniform(0.2, 5)
            )
            tune = tune.with_setting("drive.battery_current_a", rng.uniform(10, 60))
        curve = held_against_search(bike, tune, rested_v, winding_c, [speed])
        seen += bool(curve.running[0] and curve.limit[0] == fade)


def test_where_three_limits_meet():
    """Set current and power limits to just what a voltage-limited point uses: all three meet there."""
    rng, seen = random.Random(3), 0
    while seen < 30:
        bike, tune, rested_v = random_case(rng, drive__field_weakening_a=rng.uniform(10, 90))
        speed = rng.uniform(0.9, 1.6) * no_load_kmh(bike, rested_v)
        free = pull_curve(bike, tune, [speed], Conditions(rested_v))
        if not free.running[0] or free.limit[0] != "voltage" or free.wheel_force_n[0] <= 1:
            continue
        met = tune.with_setting("drive.phase_current_a", float(free.phase_current_a[0]))
        met = met.with_setting("drive.power_w", float(free.battery_w[0]))
        curve = held_against_search(bike, met, rested_v, 25.0, [speed * 0.98, speed, speed * 1.02])
        assert curve.wheel_force_n[1] == pytest.approx(free.wheel_force_n[0], rel=1e-4)
        seen += 1


def test_where_nothing_is_feasible_only_the_idle_draw_is_left():
    rng = random.Random(4)
    for _ in range(30):
        bike, tune, rested_v = random_case(
            rng, drive__field_weakening_a=0.0, bike={"motor__lq_h": 1e-4, "motor__ld_h": 1e-4}
        )
        curve = held_against_search(bike, tune, rested_v, 25.0, [rng.uniform(1.02, 3) * no_load_kmh(bike, rested_v)])
        assert not curve.running[0] and curve.limit[0] == "voltage" and curve.wheel_force_n[0] == 0
        assert curve.battery_w[0] == bike.controller.idle_w and curve.phase_current_a[0] == 0


def test_the_named_limit_is_the_one_whose_release_gains_most():
    """Release each limit by 1 % and solve again: the named one gains most, in at least 99 of 100 points."""
    rng, wrong, judged = random.Random(5), 0, 0
    releases = {"phase": "drive.phase_current_a", "battery": "drive.battery_current_a", "power": "drive.power_w",
                "weakening": "drive.field_weakening_a"}  # fmt: skip
    for _ in range(60):
        bike, tune, rested_v = random_case(
            rng, drive__field_weakening_a=rng.choice([0.0, rng.uniform(5, 90)]), drive__phase_current_a=rng.uniform(10, 200),
            drive__battery_current_a=rng.uniform(5, 80), drive__power_w=rng.choice([None, rng.uniform(200, 4000)]))  # fmt: skip
        speeds = SHARES * no_load_kmh(bike, rested_v)
        curve = pull_curve(bike, tune, speeds, Conditions(rested_v))
        gains = {name: pull_curve(bike, tune.with_setting(path, value * 1.01), speeds, Conditions(rested_v)).shaft_torque_nm
                 for name, path in releases.items() if (value := tune.setting(path)) is not None}  # fmt: skip
        freer = bike.model_copy(
            update={"controller": bike.controller.model_copy(update={"modulation_limit": 0.95 * 1.01})}
        )
        gains["voltage"] = pull_curve(freer, tune, speeds, Conditions(rested_v)).shaft_torque_nm
        for k in np.flatnonzero(curve.running & (curve.shaft_torque_nm > 0.1)):
            gained = {name: values[k] - curve.shaft_torque_nm[k] for name, values in gains.items()}
            judged += 1
            wrong += gained.get(str(curve.limit[k]), 0.0) < 0.9 * max(gained.values()) - 1e-5
    assert judged > 300 and wrong <= judged / 100


@pytest.mark.parametrize("interior", [False, True])
def test_regen_is_the_strongest_braking_inside_its_limits(interior):
    """Against a search of its own over (id, iq ≤ 0): phase limit, voltage, weakening band and what the pack may take."""
    rng = random.Random(interior)
    for _ in range(25):
        ratio = rng.uniform(1.3, 3) if interior else 1.0
        bike, tune, rested_v = random_case(
            rng, drive__field_weakening_a=rng.choice([0.0, rng.uniform(5, 60)]), regen__phase_current_a=rng.uniform(5, 120),
            regen__battery_current_a=rng.uniform(0.5, 25), regen__fade_start_v=40, regen__fade_end_v=rng.choice([200.0, 62.0]),
            bike={"motor__ld_h": 1e-4, "motor__lq_h": 1e-4 * ratio})  # fmt: skip
        speeds = np.array([0.15, 0.5, 0.9, 1.1]) * no_load_kmh(bike, rested_v)
        curve = regen_curve(bike, tune, speeds, Conditions(rested_v))
        limit, weakening = tune.regen.phase_current_a, tune.drive.field_weakening_a
        q, depth = np.meshgrid(
            np.linspace(0, limit, 500), np.linspace(0, weakening, 200 if weakening else 1), indexing="ij"
        )
        i_d = exhaustive.mtpa_id(bike, q) - depth
        for k, v in enumerate(speeds):
            fits = regen_violation(bike, tune, rested_v, v, i_d, -q) <= 0
            torque = exhaustive.state(bike, rested_v, 25.0, v, i_d, -q)["shaft_nm"]
            best = -np.where(fits, torque, 0.0).min() if fits.any() else 0.0
            gain = (
                bike.drivetrain.ratio
                / bike.drivetrain.efficiency
                / (bike.drivetrain.wheel_circumference_m / 2 / math.pi)
            )
            assert -curve.wheel_force_n[k] >= best * gain * (1 - 2e-3) - 0.3
            if curve.running[k]:
                assert regen_violation(bike, tune, rested_v, v, curve.id_a[k], curve.iq_a[k]) <= 1e-6


def regen_violation(bike, tune, rested_v, v, i_d, i_q):
    s, regen = exhaustive.state(bike, rested_v, 25.0, v, i_d, i_q), tune.regen
    fade = np.clip((regen.fade_end_v - s["pack_v"]) / (regen.fade_end_v - regen.fade_start_v), 0, 1)
    over = [np.hypot(i_d, i_q) / regen.phase_current_a - 1,
            s["v"] / (bike.controller.modulation_limit * s["pack_v"] / math.sqrt(3)) - 1,
            (-s["ib"] - fade * regen.battery_current_a) / regen.battery_current_a]  # fmt: skip
    return np.max(np.array(np.broadcast_arrays(*over)), axis=0)


@pytest.mark.parametrize("curve_of", [pull_curve, regen_curve])
def test_losses_add_up_to_what_the_pack_gives(curve_of):
    """Power balance, each loss on its own: the cells' power is road power plus every loss, whichever way it flows."""
    curve = curve_of(a_bike(), a_tune(), np.arange(1.0, 46.0), Conditions(62.0, 60.0))
    pulling = curve.wheel_force_n != 0
    assert pulling.sum() > 20
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


@pytest.mark.parametrize("interior", of([True], [False]))
def test_a_saturating_motor_against_the_search(interior):
    rng = random.Random(interior + 6)
    for _ in range(25):
        ratio = rng.uniform(1.2, 2.5) if interior else 1.0
        bike, tune, rested_v = random_case(
            rng, drive__field_weakening_a=rng.choice([0.0, rng.uniform(5, 60)]), drive__phase_current_a=rng.uniform(40, 250),
            bike={"motor__ld_h": 1e-4, "motor__lq_h": 1e-4 * ratio,
                  "motor__saturation": {"at_a": rng.uniform(80, 250), "flux_drop": rng.uniform(0.05, 0.4)}})  # fmt: skip
        curve = held_against_search(bike, tune, rested_v, 25.0, SHARES[:7] * no_load_kmh(bike, rested_v))
        linear = bike.model_copy(update={"motor": bike.motor.model_copy(update={"saturation": None})})
        stall = pull_curve(linear, tune, [0.0], Conditions(rested_v)).wheel_force_n[0]
        assert curve.wheel_force_n[0] < stall
        part = operating_point(bike, 10.0, 0.5 * curve.wheel_force_n[0], rested_v)
        if math.isfinite(part.iq_a):
            found = exhaustive.state(bike, rested_v, 25.0, 10.0, part.id_a, part.iq_a)
            assert found["force"] == pytest.approx(0.5 * curve.wheel_force_n[0], rel=1e-4)


def test_gears_give_the_best_of_each_and_balance_their_power():
    bike = a_bike(drivetrain__gears=[1.0, 1.8, 3.0], drivetrain__efficiency=0.95, motor__max_rpm=5000)
    tune = a_tune(drive__motor_rpm=5000)
    speeds = np.linspace(0.5, 60, 80)
    curve = pull_curve(bike, tune, speeds, Conditions(62.0))
    single = [pull_curve(bike.in_gear(ratio), tune, speeds, Conditions(62.0)) for ratio in (1.0, 1.8, 3.0)]
    assert np.allclose(curve.wheel_force_n, np.max([one.wheel_force_n for one in single], axis=0))
    assert set(curve.ratio) == {1.0, 1.8, 3.0} and curve.bike_at(1.0).drivetrain.ratio == 3.0
    pulling = curve.wheel_force_n > 0
    losses = (curve.copper_loss_w + curve.iron_loss_w + curve.inverter_loss_w + curve.friction_loss_w
              + curve.drivetrain_loss_w + curve.pack_loss_w)  # fmt: skip
    assert np.allclose((curve.wheel_w + losses)[pulling], (62.0 * curve.battery_current_a)[pulling], rtol=1e-9)
    each = [operating_point(bike.in_gear(ratio), 20.0, 80.0, 62.0).battery_w for ratio in (1.0, 1.8, 3.0)]
    assert operating_point(bike, 20.0, 80.0, 62.0).battery_w == min(each)


def test_warm_magnets_pull_less_and_run_faster():
    cold, warm = (pull_curve(a_bike(), a_tune(), [0.0, 66.0], Conditions(62.0, magnet_c=c)) for c in (25.0, 100.0))
    assert warm.wheel_force_n[0] == pytest.approx(cold.wheel_force_n[0] * (1 - 0.0011 * 75), rel=0.01)
    assert warm.wheel_force_n[1] >= cold.wheel_force_n[1]


@pytest.mark.parametrize(("rested_v", "phase_a"), [(50.0, 90.0), (60.0, 90.0), (60.1, 40.0), (80.0, 40.0)])
def test_the_rating_is_that_of_the_rested_voltage(rested_v, phase_a):
    rows = [{"up_to_v": 72, "phase_current_a": 40.0}, {"up_to_v": 60, "phase_current_a": 90.0}]
    bike, tune = a_bike(controller__ratings_by_voltage=rows), a_tune(drive__phase_current_a=1000.0)
    for curve in (pull_curve(bike, tune, [0.0], Conditions(rested_v)),
                  regen_curve(bike, a_tune(regen__phase_current_a=900.0), [25.0], Conditions(rested_v))):  # fmt: skip
        assert curve.phase_current_a[0] <= phase_a * (1 + 1e-9)
    assert pull_curve(bike, tune, [0.0], Conditions(rested_v)).phase_current_a[0] == pytest.approx(phase_a)
    assert pull_band(bike, tune, np.array([0.0]), Conditions(rested_v)).high_n[0] < 2 * phase_a * 10
    general = a_bike(controller__max_phase_current_a=30.0, controller__ratings_by_voltage=rows)
    assert pull_curve(general, tune, [0.0], Conditions(rested_v)).phase_current_a[0] == pytest.approx(30.0)


def test_a_winding_of_nearly_no_resistance_pulls_and_brakes_as_one_of_little():
    rng = random.Random(167)
    for _ in range(40):
        bike, tune, rested_v = random_case(rng, drive__field_weakening_a=rng.choice([0.0, 30.0, 200.0]))
        speeds, conditions = [rng.uniform(0, 2) * no_load_kmh(bike, rested_v) for _ in range(4)], Conditions(rested_v)
        little, hardly = (
            bike.model_copy(update={"motor": bike.motor.model_copy(update={"phase_resistance_ohm": ohm})}) for ohm in (1e-5, 1e-12)
        )  # fmt: skip
        for curve in (pull_curve, regen_curve):
            forces = [curve(one, tune, speeds, conditions).wheel_force_n for one in (little, hardly)]
            assert forces[1] == pytest.approx(forces[0], rel=0.01, abs=1.0)
