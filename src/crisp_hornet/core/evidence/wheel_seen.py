"""The wheel's circumference: what GPS says was ridden, against what the wheel counted."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import even
from crisp_hornet.core.ride.gps_delay import gps_shift, moved
from crisp_hornet.core.ride.track import ground_speed_kmh
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import say

STEP_S, WINDOW_S, LEAST_KMH = 0.5, 10.0, 9.0
STEADY_KMH = 4.0  # by so much at most the speed may change within a window
TURN_DEG = 35.0
FEWEST = 12
FAR = 0.3  # ratios further off are dropouts, no wheel is so wrong


def circumference(ride: Ride, bike: Bike) -> Estimate:
    """Rolled circumference (m), from windows of even speed in which the two speeds are compared once GPS's delay is taken out.

    The mean ratio is Huber's, weighed by the way of each window; its error comes from the spread of the windows.
    """
    unit = "m"
    if not ride.has("wheel_speed_kmh"):
        return refused("the bike's own speed is needed", unit)
    smooth = even(ride, ("wheel_speed_kmh", "gps_speed_kmh", "lat_deg", "lon_deg"), STEP_S)
    wheel = smooth.get("wheel_speed_kmh")
    ground = smooth.get("gps_speed_kmh")
    if not np.isfinite(ground).any():
        ground = ground_speed_kmh(smooth.time_s, smooth.get("lat_deg"), smooth.get("lon_deg"))
    if not np.isfinite(ground).any():
        return refused("no GPS speed and no positions", unit)
    ground = _undelayed(wheel, ground)
    ratios = _ratios(wheel, ground, _turning(smooth))
    if len(ratios) < FEWEST:
        return refused(say("fewer than {fewest} stretches of 10 s at an even speed with GPS", fewest=FEWEST), unit)
    ratio, error, freedom = _huber(ratios)
    sensor = bike.sensors.off("gps_speed_kmh").gain_spread * ratio
    return around(ratio, error, freedom, sensors=sensor).times(bike.drivetrain.wheel_circumference_m, unit)


def _undelayed(wheel: Array, ground: Array) -> Array:
    """GPS speed moved by its delay, as the correlation shows it; by nothing where that is not clear."""
    return moved(ground, gps_shift(wheel, ground, STEP_S))


def _turning(ride: Ride) -> Array:
    """By how many degrees the direction changes over a window's time at each row; 0 without positions."""
    lat, lon = ride.get("lat_deg"), ride.get("lon_deg")
    good = np.isfinite(lat) & np.isfinite(lon)
    if good.sum() < 20:
        return np.zeros(len(ride))
    rows, half = np.arange(len(ride)), round(WINDOW_S / STEP_S / 2)
    north, east = (
        np.interp(rows, rows[good], lat[good]),
        np.interp(rows, rows[good], lon[good]) * np.cos(np.radians(lat[good][0])),
    )
    before = np.arctan2(east - np.roll(east, half), north - np.roll(north, half))
    after = np.arctan2(np.roll(east, -half) - east, np.roll(north, -half) - north)
    turned: Array = np.abs(np.degrees((after - before + np.pi) % (2 * np.pi) - np.pi))
    return turned


def _ratios(wheel: Array, ground: Array, turning: Array) -> Array:
    """GPS over wheel in each window that is fit for it (k,)."""
    rows = round(WINDOW_S / STEP_S)
    count = len(wheel) // rows
    w, g, turn = (one[: count * rows].reshape(count, rows) for one in (wheel, ground, turning))
    with np.errstate(invalid="ignore"):
        fit = (
            np.isfinite(w).all(axis=1)
            & np.isfinite(g).all(axis=1)
            & (w.min(axis=1, initial=np.inf) > LEAST_KMH)
            & (np.ptp(w, axis=1) < STEADY_KMH)
            & (turn[:, rows // 2] < TURN_DEG)
        )
    ratios = g[fit].mean(axis=1) / w[fit].mean(axis=1)
    sound: Array = ratios[np.abs(ratios - 1) < FAR]
    return sound


def _huber(values: Array) -> tuple[float, float, float]:
    """(mean, standard error, degrees of freedom) that single outliers hardly move. P. J. Huber, *Robust Statistics*, ch. 3."""
    centre, spread = float(np.median(values)), max(1.4826 * float(np.median(np.abs(values - np.median(values)))), 1e-6)
    weight = np.ones(len(values))
    for _ in range(30):
        off = np.abs(values - centre) / spread
        weight = np.where(off <= 1.5, 1.0, 1.5 / np.maximum(off, 1e-9))
        weight[off > 6] = 0.0  # a dropout, no measurement
        moved = float(weight @ values / weight.sum())
        if abs(moved - centre) < 1e-9:
            break
        centre = moved
    used = values[weight > 0]
    influence = weight[weight > 0] * (used - centre)
    error = float(np.sqrt(np.sum(influence**2))) / max(float(np.sum(np.abs(values - centre) <= 1.5 * spread)), 1.0)
    return centre, error, float(len(used) - 1)
