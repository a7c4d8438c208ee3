"""Positions on the ground: distances and speed.

Source: the equirectangular approximation on a sphere of 6,371,000 m, exact to a few parts in a thousand over a ride's steps.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride

EARTH_M = 6_371_000.0
OVER_S = 3.0
LEAP_MPS = 30.0
POSITIONS = ("lat_deg", "lon_deg")


def steps_m(lat_deg: Array, lon_deg: Array) -> Array:
    """Metres from each position to the next, (n − 1,)."""
    lat, lon = np.radians(lat_deg), np.radians(lon_deg)
    east = np.diff(lon) * np.cos((lat[1:] + lat[:-1]) / 2)
    metres: Array = EARTH_M * np.hypot(np.diff(lat), east)
    return metres


def leaps(time_s: Array, lat_deg: Array, lon_deg: Array) -> NDArray[np.intp]:
    """Rows whose position leaps away and back: there and back faster than any bike, while the rows beside it lie near each other."""
    good = np.flatnonzero(np.isfinite(lat_deg) & np.isfinite(lon_deg))
    if good.size < 3:
        return np.zeros(0, np.intp)
    lat, lon, time = lat_deg[good], lon_deg[good], time_s[good]
    metres, seconds = steps_m(lat, lon), np.maximum(np.diff(time), 1e-3)
    around = steps_m(lat[::2], lon[::2]), steps_m(lat[1::2], lon[1::2])
    past = np.zeros(good.size - 2)  # from the row before to the row after
    past[0::2], past[1::2] = around[0][: len(past[0::2])], around[1][: len(past[1::2])]
    pace = metres / seconds
    usual = past / np.maximum(seconds[:-1] + seconds[1:], 1e-3)
    far = (pace[:-1] > LEAP_MPS) & (pace[1:] > LEAP_MPS) & (usual < 0.5 * np.minimum(pace[:-1], pace[1:]))
    found: NDArray[np.intp] = good[1:-1][far]
    return found


def ground_speed_kmh(time_s: Array, lat_deg: Array, lon_deg: Array) -> Array:
    """Speed over ground (km/h, (n,)), from positions about three seconds apart; NaN where there are none."""
    lat_deg = lat_deg.copy()
    lat_deg[leaps(time_s, lat_deg, lon_deg)] = np.nan  # one position that is wrong is no speed
    good = np.flatnonzero(np.isfinite(lat_deg) & np.isfinite(lon_deg))
    speed = np.full(len(time_s), np.nan)
    if good.size < 3:
        return speed
    path = np.concatenate(([0.0], np.cumsum(steps_m(lat_deg[good], lon_deg[good]))))
    time = time_s[good]
    before = np.interp(np.clip(time - OVER_S / 2, time[0], None), time, path)
    after = np.interp(np.clip(time + OVER_S / 2, None, time[-1]), time, path)
    span = np.clip(time + OVER_S / 2, None, time[-1]) - np.clip(time - OVER_S / 2, time[0], None)
    speed[good] = (after - before) / np.maximum(span, 1e-6) * 3.6
    return speed


def without_positions(ride: Ride) -> Ride:
    """A ride that no longer tells where it went; how fast it went over ground it still does."""
    if not any(name in ride.channels for name in POSITIONS):
        return ride
    channels = {name: values for name, values in ride.channels.items() if name not in POSITIONS}
    if not ride.has("gps_speed_kmh"):
        channels["gps_speed_kmh"] = ground_speed_kmh(ride.time_s, ride.get("lat_deg"), ride.get("lon_deg"))
    return replace(ride, channels=channels)
