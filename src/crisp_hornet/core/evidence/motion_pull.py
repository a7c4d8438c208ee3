"""Pull from motion: what the known mass gained at full throttle, by speed, each with its interval.

Independent of the motor: neither its constant nor any current is in it, so it can agree or disagree with a prediction, where a force
reckoned from the phase current cannot (it counts with the very constant that the prediction counts with).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import around, clustered_fit
from crisp_hornet.core.evidence.motion_errors import motion_errors_n
from crisp_hornet.core.evidence.pull_seen import BLOCK_S, FullPull
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike

STEP_KMH, LEAST_ROWS = 4.0, 6


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
        off = motion_errors_n(bike, np.array([middle]), np.array([value]))
        error = math.hypot(fit.error(0), *(float(one[0]) for one in off))
        told = around(value, error, fit.freedom)
        found.append((middle, told.value, told.low, told.high))
    if not found:
        return None
    return MotionPull(*np.array(found).T)
