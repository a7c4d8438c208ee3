"""Motor constant, winding, efficiency and the gain of weakening, against rides made from the equations by other means."""

import math

import numpy as np
import pytest

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.motor_seen import motor_seen
from crisp_hornet.core.evidence.weakening_seen import weakening_seen
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S
from tests.amount import some
from tests.bikes import a_bike, a_tune
from tests.core.exhaustive import best_force, state, violation
from tests.evidence.rides import a_round, hidden

KNOWN = {f"sensors__{name}": {"gain_spread": 0.004} for name in ("battery_a", "phase_a")} | {
    "sensors__pack_v": {"gain_spread": 0.0}
}
BIKE = a_bike(**KNOWN)
INTERIOR = a_bike(motor__ld_h=1.0e-4, motor__lq_h=1.9e-4, **KNOWN)
SEEDS = some(60, 30)


def pulled(bike, psi, winding, idle, rng, minutes=8):
    """Pulls and even stretches; what the pack gives follows from the voltages at the motor, not from the sum the core solves."""
    count = round(minutes * 60 / STEP_S)
    time = np.arange(count) * STEP_S
    speed = np.interp(time, np.linspace(0, minutes * 60, 55), rng.uniform(0, 44, 55))
    i_q = np.repeat(rng.choice([0, 8, 25, 50, 85], count // 30 + 1), 30)[:count].astype(float)
    i_d = np.where(speed > 30, -rng.uniform(0, 20, count // 30 + 1).repeat(30)[:count], 0.0)
    winding_c = 25 + 60 * (1 - np.exp(-time / 300))
    ohm = winding * (1 + 0.00385 * (winding_c - 25)) + bike.controller.resistance_ohm
    omega = bike.motor.pole_pairs * 2 * math.pi * speed / 3.6 / bike.drivetrain.wheel_circumference_m
    v_d = ohm * i_d - omega * bike.motor.lq_h * i_q
    v_q = ohm * i_q + omega * (bike.motor.ld_h * i_d + psi)
    watts = 1.5 * (v_d * i_d + v_q * i_q) + idle
    volts = 60 - 0.002 * watts
    phase_gain, pack_gain = 1 + rng.normal(0, 0.004, 2)

    def noisy(values, spread, step):
        return np.round((values + rng.normal(0, spread, count)) / step) * step

    return Ride("pulls", time, {
        "wheel_speed_kmh": noisy(speed, 0.05, 0.1), "pack_v": noisy(volts, 0.05, 0.1), "motor_c": noisy(winding_c, 0.3, 1.0),
        "battery_a": noisy(pack_gain * watts / volts, 0.15, 0.1), "phase_a": noisy(phase_gain * np.hypot(i_d, i_q), 0.4, 0.1),
        "d_axis_a": noisy(phase_gain * i_d, 0.4, 0.1), "throttle": (i_q > 80).astype(float),
    })  # fmt: skip


@pytest.mark.parametrize("bike", [BIKE, INTERIOR], ids=["surface", "interior"])
def test_constant_and_winding_hold_the_truth(bike):
    inside, widths = {"flux": 0, "ohm": 0}, []
    for seed in range(SEEDS):
        rng = np.random.default_rng(seed)
        psi, winding, idle = rng.uniform(0.015, 0.024), rng.uniform(0.04, 0.1), rng.uniform(3, 12)
        seen = motor_seen(pulled(bike, psi, winding, idle, rng), bike)
        assert seen.flux_linkage_wb.known and seen.winding_ohm.known
        inside["flux"] += seen.flux_linkage_wb.low <= psi <= seen.flux_linkage_wb.high
        inside["ohm"] += seen.winding_ohm.low <= winding <= seen.winding_ohm.high
        widths.append((seen.flux_linkage_wb.half_width / psi, seen.winding_ohm.half_width / winding))
    assert all(0.88 * SEEDS <= one <= SEEDS for one in inside.values()), inside
    flux, ohm = np.median(widths, axis=0)
    assert flux < 0.015 and ohm < 0.05


def test_what_the_motor_cannot_be_told_from_says_why():
    ride = pulled(BIKE, 0.019, 0.06, 6, np.random.default_rng(1))
    less = {name: values for name, values in ride.channels.items() if name != "motor_c"}
    cold = motor_seen(Ride("no temperature", ride.time_s, less), BIKE)
    assert cold.flux_linkage_wb.known and "warm copper" in cold.winding_ohm.reason
    bare = {name: values for name, values in ride.channels.items() if name != "phase_a"}
    assert "phase current" in motor_seen(Ride("no phase", ride.time_s, bare), BIKE).flux_linkage_wb.reason
    geared = a_bike(drivetrain__gears=[1.0, 1.5])
    assert "with gears" in motor_seen(ride, geared).flux_linkage_wb.reason
    still = {name: np.full(len(ride), values[400]) for name, values in ride.channels.items()}
    assert not motor_seen(Ride("one point", ride.time_s, still), BIKE).flux_linkage_wb.known


def test_without_the_d_current_only_what_cannot_be_weakened_counts():
    """Rows that were weakened would make the constant too small: those near the voltage's end are left out."""
    inside = 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        psi = rng.uniform(0.015, 0.024)
        ride = pulled(BIKE, psi, 0.06, 6, rng)
        less = {name: values for name, values in ride.channels.items() if name != "d_axis_a"}
        slow = less["wheel_speed_kmh"] > 30  # where the maker weakens, the voltage is at its end
        less["pack_v"] = np.where(slow, less["pack_v"] * 0.6, less["pack_v"])
        less["battery_a"] = np.where(slow, less["battery_a"] / 0.6, less["battery_a"])
        told = motor_seen(Ride("no d", ride.time_s, less), BIKE).flux_linkage_wb
        inside += told.known and told.low <= psi <= told.high
    assert inside >= 17
    assert "d-current is needed" in motor_seen(Ride("no d", ride.time_s, less), INTERIOR).flux_linkage_wb.reason


def test_what_reaches_the_road_at_full_throttle():
    """The maker of rides loses power its own way; the sum of what it gave and took is the truth."""
    inside = known = 0
    rides = some(14, 7)
    for seed in range(rides):
        rng = np.random.default_rng(seed)
        truth = hidden(BIKE, rng, wind=0.0)
        truth.wheel, truth.crr, truth.cda = 1.0, BIKE.chassis.crr, BIKE.chassis.cda_m2
        ride = a_round(truth, rng, minutes=35)
        one = motor_seen(ride, BIKE).efficiency
        speed = ride.get("wheel_speed_kmh") / 3.6
        drive = np.minimum(380.0, 2200 / np.maximum(speed, 1.0))
        full = (ride.get("throttle") > 0.99) & (speed > 1.2) & ~(ride.get("human_nm") > 4)
        given, taken = (drive * speed)[full], (drive * speed / 0.86 + 0.00055 * drive**2 + 4)[full]
        known += one.known
        inside += one.known and one.low <= given.sum() / taken.sum() <= one.high
    assert known >= rides - 2 and inside >= known - 2


SLOW = a_bike(motor__flux_linkage_wb=0.03)  # turns slowly by itself: weakening has something to give
WEAKENED = a_tune(
    drive__field_weakening_a=40, drive__battery_current_a=50, drive__phase_current_a=110, drive__motor_rpm=900
)
RESTED_V = 58.0


def weakened_ride(tune, rng, bike=SLOW):
    """Full throttle up and down through the weakened speeds; currents by trying them all."""
    table, weakening = [], tune.drive.field_weakening_a
    for v in np.arange(18.0, 48.0, 1.0):
        i_q, i_d = np.meshgrid(np.linspace(0, 110, 441), np.linspace(-weakening, 0, 81), indexing="ij")
        fits = violation(bike, tune, RESTED_V, 40.0, v, i_d, i_q) <= 0
        pull = state(bike, RESTED_V, 40.0, v, i_d, i_q)["force"] + 1e-3 * i_d  # no more weakening than it takes
        at = int(np.argmax(np.where(fits, pull, -np.inf)))
        one = state(bike, RESTED_V, 40.0, v, i_d.flat[at], i_q.flat[at])
        table.append((v, i_d.flat[at], i_q.flat[at], one["pack_v"], one["ib"], one["force"]))
    table = np.array(table)
    time = np.arange(1200) * 0.2
    speed = 33 + 14 * np.sin(time / 9)
    d, q, volts, amps = (np.interp(speed, table[:, 0], table[:, at]) for at in (1, 2, 3, 4))
    ride = Ride("weakened", time, {
        "wheel_speed_kmh": speed, "throttle": np.ones(1200), "d_axis_a": d + rng.normal(0, 0.3, 1200),
        "phase_a": np.hypot(d, q) + rng.normal(0, 0.3, 1200), "pack_v": volts + rng.normal(0, 0.03, 1200),
        "battery_a": amps + rng.normal(0, 0.1, 1200), "motor_c": np.full(1200, 40.0),
    })  # fmt: skip
    return ride, table, speed, d


def test_the_gain_of_weakening_is_what_an_exhaustive_search_says():
    ride, table, speed, i_d = weakened_ride(WEAKENED, np.random.default_rng(2))
    plain = WEAKENED.with_setting("drive.field_weakening_a", 0.0)
    more = table[:, 5] - np.array([best_force(SLOW, plain, RESTED_V, 40.0, v) for v in table[:, 0]])
    at_work = i_d < -3.0
    truth = float(np.interp(speed[at_work], table[:, 0], more).mean())
    seen = weakening_seen(ride, SLOW, WEAKENED, Estimate(44.0, 43.7, 44.3, "km/h"))
    assert seen.gain_n.value == pytest.approx(truth, abs=1.5) and seen.gain_n.low - 1 <= truth <= seen.gain_n.high + 1
    assert seen.seconds == pytest.approx(at_work.sum() * 0.2, rel=0.05)
    heat = 1.5 * SLOW.motor.phase_resistance_ohm * (1 + 0.00385 * 15) * float((i_d[at_work] ** 2).mean())
    assert seen.heat_w.value == pytest.approx(heat, rel=0.05)
    speeds = np.linspace(0, 60, 241)
    curve = pull_curve(SLOW, plain, speeds, Conditions(RESTED_V, 40.0))
    load = SLOW.mass_kg * 9.80665 * SLOW.chassis.crr + 0.6 * SLOW.chassis.cda_m2 * (speeds / 3.6) ** 2
    top = speeds[np.flatnonzero(curve.wheel_force_n < load)[0]]
    assert seen.gain_kmh.value == pytest.approx(44.0 - top, abs=0.5)


def test_weakening_that_was_not_set_or_never_at_work_is_not_judged():
    ride, *_ = weakened_ride(WEAKENED, np.random.default_rng(3))
    plain = WEAKENED.with_setting("drive.field_weakening_a", 0.0)
    top = refused("one way only", "km/h")
    assert weakening_seen(ride, SLOW, plain, top) is None
    slow = Ride("slow", ride.time_s, ride.channels | {"d_axis_a": np.zeros(len(ride))})
    assert weakening_seen(slow, SLOW, WEAKENED, top) is None
    assert "one way" in weakening_seen(ride, SLOW, WEAKENED, top).gain_kmh.reason
