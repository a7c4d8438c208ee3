"""A test programme ridden in the model: what its log would look like, so that what it would teach can be told before the ride.

Speed by small steps from the pull curve and the road load; currents, volts and winding from the same equations as every prediction; then
sensors with usual noise, GPS a second late, a barometer that wanders.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K, MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.drive.part_load import least_loss_currents
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.heat_seen import course_predicted
from crisp_hornet.core.pack.battery import loaded_voltage
from crisp_hornet.core.pack.cells import rested_v
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.track import EARTH_M
from crisp_hornet.core.road.vehicle import G_MPS2, effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

STEP_S, CHARGE, AIR_C, SPEEDS = 0.2, 0.85, 15.0, 121
GPS_LATE_S, DRIFT_M, GUST_MPS, GUST_S = 1.0, 0.3, 0.3, 4.0


@dataclass(frozen=True)
class Piece:
    """So many seconds with a throttle (share of the pull), a brake (N), on a grade, the one way (+1) or back (-1)."""

    seconds: float
    throttle: float = 0.0
    brake_n: float = 0.0
    grade: float = 0.0
    way: float = 1.0


def _roll_outs(pulls_s: tuple[float, ...]) -> tuple[Piece, ...]:
    """There and back, each run from a speed of its own: nobody hits the same one twice, and it is that which tells rolling from air."""
    found: list[Piece] = []
    for at, pull_s in enumerate(pulls_s):
        way = 1.0 if at % 2 == 0 else -1.0
        found += [
            Piece(pull_s, 1.0, way=way),
            Piece(32, way=way),
            Piece(7, brake_n=250, way=way),
            Piece(8, brake_n=250, way=way),
        ]
    return tuple(found)


def _town(minutes: float) -> tuple[Piece, ...]:
    """An ordinary ride: pulls, even stretches, some rolling, stops, on a road that rises and falls."""
    lap = (
        *(Piece(6, brake_n=300), Piece(8, 1.0), Piece(35, 0.3, grade=0.02), Piece(10), Piece(40, 0.25, grade=-0.01), Piece(7, 1.0)),
        *(Piece(30, 0.35, grade=0.03), Piece(12, grade=-0.02), Piece(45, 0.2, grade=-0.02), Piece(7, brake_n=300), Piece(10, brake_n=300)),
    )  # fmt: skip
    return lap * max(round(60 * minutes / sum(piece.seconds for piece in lap)), 1)


PLANS = {
    "coast_down": _roll_outs((8.0, 8.5, 12.0, 12.5)),
    "climb": (Piece(10, brake_n=300), Piece(1200, 0.7, grade=0.07)),
    "loop": _town(20),
}  # fmt: skip
"""Pieces of each programme that can be rehearsed, by its id."""
ROUND, BENDS_M = ("loop",), 300.0  # those that come back to where they began, and the radius by which they do


def minutes(name: str) -> float:
    """How long a programme takes."""
    return sum(piece.seconds for piece in PLANS[name]) / 60


def rehearsed(bike: Bike, tune: Tune, name: str, seed: int = 1) -> Ride:
    """The log of a programme of :data:`PLANS` (n rows, 5 a second), of a bike that is just what its document says."""
    geared = bike.in_each_gear()[len(bike.in_each_gear()) // 2]
    volts = float(rested_v(bike.battery, CHARGE))
    curve = pull_curve(geared, tune, np.linspace(0.0, 90.0, SPEEDS), Conditions(volts, 40.0))
    rng = np.random.default_rng(seed)
    table = _moved(geared, PLANS[name], curve.speed_kmh / 3.6, curve.wheel_force_n, rng)
    return _logged(geared, name, table, _currents(geared, table[:, 0], table[:, 1], volts), rng)


def _moved(bike: Bike, plan: tuple[Piece, ...], speeds: Array, forces: Array, rng: np.random.Generator) -> Array:
    """(speed m/s, motor's force N, throttle, brake N, rise m, way) of each step (n, 6)."""
    mass, effective = bike.mass_kg, float(effective_mass_kg(bike))
    rolls = float(road_load_n(bike, 0.0))
    air = float(road_load_n(bike, 36.0)) - rolls  # at 10 m/s
    grid = np.linspace(0.0, float(speeds[-1]), 1001)
    pulls, last = np.interp(grid, speeds, forces).tolist(), 1000 / float(speeds[-1])
    v = rise = gust = 0.0
    rows = []
    for piece in plan:
        hill = mass * G_MPS2 * math.sin(math.atan(piece.grade)) * piece.way
        for kick in rng.standard_normal(round(piece.seconds / STEP_S)).tolist():
            gust += -gust * STEP_S / GUST_S + GUST_MPS * math.sqrt(2 * STEP_S / GUST_S) * kick
            force = piece.throttle * pulls[min(int(v * last), 1000)]
            took = rolls * (v > 0) + air * (v + gust) * abs(v + gust) / 100 + hill
            rows.append((v, force, piece.throttle, piece.brake_n, rise, piece.way))
            moved = max(v + (force - took - piece.brake_n * (v > 0)) / effective * STEP_S, 0.0)
            rise += (v + moved) / 2 * STEP_S * piece.grade * piece.way
            v = moved
    return np.array(rows)


def _currents(bike: Bike, speed: Array, force: Array, volts: float) -> tuple[Array, Array]:
    """(id, iq) in A that a force (N) takes at a speed (m/s), (n,) each."""
    motor, drive = MotorModel.of(bike, 40.0), bike.drivetrain
    omega = electrical_speed(bike, 3.6 * speed)
    shaft = force * wheel_radius_m(bike) / (drive.ratio * drive.efficiency)
    torque = np.where(force > 0, shaft + motor.drag_nm(omega), 0.0)
    gain = bike.controller.modulation_limit / math.sqrt(3)
    i_d, i_q = least_loss_currents(
        motor, omega, torque, volts, bike.battery.resistance_ohm, bike.controller.idle_w, gain
    )
    return np.nan_to_num(i_d), np.nan_to_num(i_q)


def _logged(bike: Bike, name: str, table: Array, currents: tuple[Array, Array], rng: np.random.Generator) -> Ride:
    speed, _, share, brake, rise, way = table.T
    count, phase = len(speed), np.hypot(*currents)
    winding_c = _winding_c(bike, name, STEP_S * np.arange(count, dtype=float), 3.6 * speed, phase)
    motor = replace(
        MotorModel.of(bike), winding_ohm=bike.motor.phase_resistance_ohm * (1 + COPPER_PER_K * (winding_c - 25))
    )
    watts = motor.terminal_power_w(electrical_speed(bike, 3.6 * speed), *currents) + bike.controller.idle_w
    drawn_ah = np.cumsum(watts) * STEP_S / 3600 / float(rested_v(bike.battery, CHARGE))
    rested = rested_v(bike.battery, np.clip(CHARGE - drawn_ah / bike.battery.capacity_ah, 0.02, 1.0))
    volts = loaded_voltage(rested, bike.battery.resistance_ohm, watts)
    time = STEP_S * np.arange(count, dtype=float)
    bend_m = BENDS_M if name in ROUND else math.inf
    heading = np.cumsum(speed) * STEP_S / bend_m
    north, east = (np.cumsum(speed * way * turn(heading)) * STEP_S for turn in (np.cos, np.sin))
    seen = np.maximum(np.arange(count) - round(GPS_LATE_S / STEP_S), 0) // 5 * 5
    drift = np.cumsum(rng.normal(0, DRIFT_M * math.sqrt(STEP_S / 60), count))

    def noisy(values: Array, spread: float) -> Array:
        found: Array = values + rng.normal(0, spread, count)
        return found

    channels = {
        "wheel_speed_kmh": np.maximum(noisy(3.6 * speed, 0.07), 0.0), "pack_v": noisy(volts, 0.04),
        "battery_a": noisy(watts / volts, 0.15),
        "phase_a": noisy(phase, 0.4), "throttle": share, "brake": (brake > 0).astype(float), "cadence_rpm": np.zeros(count),
        "human_nm": np.zeros(count),
        "altitude_m": noisy(rise + drift, 0.12), "gps_speed_kmh": np.maximum(noisy(3.6 * speed, 0.3)[seen], 0.0),
        "lat_deg": np.degrees(north / EARTH_M)[seen], "lon_deg": np.degrees(east / EARTH_M)[seen],
        "motor_c": noisy(winding_c, 0.3),
    }  # fmt: skip
    return Ride(name, time, channels)


def _winding_c(bike: Bike, name: str, time_s: Array, speed_kmh: Array, phase_a: Array) -> Array:
    """The winding's temperature (n,) along the way."""
    warm = course_predicted(Ride(name, time_s, {"wheel_speed_kmh": speed_kmh, "phase_a": phase_a}), bike, AIR_C)
    assert warm is not None  # it has both channels
    found: Array = np.interp(time_s, np.linspace(0.0, time_s[-1], len(warm)), warm)
    return found
