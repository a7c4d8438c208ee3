"""Channels worked out from others: power, energy, distance, grade, acceleration, shares of rider and motor."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.pack.cells import rested_cell_table
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.gaps import longest_step_s
from crisp_hornet.core.ride.gear import ratio_along
from crisp_hornet.core.ride.limit_along import limit_along
from crisp_hornet.core.ride.predicted import predicted_w
from crisp_hornet.core.road.vehicle import effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

WORKED_OUT = (
    *("battery_w", "wh", "ah", "distance_km", "grade", "acceleration_mps2", "human_w", "wheel_w"),
    *("human_share", "efficiency", "rested_v", "phase_per_battery", "limit", "predicted_w"),
)
_PACK, _CRANK = ("pack_v", "battery_a"), ("human_nm", "cadence_rpm")
MOST_PREDICTED = 40_000
GRADE_M, SMOOTH_S, LEAST_A, GAP_S = 40.0, 1.5, 1.0, 3.0


def derivable(ride: Ride, with_tune: bool = False) -> list[str]:
    """Which channels :func:`derived` finds in a ride, ``with_tune`` or without, without working them out."""
    moves = ride.has("wheel_speed_kmh") or ride.has("gps_speed_kmh")
    pack, crank = (all(ride.has(one) for one in needed) for needed in (_PACK, _CRANK))
    needs = {
        "battery_w": pack, "wh": pack, "ah": pack, "rested_v": pack, "distance_km": moves, "acceleration_mps2": moves, "wheel_w": moves,
        "phase_per_battery": pack and ride.has("phase_a"),
        "predicted_w": moves and pack,
        "limit": with_tune and pack and ride.has("wheel_speed_kmh") and ride.has("throttle"),
        "human_w": crank, "grade": moves and ride.has("altitude_m"), "human_share": moves and pack, "efficiency": moves and pack,
    }  # fmt: skip
    return [name for name in WORKED_OUT if needs[name]]


def derived(ride: Ride, bike: Bike, tune: Tune | None = None) -> dict[str, Array]:
    """All derived channels the ride allows, each (n,), NaN where a part is missing. Percent where the unit says so. With the tune it
    was ridden on, ``limit`` is among them (codes of :data:`~crisp_hornet.core.ride.limit_along.LIMITS`)."""
    found: dict[str, Array] = {}
    time = ride.time_s
    if ride.has("pack_v") and ride.has("battery_a"):
        watts = ride.get("pack_v") * ride.get("battery_a")
        found["battery_w"] = watts
        found["wh"], found["ah"] = summed(time, watts) / 3600, summed(time, ride.get("battery_a")) / 3600
        found["rested_v"] = _rested(ride, bike)
        if ride.has("phase_a"):
            found["phase_per_battery"] = _ratio(ride.get("phase_a"), ride.get("battery_a"))
        if tune is not None and ride.has("wheel_speed_kmh") and ride.has("throttle"):
            found["limit"] = limit_along(ride, bike, tune, found["rested_v"])
    speed = ride.get("wheel_speed_kmh") if ride.has("wheel_speed_kmh") else ride.get("gps_speed_kmh")
    if np.isfinite(speed).any():
        found["distance_km"] = summed(time, speed) / 3600
        found["acceleration_mps2"] = slope(time, speed / 3.6, SMOOTH_S)
    if ride.has("human_nm") and ride.has("cadence_rpm"):
        found["human_w"] = ride.get("human_nm") * ride.get("cadence_rpm") * (2 * np.pi / 60)
    if "distance_km" in found and ride.has("altitude_m"):
        found["grade"] = 100 * grade(found["distance_km"] * 1000, ride.get("altitude_m"))
    if "acceleration_mps2" in found:
        _add_wheel(ride, bike, speed, found)
        if "rested_v" in found and np.isfinite(found["rested_v"]).any():
            found["predicted_w"] = _predicted(bike, time, speed, found, ratio_along(ride, bike))
    return found


def _predicted(bike: Bike, time: Array, speed: Array, found: dict[str, Array], ratio: Array) -> Array:
    """Predicted power (n,); of a very long ride at some rows only, and between them straight."""
    rows = np.arange(0, len(time), max(1, len(time) // MOST_PREDICTED))
    slopes = found["grade"][rows] / 100 if "grade" in found else np.zeros(len(rows))
    human = found["human_w"][rows] if "human_w" in found else np.zeros(len(rows))
    rested = float(np.nanmedian(found["rested_v"]))
    watts = predicted_w(bike, speed[rows], found["acceleration_mps2"][rows], slopes, human, rested, ratio[rows])
    return watts if len(rows) == len(time) else np.interp(time, time[rows], watts)


def _ratio(phase_a: Array, battery_a: Array) -> Array:
    """How many times the battery current flows in the phases; of currents too small to say nothing."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(np.abs(battery_a) > LEAST_A, phase_a / battery_a, np.nan)


def _add_wheel(ride: Ride, bike: Bike, speed: Array, found: dict[str, Array]) -> None:
    """Power at the road from what resists: rolling, air, slope where known, and inertia."""
    slope = np.nan_to_num(found["grade"] / 100) if "grade" in found else np.zeros(len(ride))
    weight = bike.mass_kg * 9.80665
    resists = road_load_n(bike, speed) + weight * np.sin(np.arctan(slope))
    ratio = np.nan_to_num(ratio_along(ride, bike), nan=bike.drivetrain.ratio)
    force = resists + effective_mass_kg(bike, ratio) * found["acceleration_mps2"]
    found["wheel_w"] = force * speed / 3.6
    if "human_w" not in found and "battery_w" not in found:
        return
    human = np.nan_to_num(found["human_w"]) if "human_w" in found else np.zeros(len(ride))
    if "battery_w" in found:
        motor = np.maximum(found["battery_w"], 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            total = human + motor
            found["human_share"] = np.where(total > 20, 100 * human / total, np.nan)
            net = found["wheel_w"] - 0.95 * human
            found["efficiency"] = np.where((motor > 150) & (net > 0), np.clip(100 * net / motor, 0, 120), np.nan)


def summed(time: Array, values: Array) -> Array:
    """The integral over time from the first row on (n,), missing values as nothing."""
    steps = np.diff(time) * np.nan_to_num((values[1:] + values[:-1]) / 2)
    total: Array = np.concatenate(([0.0], np.cumsum(steps)))
    return total


def slope(time: Array, values: Array, over_s: float) -> Array:
    """The slope of a straight line through the values about each moment, from running sums."""
    good = np.isfinite(values)
    if good.sum() < 3:
        return np.full(len(time), np.nan)
    filled = np.interp(time, time[good], values[good])
    sums = np.concatenate(([0.0], np.cumsum(filled[:-1] * np.diff(time)), [0.0]))[:-1]

    def mean(center: Array) -> Array:
        low, high = np.clip(center - over_s / 2, time[0], None), np.clip(center + over_s / 2, None, time[-1])
        area = np.interp(high, time, sums) - np.interp(low, time, sums)
        return area / np.maximum(high - low, 1e-9)

    before, after = np.clip(time - over_s / 2, time[0], None), np.clip(time + over_s / 2, None, time[-1])
    found: Array = (mean(after) - mean(before)) / np.maximum(after - before, 1e-9)
    wide = np.flatnonzero(np.diff(time) > max(GAP_S, longest_step_s(time)))
    for gap in wide.tolist():  # what changed in a gap did not change in its last row
        low, high = np.searchsorted(time, [time[gap] - over_s, time[gap + 1] + over_s])
        found[low:high] = np.nan
    return found


def grade(metres: Array, height: Array) -> Array:
    """Rise over run about each place, over :data:`GRADE_M` of way."""
    good = np.isfinite(height)
    moved = np.concatenate(([True], np.diff(metres) > 1e-6)) & good
    if moved.sum() < 3:
        return np.full(len(metres), np.nan)
    way, heights = metres[moved], height[moved]
    low, high = np.clip(metres - GRADE_M / 2, way[0], way[-1]), np.clip(metres + GRADE_M / 2, way[0], way[-1])
    rise = np.interp(high, way, heights) - np.interp(low, way, heights)
    run = high - low
    return np.where(run > GRADE_M / 4, rise / np.maximum(run, 1e-9), np.nan)


def _rested(ride: Ride, bike: Bike) -> Array:
    """The voltage the pack would have at rest, from its resistance; kept inside what such a pack can have."""
    table = rested_cell_table(bike.battery)[1] if bike.battery.chemistry != "custom" else np.array([2.5, 4.3])
    open_v = ride.get("pack_v") + ride.get("battery_a") * bike.battery.resistance_ohm
    return np.clip(open_v, table[0] * bike.battery.series * 0.95, table[-1] * bike.battery.series * 1.03)
