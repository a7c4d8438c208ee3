"""Measured pull against the predicted edge, by what limits there, and by the bike's own acceleration."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.estimate import REACH, Estimate, around, clustered_fit, refused
from crisp_hornet.core.evidence.motion_errors import motion_errors_n
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import grade, slope, summed
from crisp_hornet.core.ride.even import STEP_S, even, moving_mean
from crisp_hornet.core.ride.gear import ratio_along
from crisp_hornet.core.ride.measured_pull import FULL_THROTTLE, MeasuredPull, measured_pull
from crisp_hornet.core.road.vehicle import G_MPS2, effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

CURRENTS = ("wheel_speed_kmh", "motor_rpm", "pack_v", "battery_a", "phase_a", "d_axis_a", "throttle")
BLOCK_S, LEAST_ROWS, SETTLED_S, ON_THE_WAY, OVER_S = 4.0, 30, 1.0, 0.7, 1.5
FULL_PULL_S, PEDALLED_NM = LEAST_ROWS * STEP_S, 4.0
STEADY_S, STEADY_KMH, LEAST_TOP_KMH, OPPOSITE_DEG = 6.0, 0.8, 12.0, 60.0


@dataclass(frozen=True)
class PullSeen:
    """Shares of the predicted force: by the currents where the ``phase`` and where the ``battery`` limit sets it, by how fast the
    bike gained speed (``by_speed``, all of full throttle); ``top_kmh`` on the flat, mean of both ways."""

    phase: Estimate
    battery: Estimate
    by_speed: Estimate
    top_kmh: Estimate


def pull_seen(ride: Ride, curve: PullCurve, stretch: float = 1.0, pull: FullPull | None = None) -> PullSeen:
    """A ride against the prediction for its start; ``stretch``: metres really rolled for a metre that is shown; ``pull``: its
    :func:`full_pull`, if it is there already."""
    smooth = even(
        ride,
        (
            "wheel_speed_kmh",
            "motor_rpm",
            "pack_v",
            "battery_a",
            "phase_a",
            "d_axis_a",
            "throttle",
            "brake",
            "human_nm",
            "altitude_m",
            "lat_deg",
            "lon_deg",
        ),
    )
    if not (smooth.has("wheel_speed_kmh") and smooth.has("throttle")) or len(smooth) * STEP_S < STEADY_S:
        why = "speed and throttle are needed"
        return PullSeen(refused(why), refused(why), refused(why), refused(why, "km/h"))
    full = np.flatnonzero(smooth.get("throttle") >= FULL_THROTTLE)
    pulled = Ride(
        ride.name, smooth.time_s[full], {name: smooth.get(name)[full] for name in CURRENTS if smooth.has(name)}
    )
    measured = measured_pull(pulled, curve.bike)
    return PullSeen(
        _by_currents(measured, curve, "phase"),
        _by_currents(measured, curve, "battery"),
        _by_speed(smooth, curve, pull or full_pull(smooth, curve.bike, stretch)),
        _top_speed(smooth).times(stretch),
    )


def _by_currents(measured: MeasuredPull | None, curve: PullCurve, limit: str) -> Estimate:
    if measured is None:
        return refused(
            "phase current, or voltage and battery current, are needed; with gears the motor's speed as well"
        )
    predicted = np.interp(measured.speed_kmh, curve.speed_kmh, curve.wheel_force_n)
    if (
        limit == "battery"
    ):  # the current is what is limited: its power goes with the voltage of the moment, not of the start
        now = measured.pack_v / np.interp(measured.speed_kmh, curve.speed_kmh, curve.pack_v)
        predicted = predicted * np.where(np.isfinite(now), now, 1.0)
    same_gear = _in_gear_of(curve, measured.speed_kmh, measured.ratio)
    name = curve.limit[np.searchsorted(curve.speed_kmh, measured.speed_kmh).clip(0, len(curve.limit) - 1)]
    with np.errstate(invalid="ignore"):
        points = same_gear & (name == limit) & (measured.force_n > ON_THE_WAY * predicted)
    found = _share(
        measured.force_n[points],
        predicted[points],
        measured.time_s[points],
        say("full throttle where the {limit} current limits", limit=limit),
    )
    if not found.known:
        return found
    gain = curve.bike.sensors.off(measured.told_by).gain_spread
    constant = relative_spread(curve.bike, "motor.flux_linkage_wb") if limit == "battery" else 0.0
    return found.wider(REACH * gain * found.value, of_sensors=True).wider(REACH * constant * found.value)


@dataclass(frozen=True, eq=False)
class FullPull:
    """``force_n`` (n,): what the known mass gained speed and height with, road load added; ``rows`` (n,): where that is the motor's alone,
    at full throttle that was held."""

    force_n: Array
    rows: NDArray[np.bool_]


def full_pull(ride: Ride, bike: Bike, stretch: float = 1.0) -> FullPull:
    """From a ride on the even clock with speed and throttle; ``stretch``: metres really rolled for a metre that is shown."""
    speed = stretch * ride.get("wheel_speed_kmh")
    force = force_by_speed(bike, ride.time_s, speed, ride.get("altitude_m"), OVER_S, ratio_along(ride, bike))
    full = (ride.get("throttle") >= FULL_THROTTLE).astype(float)
    settled = moving_mean(full, 2 * round(SETTLED_S / STEP_S) + 1) > 0.999
    with np.errstate(invalid="ignore"):
        rows = settled & (speed > 4) & np.isfinite(force) & ~(ride.get("human_nm") > PEDALLED_NM)
    return FullPull(force, rows)


def force_by_speed(
    bike: Bike, time_s: Array, speed_kmh: Array, height_m: Array, over_s: float, ratio: Array | None = None
) -> Array:
    """Force (N, (n,)) with which the known mass gained speed, and height where that is known, road load added; ``ratio`` (n,): the gear
    in use, NaN where nobody knows."""
    force = effective_mass_kg(bike, ratio) * slope(time_s, speed_kmh / 3.6, over_s) + road_load_n(bike, speed_kmh)
    if not np.isfinite(height_m).any():
        return force
    climbs = grade(summed(time_s, speed_kmh) / 3.6, height_m)
    found: Array = force + bike.mass_kg * G_MPS2 * np.sin(np.arctan(np.nan_to_num(climbs)))
    return found


def _in_gear_of(curve: PullCurve, speed_kmh: Array, ratio: Array) -> NDArray[np.bool_]:
    """Where the gear in use is the one that is predicted: in another the pull is another."""
    if curve.ratio is None:
        return np.ones(speed_kmh.shape, bool)
    at = np.searchsorted(curve.speed_kmh, speed_kmh).clip(0, len(curve.ratio) - 1)
    found: NDArray[np.bool_] = ratio == curve.ratio[at]
    return found


def _by_speed(ride: Ride, curve: PullCurve, pull: FullPull) -> Estimate:
    """With what mass, road load and wind leave open."""
    speed = ride.get("wheel_speed_kmh")
    rows = np.flatnonzero(pull.rows & _in_gear_of(curve, speed, ratio_along(ride, curve.bike)))
    predicted = np.interp(speed[rows], curve.speed_kmh, curve.wheel_force_n)
    rows, predicted = rows[predicted > 30], predicted[predicted > 30]
    found = _share(pull.force_n[rows], predicted, ride.time_s[rows], "full throttle held")
    if not found.known:
        return found
    off = [float(one.sum() / predicted.sum()) for one in motion_errors_n(curve.bike, speed[rows], pull.force_n[rows])]
    return found.wider(REACH * float(np.linalg.norm(off)))


def _share(force: Array, predicted: Array, time: Array, what: str) -> Estimate:
    if len(force) < LEAST_ROWS:
        return refused(say("less than {step} of {what}", step=quantity(LEAST_ROWS * STEP_S, "s", ".0f"), what=what))
    fit = clustered_fit(predicted[:, None], force, np.floor(time / BLOCK_S))
    return (
        refused(say("too few moments of {what}", what=what))
        if fit is None
        else around(float(fit.values[0]), fit.error(0), fit.freedom)
    )


def _top_speed(ride: Ride) -> Estimate:
    """Full throttle at a speed that no longer changes, both ways: wind and slope add one way what they take the other."""
    unit, speed = "km/h", ride.get("wheel_speed_kmh")
    rows = round(STEADY_S / STEP_S)
    full = moving_mean((ride.get("throttle") >= FULL_THROTTLE).astype(float), rows) > 0.999
    drift = np.abs(np.roll(speed, -rows // 2) - np.roll(speed, rows // 2))
    with np.errstate(invalid="ignore"):
        steady = full & (speed > LEAST_TOP_KMH) & (drift < STEADY_KMH)
    steady[: rows // 2] = steady[len(steady) - rows // 2 :] = False
    if steady.sum() < rows:
        return refused("no stretch at full throttle on which the speed stood", unit)
    north, east = (np.gradient(moving_mean(ride.get(name), 2 * rows)) for name in ("lat_deg", "lon_deg"))
    heading = (
        np.degrees(np.arctan2(east * np.cos(np.radians(np.nanmean(ride.get("lat_deg")))), north))
        if ride.has("lat_deg")
        else None
    )
    if heading is None:
        return refused("which way it went is not known: positions are needed to take wind and slope out", unit)
    first = float(heading[steady][0])
    off = np.abs((heading - first + 180) % 360 - 180)
    ways = [speed[steady & (off < OPPOSITE_DEG)], speed[steady & (off > 180 - OPPOSITE_DEG)]]
    if min(len(way) for way in ways) < rows:
        return refused("one way only: wind and slope are in it", unit)
    means = [float(np.mean(way)) for way in ways]
    error = float(np.hypot(*[np.std(way) / np.sqrt(max(len(way) / rows, 1)) for way in ways])) / 2
    return around(sum(means) / 2, max(error, 0.1), 4, unit)
