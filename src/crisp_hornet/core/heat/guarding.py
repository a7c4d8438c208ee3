"""What the guards do to a ride: the low-voltage fade, the heat fades on a long climb, and regen as the pack fills or cools."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.limits import effective_limits, fade
from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve, regen_curve
from crisp_hornet.core.heat.nodes import HeldHeat, Temperatures, losses
from crisp_hornet.core.pack.cells import charge_at, cold_factor, rested_v, usable
from crisp_hornet.core.road.performance import steady_ride
from crisp_hornet.core.road.vehicle import effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

GENTLE_W, CRUISE_KMH = 250.0, 25.0
CHARGES = np.linspace(1.0, 0.0, 101)
CLIMB_STEP_S = 10.0
REGEN_CHARGES = np.array([0, 0.5, 0.75, 0.82, 0.88, 0.92, 0.96, 1.0])  # close where the fade acts
COLD_CHARGE_SHARE = (
    0.2  # of what the board allows, below freezing: what cells of these chemistries bear without plating
)


@dataclass(frozen=True)
class LowVoltage:
    """What the low-voltage fade means. Voltages of the pack; ``felt_charge``: from which charge full pull is faded; ``ends_charge``:
    where a gentle ride (250 W) gets nothing more; ``wh_given_up`` and ``km_given_up``: between there and the board's trip, same ride and 25
    km/h on the flat; ``sag_v`` at the set current."""

    felt_v: float
    felt_charge: float
    ends_charge: float
    wh_given_up: float
    km_given_up: float
    over_trip_v: float
    sag_v: float


def low_voltage(bike: Bike, tune: Tune, cell_c: float = 25.0) -> LowVoltage:
    """The low-voltage fade on this pack at a cell temperature. Raises :class:`ValueError` for a custom chemistry without its curve."""
    battery, guard = bike.battery, tune.battery_guard
    current = effective_limits(bike, tune).battery_current_a.value or 0.0
    sag = current * battery.resistance_ohm * cold_factor(cell_c)
    felt_v = guard.fade_start_v + sag
    ends = usable(battery, 1.0, guard.fade_end_v, GENTLE_W, cell_c).charge_left
    given_up = usable(battery, ends, max(battery.bms_trip_v, 1.0), GENTLE_W, cell_c).wh if ends > 0 else 0.0
    if guard.fade_end_v <= battery.bms_trip_v:
        given_up = 0.0
    cruise = steady_ride(bike, CRUISE_KMH, float(rested_v(battery, 0.5)))
    per_km = cruise.battery_w / CRUISE_KMH
    return LowVoltage(
        felt_v, charge_at(battery, felt_v).value, ends, given_up,
        given_up / per_km if per_km > 0 else math.nan, guard.fade_end_v - battery.bms_trip_v, sag,
    )  # fmt: skip


def share_by_charge(bike: Bike, tune: Tune, cell_c: float = 25.0) -> tuple[Array, Array]:
    """(charge (n,), share of the set battery current that the fade leaves at full pull): the fixed point ``u = fade(E − u·B·Rb)``,
    found in closed form: where the fade acts, ``V = E − u·B·Rb`` and ``u = (V − end)/(start − end)``."""
    battery, guard = bike.battery, tune.battery_guard
    current = effective_limits(bike, tune).battery_current_a.value or 0.0
    sag = current * battery.resistance_ohm * cold_factor(cell_c)
    open_v = rested_v(battery, CHARGES)
    wide = guard.fade_start_v - guard.fade_end_v
    share = (
        (open_v - guard.fade_end_v) / (wide + sag) if wide + sag > 0 else np.where(open_v > guard.fade_end_v, 1.0, 0.0)
    )
    return CHARGES, np.clip(share, 0.0, 1.0)


@dataclass(frozen=True, eq=False)
class Climb:
    """Full throttle up a long hill; arrays (n,) over time. ``share``: what the heat fades leave of the torque; NaN where a fade never
    starts."""

    time_s: Array
    speed_kmh: Array
    winding_c: Array
    controller_c: Array
    share: Array
    fade_starts_s: float
    end_kmh: float


def climb(
    bike: Bike, tune: Tune, grade: float, rested_v: float, ambient_c: float = 25.0, minutes: float = 20.0
) -> Climb:
    """Full throttle on ``grade`` from cold, the speed always where pull meets the hill, the fades at work.

    Steps of 10 s; within each the heat is solved exactly (:class:`~crisp_hornet.core.heat.nodes.HeldHeat`) with the current of its start.
    The pull comes from curves drawn at several shares of torque, between which it is taken as linear.
    """
    speeds = np.linspace(0.0, fastest_kmh(bike), 121)
    guard = tune.heat_guard
    open_guard = tune.model_copy(
        update={"heat_guard": guard.model_copy(update={"motor_fade_start_c": 1e6, "motor_fade_end_c": 1e6})}
    )
    phase = effective_limits(bike, tune).phase_current_a.value or 0.0
    shares = np.array([0.0, 0.15, 0.3, 0.45, 0.6, 0.8, 1.0])
    warm = Conditions(rested_v, winding_c=min(guard.motor_fade_start_c, 90.0))
    curves = [pull_curve(bike, open_guard, speeds, warm, current_a=one * phase) for one in shares]
    held = np.array([_settles_at(curve, grade) for curve in curves])  # (share, (kmh, amps, motor turns))
    count = round(minutes * 60 / CLIMB_STEP_S)
    at = Temperatures(ambient_c, ambient_c, ambient_c)
    rows = []
    for step in range(count + 1):
        left = float(fade(at.winding_c, guard.motor_fade_start_c, guard.motor_fade_end_c))
        left *= float(fade(at.controller_c, guard.controller_fade_start_c, guard.controller_fade_end_c))
        kmh, amps = (float(np.interp(left, shares, held[:, column])) for column in (0, 1))
        turns = float(held[int(np.argmin(np.abs(shares - left))), 2])
        rows.append((step * CLIMB_STEP_S, kmh, at.winding_c, at.controller_c, left))
        heat = HeldHeat(bike, losses(bike, amps, kmh, turns), at, ambient_c)
        at = Temperatures(*(float(one(CLIMB_STEP_S)) for one in (heat.winding_c, heat.housing_c, heat.controller_c)))
    time, speed, winding, stage, share = np.array(rows, dtype=np.float64).T
    faded = np.flatnonzero(share < 1)
    return Climb(
        time, speed, winding, stage, share, float(time[faded[0]]) if faded.size else math.nan, float(speed[-1])
    )


def _settles_at(curve: PullCurve, grade: float) -> tuple[float, float, float]:
    """(speed, phase current, motor turns a wheel turn) where pull meets the hill; standing with the current of standstill where it
    does not start."""
    spare = curve.wheel_force_n - road_load_n(curve.bike, curve.speed_kmh, grade)
    short = np.flatnonzero(spare < 0)
    turns = np.broadcast_to(curve.motor_turns, spare.shape)
    if short.size == 0:
        return float(curve.speed_kmh[-1]), float(curve.phase_current_a[-1]), float(turns[-1])
    end = int(short[0])
    if end == 0:
        return 0.0, float(curve.phase_current_a[0]), float(turns[0])
    share = spare[end - 1] / (spare[end - 1] - spare[end])
    kmh, amps = (
        float(one[end - 1] + share * (one[end] - one[end - 1])) for one in (curve.speed_kmh, curve.phase_current_a)
    )
    return kmh, amps, float(turns[end - 1])


@dataclass(frozen=True, eq=False)
class RegenByCharge:
    """Over the charge (n,): the current the pack takes in at 30 km/h (A, ≥ 0), what it may take warm and cold, and the deceleration on
    the flat (m/s²)."""

    charge: Array
    current_a: Array
    allowed_a: float
    allowed_cold_a: float
    braking_mps2: Array


def regen_by_charge(bike: Bike, tune: Tune, speed_kmh: float = 30.0) -> RegenByCharge:
    """What regen does as the pack fills. Raises :class:`ValueError` for a custom chemistry without its curve."""
    charges = REGEN_CHARGES
    volts = rested_v(bike.battery, charges)
    curve = regen_curve(bike, tune, np.full(charges.shape, speed_kmh), Conditions(float(volts[-1])), volts)
    currents = np.maximum(-curve.battery_current_a, 0.0)
    board = bike.battery.bms_charge_a
    return RegenByCharge(
        charges,
        currents,
        board,
        board * COLD_CHARGE_SHARE,
        -curve.wheel_force_n / effective_mass_kg(bike, curve.motor_turns),
    )
