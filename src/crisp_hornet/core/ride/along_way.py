"""Energy along the way: Wh per km over even steps, for a ride, its prediction, or another ride laid beside it."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.even import LONGEST_S

STEP_KM = 0.25
MOST_STEPS = 100_000  # no ride is longer: a speed in it is nonsense


def per_km(time_s: Array, way_km: Array, watts: Array, step_km: float = STEP_KM) -> tuple[Array, Array]:
    """(middle of each step in km, Wh per km in it), both (k,); NaN where less than half of a step is known. ``way_km`` (n,) never falls;
    rows that stand for more than :data:`~crisp_hornet.core.ride.even.LONGEST_S` are gaps."""
    seconds = np.diff(time_s, append=time_s[-1] if len(time_s) else 0.0)
    metres = np.diff(way_km, append=way_km[-1] if len(way_km) else 0.0)
    good = np.isfinite(watts) & np.isfinite(way_km) & (seconds <= LONGEST_S)
    if not good.any():
        return np.zeros(0), np.zeros(0)
    if float(way_km[good].max()) > MOST_STEPS * step_km:
        return np.zeros(0), np.zeros(0)
    place = np.floor(way_km[good] / step_km).astype(int)
    count = int(place.max()) + 1
    wh = np.bincount(place, (watts * seconds)[good] / 3600, count)
    km = np.bincount(place, metres[good], count)
    with np.errstate(invalid="ignore", divide="ignore"):
        found = np.where(km > step_km / 2, wh / km, np.nan)
    middles = (np.arange(count, dtype=np.float64) + 0.5) * step_km
    return middles.astype(np.float64), found.astype(np.float64)
