"""Rolling and air resistance from rolling out, both ways on one stretch.

On each run ``v' = −(m/me)·g·(crr + grade) − ρ·CdA/(2·me)·(v ± w)²``: with what is integrated along the run as columns and a start speed of
its own for each run this is linear in ``crr``, ``CdA``, ``CdA·w`` and a slope that the heights did not show; ``CdA·w²`` follows by
iteration. Wind and that slope change sign with the direction, so runs both ways tell them apart. The heights of all runs make one
profile of the stretch, so that the drift of a barometer does not pass for slope. Source: coast-down testing (SAE J1263); robust errors
as in :mod:`~crisp_hornet.core.evidence.estimate`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate, Fit, around, clustered_fit, refused, told_well
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.ride.even import STEP_S, even, moving_mean
from crisp_hornet.core.ride.track import EARTH_M
from crisp_hornet.core.road.vehicle import AIR_KGPM3, G_MPS2, coasting_mass_kg
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

CHANNELS = ("wheel_speed_kmh", "throttle", "battery_a", "brake", "human_nm", "altitude_m", "lat_deg", "lon_deg")
LEAST_KMH, LEAST_S, LEAST_DROP_KMH, SETTLE_S = 7.0, 6.0, 6.0, 0.8
FREE_A, FREE_NM, HARD_MPS2 = 1.5, 6.0, 1.2  # what pushes or brakes more is no rolling
BLOCK_S, ROUNDS = 5.0, 12
OPPOSITE_DEG, LEAST_RUNS, WIDEST = 60.0, 2, 0.75
POWERS = np.array([1, 2, 3])


@dataclass(frozen=True)
class RoadLoad:
    """``crr`` and ``cda_m2``; ``load_20_n``: both together at 20 km/h (N), known where they cannot be told apart; ``wind_kmh`` along the
    stretch, positive against the first run; ``runs`` that were used."""

    crr: Estimate
    cda_m2: Estimate
    load_20_n: Estimate
    wind_kmh: Estimate
    runs: int


@dataclass(frozen=True, eq=False)
class _Run:
    time_s: Array
    v: Array  # m/s over ground
    place_m: Array  # along the stretch, positive the way of the first run
    height_m: Array
    way: float  # +1 or -1


def road_load(ride: Ride, bike: Bike, wheel: Estimate) -> RoadLoad:
    """Crr and CdA of a ride that holds coast-downs; ``wheel`` is the circumference (m) it showed."""
    if not ride.has("wheel_speed_kmh") or not (ride.has("battery_a") or ride.has("throttle")):
        return _unknown("the wheel's speed, and throttle or battery current, are needed")
    stretch = wheel.value / bike.drivetrain.wheel_circumference_m if wheel.known else 1.0
    runs = _runs(ride, stretch)
    if len(runs) < LEAST_RUNS:
        return _unknown(
            say(
                "{runs} coast-downs of {least}; at least {least_runs}, both ways, are needed",
                runs=len(runs),
                least=quantity(LEAST_S, "s", ".0f"),
                least_runs=LEAST_RUNS,
            )
        )
    if not any(run.way > 0 for run in runs) or not any(run.way < 0 for run in runs):
        return _unknown("rolled out one way only: wind and slope cannot be taken out", len(runs))
    fit = _fitted(runs, bike)
    if fit is None:
        return _unknown("the coast-downs do not separate rolling resistance and air drag", len(runs))
    return _told(fit, bike, len(runs))


def _unknown(why: str, runs: int = 0) -> RoadLoad:
    return RoadLoad(refused(why), refused(why, "m²"), refused(why, "N"), refused(why, "km/h"), runs)


def _runs(ride: Ride, stretch: float) -> list[_Run]:
    smooth = even(ride, CHANNELS)
    if len(smooth) * STEP_S < LEAST_S:
        return []
    north, east = _metres(smooth)
    free = _free(smooth)
    edges = np.flatnonzero(np.diff(np.concatenate(([0], free.astype(int), [0]))))
    found: list[_Run] = []
    first = np.nan
    for begins, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        start = begins + round(SETTLE_S / STEP_S)
        speed = smooth.get("wheel_speed_kmh")[start:end]
        if len(speed) * STEP_S < LEAST_S or speed[0] - speed[-1] < LEAST_DROP_KMH:
            continue
        n, e = north[start:end], east[start:end]
        good = np.flatnonzero(np.isfinite(n))
        if good.size < 5:
            continue
        heading = float(np.arctan2(e[good[-1]] - e[good[0]], n[good[-1]] - n[good[0]]))
        first = heading if np.isnan(first) else first
        off = abs(np.degrees((heading - first + np.pi) % (2 * np.pi) - np.pi))
        if OPPOSITE_DEG < off < 180 - OPPOSITE_DEG:
            continue  # another road: its wind is another one
        way, v = (1.0 if off < 90 else -1.0), speed / 3.6 * stretch
        rolled = way * summed(smooth.time_s[start:end], v)
        projected = n * np.cos(first) + e * np.sin(first)
        place = rolled + float(np.nanmedian(projected - rolled))
        found.append(_Run(smooth.time_s[start:end], v, place, smooth.get("altitude_m")[start:end], way))
    return found


def _metres(ride: Ride) -> tuple[Array, Array]:
    """Positions as metres north and east of the first (n,) each."""
    lat, lon = ride.get("lat_deg"), ride.get("lon_deg")
    good = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
    if not good.size:
        return lat, lon
    at = good[0]
    scale = np.pi / 180 * EARTH_M
    return (lat - lat[at]) * scale, (lon - lon[at]) * scale * np.cos(np.radians(lat[at]))


def _free(ride: Ride) -> NDArray[np.bool_]:
    """Where nothing but the road acts."""
    speed = ride.get("wheel_speed_kmh")
    with np.errstate(invalid="ignore"):
        pushed = (np.nan_to_num(ride.get("throttle")) > 0.03) | (np.abs(np.nan_to_num(ride.get("battery_a"))) > FREE_A)
        pushed |= (np.nan_to_num(ride.get("brake")) > 0) | (np.nan_to_num(ride.get("human_nm")) > FREE_NM)
        gained = np.gradient(moving_mean(speed, 7) / 3.6, STEP_S)
        free: NDArray[np.bool_] = ~pushed & (speed > LEAST_KMH) & (gained > -HARD_MPS2) & (gained < 0.4)
    return free


@dataclass(frozen=True, eq=False)
class _Profile:
    """The stretch's height as powers of the scaled place: coefficients (p,), their covariance (p, p), middle and half length (m)."""

    values: Array
    covariance: Array
    middle_m: float
    half_m: float

    def grade(self, run: _Run) -> Array:
        """Grade in the direction of a run for a unit of each coefficient, (n, p)."""
        scaled = (run.place_m - self.middle_m) / self.half_m
        found: Array = run.way * scaled[:, None] ** (POWERS - 1) * POWERS / self.half_m
        return found


def _profile(runs: list[_Run]) -> _Profile:
    """From each run's heights by themselves: their mean, and from their spread how well it is known. A bend that is no larger than its own
    error is drawn towards nothing (empirical Bayes; B. Efron, C. Morris, 1973): a barometer's drift is no hill."""
    every = np.concatenate([run.place_m for run in runs])
    middle, half = float(np.mean(every)), max(float(np.ptp(every)) / 2, 1.0)
    flat = _Profile(np.zeros(len(POWERS)), np.zeros((len(POWERS), len(POWERS))), middle, half)
    found = []
    for run in runs:
        good = np.isfinite(run.height_m)
        if good.sum() > 30:
            scaled = (run.place_m[good] - middle) / half
            columns = np.column_stack([np.ones(good.sum()), scaled[:, None] ** POWERS])
            found.append(np.linalg.lstsq(columns, run.height_m[good], rcond=None)[0][1:])
    if len(found) < 3 or half < 20:
        return flat
    table = np.array(found)
    mean, covariance = table.mean(axis=0), np.cov(table.T) / len(table)
    share = np.maximum(0.0, 1 - np.diag(covariance) / np.maximum(mean**2, 1e-12))
    share = np.where(POWERS > 1, share, 1.0)
    left = np.sqrt((1 + share) / 2)  # what is drawn towards nothing is also known better, by about half
    return _Profile(share * mean, covariance * np.outer(left, left), middle, half)


def _fitted(runs: list[_Run], bike: Bike) -> Fit | None:
    """(crr, cda, cda·w, slope, a start speed each run); what the profile is not sure of is in its covariance."""
    mass, effective = bike.mass_kg, coasting_mass_kg(bike)
    weight, air = mass / effective * G_MPS2, AIR_KGPM3 / (2 * effective)
    profile = _profile(runs)
    columns, blocks, hills, passed = [], [], [], []
    for at, run in enumerate(runs):
        lasted = summed(run.time_s, np.ones(len(run.v)))
        rows = np.zeros((len(run.v), 4 + len(runs)))
        rows[:, 0] = -weight * lasted
        rows[:, 1] = -air * summed(run.time_s, run.v**2)
        rows[:, 2] = -air * 2 * run.way * summed(run.time_s, run.v)
        rows[:, 3] = -weight * run.way * lasted
        rows[:, 4 + at] = 1.0
        grade = profile.grade(run)
        hills.append(np.column_stack([-weight * summed(run.time_s, grade[:, k]) for k in range(len(POWERS))]))
        columns.append(rows)
        passed.append(lasted)
        blocks.append(1000 * at + np.floor((run.time_s - run.time_s[0]) / BLOCK_S))
    x, hill, lasted, block = np.vstack(columns), np.vstack(hills), np.concatenate(passed), np.concatenate(blocks)
    speed = np.concatenate([run.v for run in runs]) - hill @ profile.values
    fit, extra = None, 0.0  # extra: cda·w²
    for _ in range(ROUNDS):
        fit = clustered_fit(x, speed + air * extra * lasted, block)
        if fit is None or fit.values[1] <= 0:
            return None
        moved = min(float(fit.values[2] ** 2 / fit.values[1]), 60.0)
        if abs(moved - extra) < 1e-6:
            break
        extra = moved
    assert fit is not None
    moves = np.linalg.pinv(x) @ hill  # by how much each value moves with each coefficient of the profile
    return Fit(fit.values, fit.covariance + moves @ profile.covariance @ moves.T, min(fit.freedom, 4.0 * len(runs)))


def _told(fit: Fit, bike: Bike, runs: int) -> RoadLoad:
    apart = [
        told_well(
            around(float(fit.values[at]), fit.error(at), fit.freedom, unit),
            WIDEST,
            f"from the coast-downs {name} is known",
            ".3g",
        )
        for at, (name, unit) in enumerate((("crr", ""), ("cda", "m²")))
    ]
    v = 20 / 3.6
    weights = np.zeros(len(fit.values))
    weights[:2] = bike.mass_kg * G_MPS2, 0.5 * AIR_KGPM3 * v**2
    load = around(*fit.combined(weights), fit.freedom, "N")
    wind = float(fit.values[2] / fit.values[1])
    spread = abs(wind) * float(np.hypot(fit.error(2) / max(abs(fit.values[2]), 1e-9), fit.error(1) / fit.values[1]))
    return RoadLoad(apart[0], apart[1], load, around(3.6 * wind, 3.6 * spread, fit.freedom, "km/h"), runs)
