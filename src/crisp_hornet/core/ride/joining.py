"""Two logs of one ride on one clock: the shift is where their speeds fit best.

Source: normalised cross-correlation by the Fourier transform, its peak refined by a parabola (any textbook on signal processing).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.track import ground_speed_kmh

STEP_S = 0.5
LEAST_FIT, LEAST_S = 0.6, 30.0


@dataclass(frozen=True, eq=False)
class Joined:
    """Both as one ride on the first one's times. ``shift_s``: the second's time 0 on the first's clock; ``fit`` is the correlation."""

    ride: Ride
    shift_s: float
    fit: float


def join(first: Ride, second: Ride) -> Joined:
    """Join a second log to the first. Channels of both are the first's. Raises :class:`ValueError` where the speeds do not fit."""
    one, other = _speed(first), _speed(second)
    if len(one) * STEP_S < LEAST_S or len(other) * STEP_S < LEAST_S:
        raise ValueError("both need half a minute of speed to be joined by")
    shift, fit = best_shift(one, other, LEAST_S / STEP_S)
    shift *= STEP_S
    if fit < LEAST_FIT:
        raise ValueError(f"their speeds do not fit anywhere (best correlation {fit:.2f}): are they of one ride?")
    channels = dict(first.channels)
    at = first.time_s - shift
    for name, values in second.channels.items():
        if name in channels:
            continue
        good = np.isfinite(values)
        if good.sum() > 1:
            channels[name] = np.interp(at, second.time_s[good], values[good], left=np.nan, right=np.nan)
    return Joined(replace(first, channels=channels), shift, fit)


def _speed(ride: Ride) -> Array:
    """Speed on an even clock from the ride's start; of the positions where nothing else tells it."""
    for name in ("wheel_speed_kmh", "gps_speed_kmh"):
        if ride.has(name):
            values = ride.get(name)
            break
    else:
        values = ground_speed_kmh(ride.time_s, ride.get("lat_deg"), ride.get("lon_deg"))
    good = np.isfinite(values)
    if good.sum() < 10:
        raise ValueError(f"{ride.name} has no speed to be joined by")
    clock = np.arange(0.0, ride.time_s[-1], STEP_S)
    speed: Array = np.interp(clock, ride.time_s[good], values[good])
    return speed


def best_shift(values: Array, other: Array, least: float) -> tuple[float, float]:
    """(steps, correlation): by how many steps the second (m,) is to be moved to fit the first (n,) best; they overlap by at least
    ``least`` steps, and by two fifths of the shorter."""
    size = 1 << int(np.ceil(np.log2(len(values) + len(other))))
    ones = [np.ones(len(values)), np.ones(len(other))]

    def cross(a: Array, b: Array) -> Array:
        product: Array = np.fft.irfft(np.fft.rfft(a, size) * np.conj(np.fft.rfft(b, size)), size)
        return product

    count = np.maximum(cross(ones[0], ones[1]), 1e-9)
    sum_a, sum_b = cross(values, ones[1]), cross(ones[0], other)
    var_a = cross(values**2, ones[1]) - sum_a**2 / count
    var_b = cross(ones[0], other**2) - sum_b**2 / count
    covers = count > max(least, 0.4 * min(len(values), len(other)))
    spread = np.sqrt(np.maximum(var_a, 1e-9) * np.maximum(var_b, 1e-9))
    fit = np.where(covers & (var_a > 1) & (var_b > 1), (cross(values, other) - sum_a * sum_b / count) / spread, -1.0)
    at = int(np.argmax(fit))
    left, middle, right = fit[(at - 1) % size], fit[at], fit[(at + 1) % size]
    bend = left - 2 * middle + right
    part = float(0.5 * (left - right) / bend) if bend < -1e-12 and min(left, right) > -1 else 0.0
    whole = at - size if at > size // 2 else at
    return whole + part, float(middle)
