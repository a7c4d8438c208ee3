"""Pull from motion: what the known mass gained at full throttle, by speed, each with its interval.

Independent of the motor: neither its constant nor any current is in it, so it can agree or disagree with a prediction, where a force
reckoned from the phase current cannot (it counts with the very constant that the prediction counts with).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.estimate import around, clustered_fit
from crisp_hornet.core.evidence.pull_seen import BLOCK_S, FullPull
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.road.vehicle import road_load_n
from crisp_hornet.documents.bike import Bike

STEP_KMH, LEAST_ROWS = 4.0, 6
MASS = 0.02  # share by which the mass of bike, rider and cargo is usually off, one standard deviation
GUESSED = 0.15  # and rolling and air resistance that nobody measured
WIND_MPS = 1.5  # and the air that nobody felt


@dataclass(frozen=True, eq=False)
class MotionPull:
    """Over the middles of steps of indicated speed (km/h): mean force (N) and its 95 % interval, all (k,)."""

    speed_kmh: Array
    force_n: Array
    low_n: Array
    high_n: Array


def motion_pull(smooth: Ride, bike: Bike, pull: FullPull) -> MotionPull | None:
    """Of a ride on the even clock and its full pull; None where no speed was pulled through often enough (four times) to tell by how much
    its force varies. In the interval is also what mass, road load and wind leave open."""
    speed = smooth.get("wheel_speed_kmh")
    rows = np.flatnonzero(pull.rows)
    step = np.floor(speed[rows] / STEP_KMH)
    found = []
    for one in np.unique(step).tolist():
        here = rows[step == one]
        if len(here) < LEAST_ROWS:
            continue
        fit = clustered_fit(np.ones((len(here), 1)), pull.force_n[here], np.floor(smooth.time_s[here] / BLOCK_S))
        if fit is None:
            continue
        value = float(fit.values[0])
        middle = (one + 0.5) * STEP_KMH
        error = math.hypot(fit.error(0), MASS * value, *_road_errors_n(bike, middle))
        told = around(value, error, fit.freedom)
        found.append((middle, told.value, told.low, told.high))
    if not found:
        return None
    return MotionPull(*np.array(found).T)


def _road_errors_n(bike: Bike, speed_kmh: float) -> tuple[float, float, float]:
    """One standard deviation (N) of rolling, of air, and of what wind adds."""
    rolls = float(road_load_n(bike, 0.0))
    air = float(road_load_n(bike, speed_kmh)) - rolls
    return (
        _doubt(bike, "chassis.crr") * rolls,
        _doubt(bike, "chassis.cda_m2") * air,
        2 * WIND_MPS * 3.6 / speed_kmh * air,
    )


def _doubt(bike: Bike, path: str) -> float:
    source = bike.sources.get(path)
    learned = source is not None and source.origin in ("measured", "learned")
    return relative_spread(bike, path) if learned else GUESSED
