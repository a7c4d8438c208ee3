"""How heat leaves motor and controller, fitted to the temperatures of a ride.

The nodes of :mod:`~crisp_hornet.core.heat.nodes` are stepped through the ride with its currents and speeds; the paths from winding to
housing and from housing (or heatsink) to the air are what is fitted. The air is taken to be as warm as the coldest sensor at the start,
give or take :data:`AIR_K`, which is part of the error. Gauss-Newton with the errors of neighbouring readings taken together, as in
:mod:`~crisp_hornet.core.evidence.estimate`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K
from crisp_hornet.core.evidence.estimate import Estimate, Fit, around, clustered_fit, refused, told_well
from crisp_hornet.core.heat.nodes import Losses, losses
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import even
from crisp_hornet.core.ride.gear import ratio_along
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

STEP_S, MOST_STEPS, BLOCK_S, ROUNDS = 2.0, 3000, 60.0, 8
LEAST_RISE_K, LEAST_S, WIDEST, NUDGE = 10.0, 240.0, 0.6, 0.02
AIR_K = 1.5


@dataclass(frozen=True)
class HeatPaths:
    """W/K each, at standstill; the cooling by the speed is the document's."""

    winding_to_housing: Estimate
    housing_to_air: Estimate
    controller_to_air: Estimate


def heat_paths(ride: Ride, bike: Bike) -> HeatPaths:
    """Heat paths of a ride with motor or controller temperature, phase current and speed."""
    unit = "W/K"
    smooth = even(ride, ("motor_c", "controller_c", "phase_a", "wheel_speed_kmh", "motor_rpm"), STEP_S)
    steps = min(len(smooth), MOST_STEPS)
    smooth = Ride(ride.name, smooth.time_s[:steps], {name: values[:steps] for name, values in smooth.channels.items()})
    if not (smooth.has("phase_a") and smooth.has("wheel_speed_kmh")):
        why = "phase current and speed are needed"
        return HeatPaths(refused(why, unit), refused(why, unit), refused(why, unit))
    amps, speed = (np.nan_to_num(smooth.get(name)) for name in ("phase_a", "wheel_speed_kmh"))
    turns = np.nan_to_num(ratio_along(smooth, bike), nan=bike.drivetrain.ratio)
    held = losses(bike, np.abs(amps), speed, turns)
    motor, sink = bike.motor.thermal, bike.controller.thermal
    start = np.array([motor.winding_to_housing_w_per_k, motor.housing_to_air_w_per_k])
    seen, sink_c = smooth.get("motor_c"), smooth.get("controller_c")
    air_c = min(_first(seen), _first(sink_c))
    wound = _fit(smooth, seen, air_c, start, lambda values, air, first: _winding(bike, held, values, air, first))
    cooled = _fit(
        smooth,
        sink_c,
        air_c,
        np.array([sink.to_air_w_per_k]),
        lambda values, air, first: _heatsink(bike, held, values, air, first),
    )
    names = ("winding to housing", "housing to air")
    paths = [_told(wound, at, names[at], unit) for at in (0, 1)]
    return HeatPaths(paths[0], paths[1], _told(cooled, 0, "controller to air", unit))


def _first(values: Array) -> float:
    good = values[np.isfinite(values)]
    return float(np.mean(good[:5])) if good.size else np.inf


def _fit(
    ride: Ride, seen: Array, air_c: float, start: Array, course: Callable[[Array, float, float], Array]
) -> Fit | str:
    """The paths (p,) in W/K, or why not. The temperature at the start is fitted too: one reading of it has the sensor's noise."""
    good = np.isfinite(seen)
    if good.sum() * STEP_S < LEAST_S:
        return say("less than {least} minutes of temperature", least=quantity(LEAST_S / 60, "", ".0f"))
    rise = float(np.max(seen[good]) - np.min(seen[good]))
    if rise < LEAST_RISE_K:
        return say("it warmed by {rise} only: a longer or steeper climb is needed", rise=quantity(rise, "K", ".0f"))
    block = np.floor(ride.time_s[good] / BLOCK_S)
    shares, start_c, fit, columns = np.log(start), _first(seen), None, np.zeros((0, 0))
    for _ in range(ROUNDS):
        now = course(np.exp(shares), air_c, start_c)[good]
        moved = [
            (course(np.exp(shares + NUDGE * unit), air_c, start_c)[good] - now) / NUDGE for unit in np.eye(len(start))
        ]
        columns = np.column_stack([*moved, course(np.exp(shares), air_c, start_c + 1.0)[good] - now])
        fit = clustered_fit(columns, seen[good] - now, block)
        if fit is None or not np.all(np.abs(shares - np.log(start)) < 3):
            return "heat paths not separable: log a longer climb"
        step = np.clip(fit.values[:-1], -0.7, 0.7)
        shares, start_c = shares + step, start_c + float(np.clip(fit.values[-1], -3, 3))
        if float(np.max(np.abs(step))) < 1e-4:
            break
    assert fit is not None
    warmer = course(np.exp(shares), air_c + AIR_K, start_c)[good] - course(np.exp(shares), air_c, start_c)[good]
    by_air = (np.linalg.pinv(columns) @ warmer)[:-1]  # by so much the paths move where the air was that much warmer
    paths = np.exp(shares)
    return Fit(paths, (fit.covariance[:-1, :-1] + np.outer(by_air, by_air)) * np.outer(paths, paths), fit.freedom)


def _told(fit: Fit | str, at: int, what: str, unit: str) -> Estimate:
    if isinstance(fit, str):
        return refused(fit, unit)
    found = around(float(fit.values[at]), fit.error(at), fit.freedom, unit)
    return told_well(found, WIDEST, f"{what} is known")


def _winding(bike: Bike, held: Losses, paths: Array, air_c: float, start_c: float) -> Array:
    """The winding's temperature (n,) along the ride; it starts with the housing at the same temperature."""
    thermal, between = bike.motor.thermal, float(paths[0])
    to_air = paths[1] + thermal.airflow_w_per_k_per_mps * held.speed_mps
    rate, drive = np.zeros((2, 2, len(to_air))), np.zeros((2, len(to_air)))
    rate[0, 0] = (held.copper_25_w * COPPER_PER_K - between) / thermal.winding_j_per_k
    rate[0, 1] = between / thermal.winding_j_per_k
    rate[1, 0] = between / thermal.housing_j_per_k
    rate[1, 1] = -(between + to_air) / thermal.housing_j_per_k
    drive[0] = held.copper_25_w * (1 - 25 * COPPER_PER_K) / thermal.winding_j_per_k
    drive[1] = (held.housing_w + to_air * air_c) / thermal.housing_j_per_k
    return _midway(rate, drive, start_c)


def _heatsink(bike: Bike, held: Losses, paths: Array, air_c: float, start_c: float) -> Array:
    """The controller's temperature (n,) along the ride."""
    thermal = bike.controller.thermal
    to_air = paths[0] + thermal.airflow_w_per_k_per_mps * held.speed_mps
    rate = -to_air / thermal.heatsink_j_per_k
    drive = (held.stage_w + to_air * air_c) / thermal.heatsink_j_per_k
    return _midway(rate[None, None], drive[None], start_c)


def _midway(rate: Array, drive: Array, start_c: float) -> Array:
    """The first node's temperature (n,) in the middle of each step (a ride's values are means over the step) of ``x' = rate·x + drive``,
    by steps of second order (midpoint rule); ``rate`` (k, k, n), ``drive`` (k, n), all nodes at ``start_c`` first."""
    square = np.einsum("ijn,jkn->ikn", rate, rate)
    whole = np.eye(len(rate))[:, :, None] + STEP_S * rate + STEP_S**2 / 2 * square
    added = STEP_S * drive + STEP_S**2 / 2 * np.einsum("ijn,jn->in", rate, drive)
    before = _composed(whole, added, start_c)
    middle: Array = before[0] + STEP_S / 2 * (np.einsum("jn,jn->n", rate[0], before) + drive[0])
    return middle


def _composed(whole: Array, added: Array, start: float) -> Array:
    """The state before each of many steps ``x → whole·x + added`` (k, n), by composing neighbours, then neighbours of those: n steps in
    log n rounds. W. D. Hillis, G. L. Steele, *Data parallel algorithms* (1986)."""
    whole, added, reach = whole.copy(), added.copy(), 1
    count = added.shape[1]
    while reach < count:
        later, earlier = whole[:, :, reach:], whole[:, :, :-reach]
        added[:, reach:] = np.einsum("ijn,jn->in", later, added[:, :-reach]) + added[:, reach:]
        whole[:, :, reach:] = np.einsum("ijn,jkn->ikn", later, earlier)
        reach *= 2
    after = whole.sum(axis=1) * start + added
    return np.concatenate((np.full((len(added), 1), start), after[:, :-1]), axis=1)
