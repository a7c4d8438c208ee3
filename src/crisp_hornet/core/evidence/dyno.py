"""Wheel power from how fast a known mass gains speed.

``F = m_eff · dv/dt + F_road(v)`` on the road; on a stand with a flywheel the road falls away and ``m_eff`` is its inertia over the
wheel's rolling radius squared. Source: any textbook on vehicle dynamics; the slope is that of a straight line over a short window.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate, around, refused, student
from crisp_hornet.core.evidence.pull_seen import PEDALLED_NM, force_by_speed
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import slope
from crisp_hornet.core.ride.even import even
from crisp_hornet.core.ride.measured_pull import FULL_THROTTLE
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

OVER_S, STEP_KMH, LEAST_GAIN_KMH, LEAST_ROWS, FEWEST = 0.6, 1.0, 8.0, 15, 3
CHANNELS = ("wheel_speed_kmh", "throttle", "brake", "human_nm", "altitude_m")


@dataclass(frozen=True, eq=False)
class Dyno:
    """Force (N) and power (W) at the wheel by speed (km/h), all (k,)."""

    speed_kmh: Array
    force_n: Array
    power_w: Array

    @property
    def peak(self) -> tuple[float, float]:
        """(W, km/h) of the most power."""
        at = int(np.argmax(self.power_w))
        return float(self.power_w[at]), float(self.speed_kmh[at])


def dyno_run(ride: Ride, bike: Bike, flywheel_kg: float | None = None) -> Dyno | None:
    """One pull from slow to fast, in speed steps of 1 km/h; None where it gains less than 8 km/h.

    ``flywheel_kg``: what the stand's flywheel weighs at the tyre; without it the bike's own mass, its road load and the slope count, the
    slope where heights are known.
    """
    speed = ride.get("wheel_speed_kmh")
    good = np.isfinite(speed)
    if good.sum() < 8:
        return None
    time, speed = ride.time_s[good], speed[good]
    if flywheel_kg is None:
        force = force_by_speed(bike, time, speed, ride.get("altitude_m")[good], OVER_S)
    else:
        force = flywheel_kg * slope(time, speed / 3.6, OVER_S)
    inside = (
        (time > time[0] + OVER_S) & (time < time[-1] - OVER_S) & np.isfinite(force)
    )  # at its ends the window is cut
    if not inside.any() or np.ptp(speed[inside]) < LEAST_GAIN_KMH:
        return None
    place = np.round(speed[inside] / STEP_KMH).astype(int)
    steps = np.unique(place)
    means = np.array([force[inside][place == step].mean() for step in steps])
    at = steps * STEP_KMH
    return Dyno(at, means, means * at / 3.6)


@dataclass(frozen=True, eq=False)
class DynoRuns:
    """The runs of a ride on one axis: ``power_w`` (k,) their mean at each speed, ``low_w`` and ``high_w`` the 95 % interval of that mean
    (NaN where fewer than three were there), ``count`` (k,) of runs. ``runs``: each by itself; ``at_s``: when each began."""

    speed_kmh: Array
    power_w: Array
    low_w: Array
    high_w: Array
    count: NDArray[np.int_]
    runs: tuple[Dyno, ...]
    at_s: tuple[float, ...]

    @property
    def peak(self) -> tuple[float, float]:
        """(W, km/h) of the most power, by the mean."""
        at = int(np.argmax(self.power_w))
        return float(self.power_w[at]), float(self.speed_kmh[at])


def dyno_runs(ride: Ride, bike: Bike, flywheel_kg: float | None = None, stretch: float = 1.0) -> DynoRuns | None:
    """All pulls of a ride at full throttle, unpedalled and unbraked, that gain 8 km/h and more; None where there is none. ``stretch``:
    metres really rolled for a metre that is shown; force and power are the real ones, speeds as they are shown."""
    if not (ride.has("wheel_speed_kmh") and ride.has("throttle")):
        return None
    smooth = even(ride, CHANNELS)
    with np.errstate(invalid="ignore"):
        full = (smooth.get("throttle") >= FULL_THROTTLE) & ~(smooth.get("brake") > 0)
        full &= ~(smooth.get("human_nm") > PEDALLED_NM) & np.isfinite(smooth.get("wheel_speed_kmh"))
    edges = np.flatnonzero(np.diff(np.concatenate(([0], full.astype(int), [0]))))
    found = []
    for start, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        rising = start + int(np.argmax(smooth.get("wheel_speed_kmh")[start:end])) + 1
        channels = {name: values[start:rising] for name, values in smooth.channels.items()}
        channels["wheel_speed_kmh"] = stretch * channels["wheel_speed_kmh"]
        piece = Ride(ride.name, smooth.time_s[start:rising], channels)
        run = dyno_run(piece, bike, flywheel_kg) if rising - start >= LEAST_ROWS else None
        if run is not None:
            found.append((replace(run, speed_kmh=run.speed_kmh / stretch), float(smooth.time_s[start])))
    return averaged(tuple(run for run, _ in found), tuple(at for _, at in found)) if found else None


def averaged(runs: tuple[Dyno, ...], at_s: tuple[float, ...]) -> DynoRuns:
    """Runs as one, with the band in which their mean lies (Student's t over the runs at each speed)."""
    speed = np.unique(np.concatenate([run.speed_kmh for run in runs]))
    table = np.full((len(runs), len(speed)), np.nan)
    for at, run in enumerate(runs):
        table[at, np.searchsorted(speed, run.speed_kmh)] = run.power_w
    count = np.isfinite(table).sum(axis=0)
    mean = np.nansum(table, axis=0) / count
    spread = np.nansum((table - mean) ** 2, axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        error = np.where(count >= FEWEST, np.sqrt(spread / (count - 1) / count), np.nan)
        reach = student(np.maximum(count - 1, 1).astype(np.float64)) * error
    return DynoRuns(speed, mean, mean - reach, mean + reach, count, runs, at_s)


def stronger(first: DynoRuns, second: DynoRuns) -> Estimate:
    """By what share the first has more power than the second, over the speeds that both have; each pair of runs is one sample of it."""
    shares = []
    for run in first.runs:
        for other in second.runs:
            both, here, there = np.intersect1d(run.speed_kmh, other.speed_kmh, return_indices=True)
            if both.size and np.ptp(both) >= LEAST_GAIN_KMH:
                shares.append(float(run.power_w[here].sum() / other.power_w[there].sum()) - 1)
    fewest = min(len(first.runs), len(second.runs))
    if not shares:
        return refused("their pulls have no speeds in common")
    if fewest < 2:
        return refused(
            say(
                "{shares} by single pulls: two each are needed to separate it from chance",
                shares=quantity(100 * float(np.mean(shares)), "%", "+.0f"),
            )
        )
    error = float(np.std(shares, ddof=1)) / np.sqrt(fewest)  # pairs share their runs: no more of them count than runs
    return around(float(np.mean(shares)), error, 2 * fewest - 2)
