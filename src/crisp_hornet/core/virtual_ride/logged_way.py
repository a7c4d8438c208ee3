"""What a log says of its road and of what its rider wished: heights, stops, speeds by place, and what resists beyond the document.

The wish is the log's speed where the throttle was not all open; where it was, at least the speed at which it was next eased, and what was
ridden before it was opened where the speed fell from then on. The force beyond the document is what the currents gave, less what rolling,
slope, air and the gain of speed take: wind, surface, a rider's own push. It is not known while brakes are at work: there it goes on.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel
from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.core.ride.derived import grade, slope, summed
from crisp_hornet.core.ride.even import even, moving_mean
from crisp_hornet.core.ride.measured_pull import FULL_THROTTLE, force_by_currents
from crisp_hornet.core.road.vehicle import G_MPS2, effective_mass_kg, road_load_n
from crisp_hornet.core.virtual_ride.way import Stretch
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route, RoutePoint

CELL_M, MOST_CELLS, LEAST_M = 8.0, 6000, 200.0
STANDS_KMH, STANDS_S, SLOWEST_MPS = 0.7, 1.5, 0.8
SMOOTH_S, ACCELERATION_S, FORCE_M = 0.6, 1.5, 60.0
BRAKES_MPS2, HARD_MPS2, OPENS_M, FALLS_MPS, SLOWED_MPS = 0.6, 1.5, 30.0, 0.3, 0.7


@dataclass(frozen=True, eq=False)
class LoggedWay:
    """A ride cut at ``at_m`` (n + 1,): speed there as it was and as it was wished (m/s), each (n + 1,); over each cell (n,) the grade; for
    how long it stood at its start (s). ``rows``: the ride on an even clock; ``metres``: the way at each of its rows."""

    at_m: Array
    speed: Array
    wished: Array
    grade: Array
    stood_s: Array
    rows: Ride
    metres: Array

    @property
    def route(self) -> Route:
        """The road by its grades, from 0 m of height on."""
        heights = np.concatenate(([0.0], np.cumsum(self.grade * np.diff(self.at_m))))
        lift = max(-float(heights.min()), 0.0)
        points = [
            RoutePoint(at_m=at, altitude_m=height + lift)
            for at, height in zip(self.at_m.tolist(), heights.tolist(), strict=True)
        ]
        return Route(format="crisp-hornet/route", version=1, name=self.rows.name or "ride", points=points)

    def extra_n(self, bike: Bike) -> Array:
        """What resisted beyond the document of ``bike`` (N, (n,)): the same work as in the log, smoothed along the way; nothing where the
        log has no currents."""
        ride, metres = self.rows, self.metres
        if not (ride.has("phase_a") or (ride.has("pack_v") and ride.has("battery_a"))):
            return np.zeros(len(self.grade))
        mps = moving_mean(ride.get("wheel_speed_kmh"), round(SMOOTH_S / 0.2)) / 3.6
        gains = slope(ride.time_s, ride.get("wheel_speed_kmh") / 3.6, ACCELERATION_S)
        force = force_by_currents(ride, bike, MotorModel.of(bike, _usual_winding_c(ride)))
        force = np.maximum(force, 0.0) if bike.drivetrain.freewheel else force
        slopes = np.interp(metres, (self.at_m[1:] + self.at_m[:-1]) / 2, self.grade)
        load = road_load_n(bike, 3.6 * mps) + bike.mass_kg * G_MPS2 * np.sin(np.arctan(slopes))
        extra = force - load - effective_mass_kg(bike) * gains
        braked = (np.nan_to_num(ride.get("brake")) > 0) | ((extra > BRAKES_MPS2 * bike.mass_kg) & (force < 20))
        good = np.isfinite(extra) & (mps > 1.0) & ~braked
        if good.sum() < 10:
            return np.zeros(len(self.grade))
        weight = np.where(good, np.diff(metres, append=metres[-1]), 0.0)
        cell = np.clip(np.searchsorted(self.at_m, metres, side="right") - 1, 0, len(self.grade) - 1)
        work = np.bincount(cell, weight * np.where(good, extra, 0.0), len(self.grade)).astype(np.float64)
        known = np.bincount(cell, weight, len(self.grade)).astype(np.float64)
        cells = max(round(FORCE_M / float(np.median(np.diff(self.at_m)))), 1)
        return _along(work, known, cells)


def _along(work: Array, known: Array, cells: int) -> Array:
    """Work over way (N, (n,)), both summed under a bell of so many cells; straight on where nothing is known."""
    reach = np.arange(-3 * cells, 3 * cells + 1)
    bell = np.exp(-0.5 * (reach / cells) ** 2)
    over, under = (np.convolve(np.pad(one, 3 * cells), bell, "valid") for one in (work, known))
    place = np.arange(len(work))
    told = under > 1e-3 * max(float(under.max()), 1e-9)
    found: Array = np.interp(place, place[told], over[told] / under[told])
    return found


def _usual_winding_c(ride: Ride) -> float:
    return float(np.nanmedian(ride.get("motor_c"))) if ride.has("motor_c") else 40.0


def logged_way(ride: Ride) -> LoggedWay:
    """A log cut by place. Raises :class:`ValueError` where it has no speed, no throttle or hardly moved."""
    rows = even(_with_wheel(ride), CHANNELS)
    if not rows.has("throttle"):
        raise ValueError("the ride has no throttle, which tells where its speed was what was wished")
    speed = np.maximum(np.nan_to_num(rows.get("wheel_speed_kmh")), 0.0)
    metres = summed(rows.time_s, speed) / 3.6
    if not metres.size or metres[-1] < LEAST_M:
        raise ValueError(f"the ride goes less than {LEAST_M:.0f} m")
    stops = _stops(rows, speed, metres)
    at_m = _edges(float(metres[-1]), [place for place, _ in stops])
    moves = np.concatenate(([True], np.diff(metres) > 1e-6))
    smooth = moving_mean(speed, round(SMOOTH_S / 0.2)) / 3.6
    mps = np.maximum(np.interp(at_m, metres[moves], smooth[moves]), SLOWEST_MPS)
    stood = np.zeros(len(at_m) - 1)
    for place, seconds in stops:
        at = int(np.argmin(np.abs(at_m - place)))
        mps[at] = 0.0
        if at < len(stood):
            stood[at] += seconds
    mps[0] = 0.0
    slopes = np.zeros(len(stood))
    if rows.has("altitude_m"):
        middles = (at_m[1:] + at_m[:-1]) / 2
        by_row = np.nan_to_num(grade(metres, rows.get("altitude_m")))
        slopes = np.interp(middles, metres[moves], by_row[moves])
    return LoggedWay(at_m, mps, _wished(rows, metres, at_m, mps), slopes, stood, rows, metres)


def _with_wheel(ride: Ride) -> Ride:
    if ride.has("wheel_speed_kmh"):
        return ride
    if not ride.has("gps_speed_kmh"):
        raise ValueError("the ride has no speed")
    return Ride(ride.name, ride.time_s, ride.channels | {"wheel_speed_kmh": ride.get("gps_speed_kmh")}, ride.started_s)


def _stops(rows: Ride, speed: Array, metres: Array) -> list[tuple[float, float]]:
    """(place m, seconds) of each time it stood."""
    stands = np.concatenate(([False], speed < STANDS_KMH, [False]))
    edges = np.flatnonzero(np.diff(stands.astype(int)))
    found = []
    for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        seconds = float(rows.time_s[min(last, len(rows.time_s) - 1)] - rows.time_s[first])
        if seconds >= STANDS_S:
            found.append((float(metres[first]), seconds))
    return found


def _edges(length: float, stops: list[float]) -> Array:
    count = min(max(int(length / CELL_M), 20), MOST_CELLS)
    edges = np.linspace(0.0, length, count + 1)
    for place in stops:
        edges[int(np.argmin(np.abs(edges - place)))] = place
    edges[0], edges[-1] = 0.0, length
    return np.unique(edges)


def _wished(rows: Ride, metres: Array, at_m: Array, mps: Array) -> Array:
    """The speed that was wished at each edge (m/s)."""
    open_rows = np.nan_to_num(rows.get("throttle")) >= FULL_THROTTLE
    moves = np.concatenate(([True], np.diff(metres) > 1e-6))
    is_open = np.interp(at_m, metres[moves], open_rows[moves].astype(float)) > 0.5
    wished = mps.copy()
    held = ~is_open & (mps > SLOWEST_MPS)
    usual = float(np.quantile(mps[held], 0.9)) if held.any() else 0.0
    for first, last in _runs(is_open):
        settles = last
        while settles + 1 < len(mps) and mps[settles + 1] > mps[settles]:
            settles += 1  # eased because it went by itself, as over a crest: it still rose to what was wished
        eased = float(mps[settles])
        before = float(mps[first])
        fell = mps[min(first + 4, last)] < before - FALLS_MPS
        slowed = bool(mps[last + 1 : last + 5].size) and float(mps[last + 1 : last + 5].min()) < eased - SLOWED_MPS
        hoped = usual if slowed or last >= len(mps) - 3 else 0.0  # held open until it had to brake, or to the end
        wished[first : last + 1] = np.maximum(mps[first : last + 1], max(eased, before if fell else 0.0, hoped))
    wished[mps <= 0] = 0.0
    return wished


def _runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """(first, last) of each run of true ones."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], flags.astype(int), [0]))))
    return [(first, last - 1) for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)]


def stretches_of(logged: LoggedWay, extra_n: Array) -> list[Stretch]:
    """The way to ride again, with what resists beyond the document. A wish that falls is slowed down to as hard as the log did at most."""
    at, wished = logged.at_m, logged.wished
    passes = wished.copy()
    for index in range(len(at) - 2, -1, -1):
        reach = math.sqrt(passes[index + 1] ** 2 + 2 * HARD_MPS2 * (at[index + 1] - at[index]))
        passes[index] = min(passes[index], reach)
    found = []
    for index, (start, end) in enumerate(zip(at[:-1].tolist(), at[1:].tolist(), strict=True)):
        low, high = float(passes[index]), float(passes[index + 1])
        if low <= 0 and high <= 0:  # from one stop to the next
            low = SLOWEST_MPS
        angle = math.atan(logged.grade[index])
        rate = (high**2 - low**2) / (2 * (end - start))
        found.append(
            Stretch(
                start, end, float(logged.grade[index]), math.cos(angle), math.sin(angle), low, 0.0, float(logged.stood_s[index]),
                high, rate, HARD_MPS2, float(extra_n[index]),
            )
        )  # fmt: skip
    return found
