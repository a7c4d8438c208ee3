"""What any ride with positions or speeds says of its way, a phone's track alone too: how fast, how high, how steep."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

HELD_S, SMOOTH_S, LEAST_CLIMB_M, STEEP_M, LEAST_KM = 10.0, 20.0, 3.0, 100.0, 0.3
READ_M, READ_KMH = (
    1.0,
    0.5,
)  # what a height and a speed by GPS are off by from one moment to the next, one standard deviation


@dataclass(frozen=True)
class WaySeen:
    """``top_kmh``: the greatest mean over ten seconds; ``ascent_m``: all climbs together; ``steepest``: % over a hundred metres."""

    top_kmh: Estimate
    ascent_m: Estimate
    steepest: Estimate


def way_seen(smooth: Ride, bike: Bike, stretch: float) -> WaySeen:
    """Of a ride on the even clock; ``stretch``: metres really rolled for a metre that the wheel shows."""
    by_wheel = smooth.has("wheel_speed_kmh")
    name = "wheel_speed_kmh" if by_wheel else "gps_speed_kmh"
    if not smooth.has(name):
        why = "no speed was recorded"
        return WaySeen(refused(why, "km/h"), refused(why, "m"), refused(why, "%"))
    speed = smooth.get(name) * (stretch if by_wheel else 1.0)
    if not np.isfinite(speed).any():
        why = "its rows lie too far apart"
        return WaySeen(refused(why, "km/h"), refused(why, "m"), refused(why, "%"))
    gain = bike.sensors.off("gps_speed_kmh").gain_spread
    top = float(np.nanmax(moving_mean(speed, round(HELD_S / STEP_S))))
    fastest = around(top, READ_KMH / math.sqrt(HELD_S), 30, "km/h", gain * top)
    if not smooth.has("altitude_m"):
        why = "no heights were recorded"
        return WaySeen(fastest, refused(why, "m"), refused(why, "%"))
    return WaySeen(fastest, *_climbs(smooth, speed, bike.sensors.off("altitude_m").zero_spread))


def _climbs(smooth: Ride, speed: Array, drift_m: float) -> tuple[Estimate, Estimate]:
    """Ascent (m) and the steepest hundred metres (%); a barometer drifts by so much in a minute."""
    height = moving_mean(smooth.get("altitude_m"), round(SMOOTH_S / STEP_S))
    way = summed(smooth.time_s, np.nan_to_num(speed)) / 3.6
    known = np.isfinite(height)
    if way[-1] < 1000 * LEAST_KM or known.sum() < 2:
        why = say("less than {least}", least=quantity(LEAST_KM, "km"))
        return refused(why, "m"), refused(why, "%")
    ends = _turns(height[known])
    rises = np.diff(ends)
    ascent = float(rises[rises > 0].sum())
    climbing_min = float(np.sum(np.diff(height[known]) > 0)) * STEP_S / 60
    error = math.hypot(READ_M * math.sqrt(len(ends)), drift_m * math.sqrt(climbing_min))
    places = np.arange(0.0, way[-1] - STEEP_M, STEEP_M / 10)
    at = np.interp(np.concatenate((places, places + STEEP_M)), way[known], height[known])
    grades = (at[len(places) :] - at[: len(places)]) / STEEP_M * 100
    steepest = float(np.max(grades, initial=0.0))
    minute = STEEP_M / max(float(np.nanmean(speed)) / 3.6, 1.0) / 60
    off = 100 * math.hypot(READ_M, drift_m * math.sqrt(minute)) / STEEP_M
    return around(ascent, error, 30, "m"), around(steepest, off, 30, "%")


def _turns(height: Array) -> Array:
    """Heights (m) at which it turned from up to down or back, by more than the noise; the first and the last too."""
    found = [float(height[0])]
    low = high = found[0]
    rising = 0
    for one in height[:: round(1 / STEP_S)].tolist():
        low, high = min(low, one), max(high, one)
        if rising <= 0 and one - low >= LEAST_CLIMB_M:
            found.append(low)
            rising, high = 1, one
        elif rising >= 0 and high - one >= LEAST_CLIMB_M:
            found.append(high)
            rising, low = -1, one
    found.append(float(height[-1]))
    return np.array(found)
