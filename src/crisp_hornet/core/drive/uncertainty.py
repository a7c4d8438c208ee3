"""What is not known exactly about the bike, carried into the prediction as a band.

Each figure has a source and, where the document says so, a spread (one standard deviation). Where it does not, a usual relative
spread for that kind of source is taken. Bikes are drawn from these spreads and predicted; the band holds the middle 95 %.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.envelope import most_torque
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.drive.pull import Conditions, drive_bounds, drive_power_cap, torque_share
from crisp_hornet.core.pack.battery import PowerCap
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

UNCERTAIN = (
    "motor.flux_linkage_wb", "motor.phase_resistance_ohm", "motor.ld_h", "motor.lq_h", "motor.friction_nm",
    "motor.hysteresis_loss_w_per_hz", "motor.eddy_loss_w_per_hz2", "battery.resistance_ohm",
    "drivetrain.wheel_circumference_m",
)  # fmt: skip
USUAL_SPREAD = {
    "assumed": 0.12,
    "entered": 0.04,
    "measured": 0.015,
    "learned": 0.01,
}  # relative, one standard deviation
PARTNERS = {"motor.lq_h": "motor.ld_h"}  # measured with one meter: they err together, saliency is kept
WHEEL_SHARE = 0.25  # a wheel is known better than the rest: a quarter of the usual spread
SHARES = ("drivetrain.efficiency",)
SAMPLES = 48
FURTHEST = 2.5
UNKNOWN_TUNES, WEAKENED_SHARE = 8, 0.25  # tunes drawn where settings are unknown; how many of such bikes weaken


@dataclass(frozen=True, eq=False)
class Band:
    """Wheel force (N) between which 95 % of the possible bikes lie, over ``speed_kmh`` (n,)."""

    speed_kmh: Array
    low_n: Array
    high_n: Array


def relative_spread(bike: Bike, path: str) -> float:
    """One standard deviation of a figure, as a share of it."""
    source, value = bike.sources.get(path), bike.figure(path)
    if source is not None and source.spread is not None and value:
        return min(source.spread / abs(value), 0.5)
    usual = USUAL_SPREAD[source.origin if source is not None else "entered"]
    known_better = path.startswith("drivetrain") or path.endswith("_kg")
    return usual * (WHEEL_SHARE if known_better else 1.0)


def possible_bikes(bike: Bike, count: int = SAMPLES, seed: int = 1, paths: tuple[str, ...] = UNCERTAIN) -> list[Bike]:
    """Bikes drawn from the spreads of the figures at ``paths``; the same seed draws the same ones. Figures stay positive, shares at 1 at
    most."""
    spreads = {path: relative_spread(bike, path) for path in paths}
    made = []
    for draw in _draws(count, seed, len(paths)).tolist():  # plain numbers: with an array's a ride takes twice as long
        errors = dict(zip(paths, draw, strict=True))
        drawn: dict[str, float] = {}
        for path in paths:
            factor = max(1 + errors[PARTNERS.get(path, path)] * spreads[PARTNERS.get(path, path)], 0.05)
            drawn[path] = bike.figure(path) * factor
            if path in SHARES:
                drawn[path] = min(drawn[path], 1.0)
        made.append(_with_figures(bike, drawn))
    return made


def _with_figures(bike: Bike, figures: dict[str, float]) -> Bike:
    """The bike with figures set, unchecked."""
    parts: dict[str, dict[str, Any]] = {}
    for path, value in figures.items():
        part, _, key = path.partition(".")
        group, _, inner = key.rpartition(".")
        if group:
            held = parts.setdefault(part, {})
            before = held.get(group, getattr(getattr(bike, part), group))
            held[group] = before.model_copy(update={inner: value})
        else:
            parts.setdefault(part, {})[key] = value
    return bike.model_copy(update={part: getattr(bike, part).model_copy(update=new) for part, new in parts.items()})


def possible_tunes(bike: Bike, tune: Tune, seed: int = 1) -> list[Tune]:
    """Tunes drawn for the settings that nobody knows, evenly within what controller and pack allow; the tune alone where all is known."""
    if not tune.unknown:
        return [tune]
    rng, controller = np.random.default_rng(seed), bike.controller
    most_battery = min(controller.max_battery_current_a, bike.battery.bms_discharge_a)
    found = []
    for _ in range(UNKNOWN_TUNES):
        drawn: dict[str, float | None] = {}
        battery = tune.drive.battery_current_a
        if "drive.battery_current_a" in tune.unknown:
            battery = drawn["drive.battery_current_a"] = float(rng.uniform(0.3, 1.0) * most_battery)
        if "drive.phase_current_a" in tune.unknown:
            most = controller.max_phase_current_a
            drawn["drive.phase_current_a"] = float(rng.uniform(min(1.5 * battery, most), most))
        if "drive.field_weakening_a" in tune.unknown and rng.random() < WEAKENED_SHARE:
            phase = drawn.get("drive.phase_current_a") or tune.drive.phase_current_a
            drawn["drive.field_weakening_a"] = float(rng.uniform(0.05, 0.3) * phase)
        found.append(tune.with_settings(drawn) if drawn else tune)
    return found


def pull_band(bike: Bike, tune: Tune, speed_kmh: Array, conditions: Conditions, seed: int = 1) -> Band:
    """The band of the pull curve over ``speed_kmh`` (n,)."""
    bike = bike.rated_at(conditions.rested_v)
    speed = np.asarray(speed_kmh, float)
    made = possible_bikes(bike, seed=seed)
    tunes = possible_tunes(bike, tune, seed)
    gears = [[one.in_gear(ratio) for one in made] for ratio in bike.drivetrain.gears or []] or [made]
    best = np.vstack(
        [
            np.max([forces(each[at :: len(tunes)], one, speed, conditions) for each in gears], axis=0)
            for at, one in enumerate(tunes)
        ]
    )
    low, high = np.quantile(best, [0.025, 0.975], axis=0)
    return Band(speed, low, high)


def forces(bikes: list[Bike], tune: Tune, speed_kmh: Array, conditions: Conditions) -> Array:
    """Full-throttle wheel force (N) of many bikes (rows) over ``speed_kmh``, all solved at once.

    The bikes may differ in the figures of :data:`UNCERTAIN` only.
    """
    count = len(speed_kmh)
    first = bikes[0]
    limits = effective_limits(first, tune)
    share, _ = torque_share(tune, limits, conditions, np.tile(speed_kmh, len(bikes)))
    caps = [drive_power_cap(bike, tune, limits, conditions).power_w for bike in bikes]
    bounds = replace(
        drive_bounds(first, tune, limits, conditions, share, PowerCap(0.0, "")),
        motor=MotorModel.stacked(
            [MotorModel.of(bike, conditions.winding_c, conditions.magnet_c) for bike in bikes], count
        ),
        pack_ohm=np.repeat([bike.battery.resistance_ohm for bike in bikes], count),
        most_w=np.repeat(caps, count),
    )
    omega = np.concatenate([electrical_speed(bike, speed_kmh) for bike in bikes])
    point = most_torque(bounds, omega)
    torque = bounds.motor.torque_nm(point.i_d, point.i_q) - bounds.motor.drag_nm(omega)
    gain = np.repeat(
        [bike.drivetrain.ratio * bike.drivetrain.efficiency / wheel_radius_m(bike) for bike in bikes], count
    )
    rpm = omega / first.motor.pole_pairs * 30 / math.pi
    assert limits.motor_rpm.value is not None  # a tune always sets it
    pulls = point.feasible & (rpm <= limits.motor_rpm.value * (1 + 1e-12))
    return np.where(pulls, np.maximum(torque, 0.0) * gain, 0.0).reshape(len(bikes), count)


@lru_cache(maxsize=8)
def _draws(count: int, seed: int, figures: int) -> Array:
    """Standard normal draws (count, figures), each figure's spread evenly (Latin hypercube), so that few samples suffice."""
    from scipy.special import ndtri  # the whole of scipy.stats would cost a second here

    rng = np.random.default_rng(seed)
    strata = np.array([rng.permutation(count) for _ in range(figures)]).T
    draws: Array = np.clip(ndtri((strata + rng.random(strata.shape)) / count), -FURTHEST, FURTHEST)
    return draws
