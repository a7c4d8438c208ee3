"""What pull from motion is not known to: mass, rolling and air that nobody measured, and a wind that nobody felt."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.road_balance import mass_spread
from crisp_hornet.core.road.vehicle import road_load_n
from crisp_hornet.documents.bike import Bike

GUESSED = 0.15  # share by which rolling and air resistance that nobody measured are off, one standard deviation
WIND_MPS = 1.2  # of the air along the way, over all of a ride's pulls


def motion_errors_n(bike: Bike, speed_kmh: Array, force_n: Array) -> tuple[Array, Array, Array, Array]:
    """One standard deviation (N, (n,)) of a force that was reckoned from motion, by the mass, by rolling, by air, and by wind; each errs
    the same way at all speeds."""
    rolls = float(road_load_n(bike, 0.0))
    air = road_load_n(bike, speed_kmh) - rolls
    windy = 2 * WIND_MPS * 3.6 / np.maximum(speed_kmh, 3.0) * air
    return (
        mass_spread(bike) * (force_n - air),
        _doubt(bike, "chassis.crr") * rolls + 0 * air,
        _doubt(bike, "chassis.cda_m2") * air,
        windy,
    )


def _doubt(bike: Bike, path: str) -> float:
    source = bike.sources.get(path)
    learned = source is not None and source.origin in ("measured", "learned")
    return relative_spread(bike, path) if learned else GUESSED
