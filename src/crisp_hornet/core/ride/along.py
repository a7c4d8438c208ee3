"""A ride along its way, and two rides of one way beside each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.ride.joining import best_shift
from crisp_hornet.core.ride.track import ground_speed_kmh

GRID_M, LEAST_M = 5.0, 300.0
LEAST_FIT = 0.7
MOST_SHIFT_M = 2000.0
HOLE_KM, AHEAD_KM = 0.05, 0.025
KINDS = frozenset(("limit", "level", "mode", "brake", "fault"))


def way_km(ride: Ride) -> Array | None:
    """The way ridden up to each row (n,), never falling; by the wheel, else by GPS, else by the positions. None without any."""
    for name in ("wheel_speed_kmh", "gps_speed_kmh"):
        if ride.has(name):
            return summed(ride.time_s, np.maximum(ride.get(name), 0.0)) / 3600
    if ride.has("lat_deg") and ride.has("lon_deg"):
        return summed(ride.time_s, ground_speed_kmh(ride.time_s, ride.get("lat_deg"), ride.get("lon_deg"))) / 3600
    return None


@dataclass(frozen=True, eq=False)
class Beside:
    """A second ride laid along the first.

    ``ride``: its channels at the places of the first one's rows (n,), NaN where it was not. ``ahead_s`` (n,): by how much the
    first is ahead of it, counted from where both begin. A place ``x`` km of the first is ``offset_km + stretch * x`` of the second;
    ``fit`` is the correlation it was found by, 0 where nothing told and both were laid start to start.
    """

    ride: Ride
    ahead_s: Array
    offset_km: float
    stretch: float
    fit: float


def beside(first: Ride, second: Ride) -> Beside:
    """Lay a second ride along the first by distance. Raises :class:`ValueError` where one of them tells no distance.

    Heights along the way show best where the same place is; without heights in both, speeds do. The shift is found for the first and the
    last half by themselves, so that another wheel circumference (which stretches the way) is taken out.
    """
    one, other = way_km(first), way_km(second)
    if one is None or other is None:
        raise ValueError("both rides need a speed or positions to be laid along one way")
    offset, scale, fit = _fitted(first, one, second, other)
    places = offset + scale * one
    moving = np.concatenate(([True], np.diff(other) > 1e-7))
    way, inside = other[moving], (places >= 0) & (places <= other[-1])
    at = np.where(inside, places, np.nan)
    channels = {name: _at_places(at, way, values[moving], name in KINDS) for name, values in second.channels.items()}
    ahead = _ahead(one, first.time_s, offset, scale, way, second.time_s[moving])
    ahead[~inside] = np.nan
    return Beside(Ride(second.name, first.time_s, channels), ahead, offset, scale, fit)


def _ahead(values: Array, time_s: Array, offset: float, scale: float, way: Array, way_time_s: Array) -> Array:
    """By how much the first passed each place earlier (n,), counted from the first place of both. Places are compared on a grid: beside a
    stop a few metres would be worth its whole length."""
    grid = np.arange(0.0, float(values[-1]) + AHEAD_KM, AHEAD_KM)
    there = offset + scale * grid
    passed = np.interp(grid, values, time_s), np.interp(there, way, way_time_s)
    ahead: Array = np.interp(values, grid, passed[1] - passed[0])
    both = np.flatnonzero((there >= 0) & (there <= way[-1]))
    return ahead - (passed[1] - passed[0])[both[0]] if both.size else np.full(len(values), np.nan)


def _at_places(at: Array, way: Array, values: Array, kinds: bool) -> Array:
    """Values at places ``at`` (n,), from those along a way (m,); none where they are missing for :data:`HOLE_KM`. Of ``kinds`` there
    is nothing between two."""
    known = np.flatnonzero(np.isfinite(values))
    if known.size < 2:
        return np.full(len(at), np.nan)
    there = way[known]
    after = np.clip(np.searchsorted(there, at), 1, len(there) - 1)
    near = (there[after] - there[after - 1] < HOLE_KM) & (at >= there[0]) & (at <= there[-1])
    between = values[known][after - 1] if kinds else np.interp(at, there, values[known])
    return np.where(near, between, np.nan)


def _fitted(first: Ride, values: Array, second: Ride, other: Array) -> tuple[float, float, float]:
    """(offset km, stretch, correlation)."""
    for channel in ("altitude_m", "wheel_speed_kmh", "gps_speed_kmh"):
        if not (first.has(channel) and second.has(channel)):
            continue
        a, b = _profile(first, values, channel), _profile(second, other, channel)
        if min(len(a), len(b)) * GRID_M < LEAST_M:
            break
        whole, fit = best_shift(a, b, LEAST_M / GRID_M)
        if fit < LEAST_FIT or abs(whole * GRID_M) > MOST_SHIFT_M:
            continue
        return (*_stretched(a, b, whole), fit)
    return 0.0, 1.0, 0.0


def _stretched(a: Array, b: Array, whole: float) -> tuple[float, float]:
    """(offset km, stretch) from the shifts of both halves; of the whole where a half does not tell."""
    half = len(a) // 2
    margin = int(0.04 * len(a)) + 20
    found = []
    for low, high in ((0, half), (half, len(a))):
        begin = max(int(low - whole) - margin, 0)
        piece = b[begin : max(int(high - whole) + margin, 0)]
        if min(high - low, len(piece)) * GRID_M < LEAST_M:
            return -whole * GRID_M / 1000, 1.0
        shift, fit = best_shift(a[low:high], piece, LEAST_M / GRID_M)
        if fit < LEAST_FIT:
            return -whole * GRID_M / 1000, 1.0
        found.append(begin - low - shift)  # by so much the place lies further on in the second
    middles = np.array([half / 2, (half + len(a)) / 2])
    slope = (found[1] - found[0]) / (middles[1] - middles[0])
    if abs(slope) > 0.06:
        return -whole * GRID_M / 1000, 1.0
    return (found[0] - slope * middles[0]) * GRID_M / 1000, 1 + slope


def _profile(ride: Ride, way: Array, channel: str) -> Array:
    """A channel on an even grid along the way."""
    values = ride.get(channel)
    good = np.isfinite(values) & np.concatenate(([True], np.diff(way) > 1e-7))
    grid = np.arange(0.0, way[-1], GRID_M / 1000)
    profile: Array = np.interp(grid, way[good], values[good]) if good.sum() > 2 else np.zeros(0)
    return profile
