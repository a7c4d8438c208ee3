"""How heat leaves motor and controller, fitted to the temperatures of a ride.

The nodes of :mod:`~crisp_hornet.core.heat.nodes` are stepped through the ride with its currents and speeds; the paths from winding to
housing and from housing (or heatsink) to the air are what is fitted. The air is taken to be as warm as the coldest sensor at the start,
give or take :data:`AIR_K`. The winding is the one that the ride itself told, where it did: the gain of the phase current then falls out of
its heat. What air, heat made and heat stored are not known to is part of the error: the course is taken again with each of them otherwise.
Gauss-Newton with the errors of neighbouring readings taken together, as in :mod:`~crisp_hornet.core.evidence.estimate`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.estimate import REACH, Estimate, Fit, around, clustered_fit, refused, told_well
from crisp_hornet.core.heat.nodes import Losses, losses
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import even
from crisp_hornet.core.ride.gear import ratio_along
from crisp_hornet.core.ride.spread import between
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

STEP_S, MOST_STEPS, BLOCK_S, ROUNDS = 2.0, 3000, 60.0, 8
LEAST_RISE_K, LEAST_S, WIDEST, NUDGE = 10.0, 240.0, 0.6, 0.02
AIR_K = 1.0
IRON_SPREAD = 0.15  # share by which iron loss and friction are usually off
STAGE_SPREAD = 0.1  # share by which what a controller loses is usually off


@dataclass(frozen=True)
class HeatPaths:
    """W/K each, at standstill; the cooling by the speed is the document's."""

    winding_to_housing: Estimate
    housing_to_air: Estimate
    controller_to_air: Estimate


def heat_paths(ride: Ride, bike: Bike, winding: Estimate | None = None) -> HeatPaths:
    """Heat paths of a ride with motor or controller temperature, phase current and speed; ``winding``: a phase to the star point at 25 °C
    (Ω), as the ride told it."""
    unit = "W/K"
    if not (ride.has("phase_a") and ride.has("wheel_speed_kmh")):
        why = "phase current and speed are needed"
        return HeatPaths(refused(why, unit), refused(why, unit), refused(why, unit))
    told = winding is not None and winding.known
    if winding is not None and told:
        bike = bike.model_copy(update={"motor": bike.motor.model_copy(update={"phase_resistance_ohm": winding.value})})
    smooth = _course_of(ride)
    speed = np.nan_to_num(smooth.get("wheel_speed_kmh"))
    turns = np.nan_to_num(ratio_along(smooth, bike), nan=bike.drivetrain.ratio)
    held = losses(bike, np.sqrt(np.nan_to_num(smooth.get("phase_a"))), speed, turns)
    motor, sink = bike.motor.thermal, bike.controller.thermal
    seen, sink_c = smooth.get("motor_c"), smooth.get("controller_c")
    air_c = min(_first(seen), _first(sink_c))
    wound = _fit(
        smooth, seen, air_c, np.array([motor.winding_to_housing_w_per_k, motor.housing_to_air_w_per_k]),
        partial(_winding, bike, held), [partial(_winding, *other) for other in _otherwise(bike, held, winding if told else None)],
    )  # fmt: skip
    hotter = replace(held, stage_w=held.stage_w * (1 + _stage_doubt(bike)))
    larger = _storing(bike, "controller.thermal.heatsink_j_per_k")
    cooled = _fit(
        smooth, sink_c, air_c, np.array([sink.to_air_w_per_k]),
        partial(_heatsink, bike, held), [partial(_heatsink, bike, hotter), partial(_heatsink, larger, held)],
    )  # fmt: skip
    names = ("winding to housing", "housing to air")
    paths = [_told(wound, at, names[at], unit) for at in (0, 1)]
    return HeatPaths(paths[0], paths[1], _told(cooled, 0, "controller to air", unit))


def _course_of(ride: Ride) -> Ride:
    """The ride by steps of :data:`STEP_S`, the square of its phase current (A²) in that channel: heat goes with the mean of squares."""
    squared = replace(ride, channels=ride.channels | {"phase_a": ride.get("phase_a") ** 2})
    smooth = even(squared, ("motor_c", "controller_c", "phase_a", "wheel_speed_kmh", "motor_rpm"), STEP_S)
    steps = min(len(smooth), MOST_STEPS)
    return Ride(ride.name, smooth.time_s[:steps], {name: values[:steps] for name, values in smooth.channels.items()})


def _otherwise(bike: Bike, held: Losses, winding: Estimate | None) -> list[tuple[Bike, Losses]]:
    """The bike and what heats it, with each of the things that nobody knows exactly one standard deviation otherwise."""
    off = bike.sensors.off
    if winding is None:
        copper = math.hypot(relative_spread(bike, "motor.phase_resistance_ohm"), 2 * off("phase_a").gain_spread)
    else:  # what the gain of the phase current did to the winding it undoes in the heat
        seen = winding.own_half_width / REACH / winding.value
        copper = math.hypot(seen, off("battery_a").gain_spread, off("pack_v").gain_spread)
    return [
        (bike, replace(held, copper_25_w=held.copper_25_w * (1 + copper))),
        (bike, replace(held, housing_w=held.housing_w * (1 + IRON_SPREAD))),
        (_storing(bike, "motor.thermal.winding_j_per_k"), held),
        (_storing(bike, "motor.thermal.housing_j_per_k"), held),
    ]


def _storing(bike: Bike, path: str) -> Bike:
    """The bike with a mass that stores more heat, by what it is not known to."""
    return bike.model_copy(update=_changed(bike, path, bike.figure(path) * (1 + relative_spread(bike, path))))


def _changed(bike: Bike, path: str, value: float) -> dict[str, object]:
    part, group, key = path.split(".")
    holds = getattr(bike, part)
    thermal = getattr(holds, group).model_copy(update={key: value})
    return {part: holds.model_copy(update={group: thermal})}


def _stage_doubt(bike: Bike) -> float:
    return math.hypot(STAGE_SPREAD, 2 * bike.sensors.off("phase_a").gain_spread)


def course_predicted(ride: Ride, bike: Bike, start_c: float, air_c: float | None = None) -> Array | None:
    """The winding's temperature (n,) along a ride by the document, from a start that is also the air's where that is not known; None
    without current and speed."""
    if not (ride.has("phase_a") and ride.has("wheel_speed_kmh")):
        return None
    smooth = _course_of(ride)
    amps, speed = (np.nan_to_num(smooth.get(name)) for name in ("phase_a", "wheel_speed_kmh"))
    turns = np.nan_to_num(ratio_along(smooth, bike), nan=bike.drivetrain.ratio)
    thermal = bike.motor.thermal
    paths = np.array([thermal.winding_to_housing_w_per_k, thermal.housing_to_air_w_per_k])
    return _winding(
        bike, losses(bike, np.sqrt(amps), speed, turns), paths, start_c if air_c is None else air_c, start_c
    )


def peak_again(ride: Ride, bike: Bike, first_s: float, top_s: float, end_c: float) -> float:
    """How warm the winding (°C) gets where the stretch of a ride between two moments is ridden once more from ``end_c``: the document's
    heat paths, brought to what the stretch really warmed by. Infinite without current and speed."""
    part = between(ride, first_s, top_s)
    start_c = _first(part.get("motor_c"))
    air_c = min(_first(ride.get("motor_c")), _first(ride.get("controller_c")))
    before, again = (course_predicted(part, bike, cold, air_c) for cold in (start_c, end_c))
    if before is None or again is None:
        return math.inf
    told = float(np.max(before)) - start_c
    seen = float(np.nanmax(part.get("motor_c"))) - start_c
    share = seen / told if told > 1.0 else 1.0
    return end_c + share * max(float(np.max(again)) - end_c, 0.0)


def _first(values: Array) -> float:
    good = values[np.isfinite(values)]
    return float(np.mean(good[:5])) if good.size else np.inf


Course = Callable[[Array, float, float], Array]


def _fit(ride: Ride, seen: Array, air_c: float, start: Array, course: Course, others: list[Course]) -> Fit | str:
    """The paths (p,) in W/K, or why not. The temperature at the start is fitted too: one reading of it has the sensor's noise. ``others``:
    the same course with something that is not known exactly one standard deviation otherwise."""
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
    paths, solver = np.exp(shares), np.linalg.pinv(columns)
    plain = course(paths, air_c, start_c)[good]
    others = [lambda values, air, first: course(values, air + AIR_K, first), *others]
    moved = [(solver @ (other(paths, air_c, start_c)[good] - plain))[:-1] for other in others]
    covariance = fit.covariance[:-1, :-1] + sum(np.outer(one, one) for one in moved)
    return Fit(paths, covariance * np.outer(paths, paths), fit.freedom)


def _told(fit: Fit | str, at: int, what: str, unit: str) -> Estimate:
    if isinstance(fit, str):
        return refused(fit, unit)
    found = around(float(fit.values[at]), fit.error(at), fit.freedom, unit)
    return told_well(found, WIDEST, f"{what} is known")


def _winding(bike: Bike, held: Losses, paths: Array, air_c: float, start_c: float) -> Array:
    """The winding's temperature (n,) along the ride; it starts with the housing at the same temperature."""
    thermal, inward = bike.motor.thermal, float(paths[0])
    to_air = paths[1] + thermal.airflow_w_per_k_per_mps * held.speed_mps
    rate, drive = np.zeros((2, 2, len(to_air))), np.zeros((2, len(to_air)))
    rate[0, 0] = (held.copper_25_w * COPPER_PER_K - inward) / thermal.winding_j_per_k
    rate[0, 1] = inward / thermal.winding_j_per_k
    rate[1, 0] = inward / thermal.housing_j_per_k
    rate[1, 1] = -(inward + to_air) / thermal.housing_j_per_k
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
