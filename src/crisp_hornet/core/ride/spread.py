"""How long a ride spent where: the time at each size of a channel, and figures of a stretch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride

LONGEST_STEP_S = 5.0  # what lies in a gap counts for no size


def time_at(ride: Ride, channel: str, bins: int = 24) -> tuple[Array, Array]:
    """(edges (bins + 1,), seconds (bins,)) of a channel between its 0.5 and 99.5 % points; empty arrays without values."""
    values, steps = _weighed(ride, channel)
    if values.size < 2:
        return np.zeros(0), np.zeros(0)
    low, high = np.percentile(values, [0.5, 99.5])
    if high <= low:
        high = low + 1
    seconds, edges = np.histogram(np.clip(values, low, high), bins=bins, range=(float(low), float(high)), weights=steps)
    return edges, seconds.astype(np.float64)


@dataclass(frozen=True)
class Stretch:
    """Least, mean over time, and greatest of a channel between two moments, and how long it was known (s)."""

    least: float
    mean: float
    most: float
    seconds: float


def stretch(ride: Ride, channel: str, from_s: float, to_s: float) -> Stretch | None:
    """Figures of a channel between two times; None where it holds no value there."""
    first, last = np.searchsorted(ride.time_s, [from_s, to_s])
    part = Ride(ride.name, ride.time_s[first:last], {channel: ride.get(channel)[first:last]})
    values, steps = _weighed(part, channel)
    if values.size == 0:
        return None
    return Stretch(
        float(values.min()), float(np.average(values, weights=steps)), float(values.max()), float(steps.sum())
    )


def between(ride: Ride, from_s: float, to_s: float) -> Ride:
    """The rows from one time to another, both included, their times counted from the first of them."""
    first, last = np.searchsorted(ride.time_s, from_s), np.searchsorted(ride.time_s, to_s, "right")
    rows = slice(int(first), max(int(last), int(first) + 1))
    times = ride.time_s[rows]
    return Ride(ride.name, times - times[:1].sum(), {name: values[rows] for name, values in ride.channels.items()})


def _weighed(ride: Ride, channel: str) -> tuple[Array, Array]:
    """(values, seconds that each stands for), missing ones left out."""
    if len(ride) < 2:
        return np.zeros(0), np.zeros(0)
    steps = np.minimum(np.append(np.diff(ride.time_s), np.median(np.diff(ride.time_s))), LONGEST_STEP_S)
    good = np.isfinite(ride.get(channel))
    return ride.get(channel)[good], steps[good]
