"""Roads: made from pieces or from a ride, turned round, repeated, joined, with stops and limits added.

Heights of a log are smoothed along the way for what barometers and maps do: a triangle over :data:`OVER_M` takes out what is shorter than
a ramp, then points that lie on the line between their neighbours are left out (D. H. Douglas, T. K. Peucker, 1973). What the smoothing
took of the climb is told.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.ride.track import ground_speed_kmh, steps_m
from crisp_hornet.documents.route import Route, RoutePoint

OVER_M, STEP_M, OFF_M, LEAST_M, STOOD_S = 60.0, 5.0, 0.3, 100.0, 5.0
MOST_STEPS = 400_000
UNLIMITED_KMH = 300.0  # what a limit is lifted to


@dataclass(frozen=True)
class RoadPiece:
    """A stretch of a road drawn by hand: its length (m), grade (rise over run), what limits it (km/h) from its start on, and how long one
    stands at its start (s), and the wind against it from there on (km/h)."""

    length_m: float
    grade: float = 0.0
    limit_kmh: float | None = None
    stop_s: float | None = None
    headwind_kmh: float | None = None


@dataclass(frozen=True)
class Smoothed:
    """A road made from a ride, and how much it climbs (m) by its heights as they were logged and as they were smoothed."""

    route: Route
    logged_climb_m: float
    climb_m: float


def route_of(name: str, points: Sequence[RoutePoint]) -> Route:
    """A route from its points. Raises :class:`ValueError` for points that make none."""
    return Route(format="crisp-hornet/route", version=1, name=name, points=list(points))


def from_pieces(name: str, pieces: Sequence[RoadPiece], start_m: float = 0.0) -> Route:
    """A road drawn by hand, from a height on. Raises :class:`ValueError` for pieces that make no road."""
    at, height, points = 0.0, start_m, []
    for piece in pieces:
        points.append(
            RoutePoint(
                at_m=at,
                altitude_m=height,
                limit_kmh=piece.limit_kmh,
                stop_s=piece.stop_s or None,
                headwind_kmh=piece.headwind_kmh,
            )
        )
        at, height = at + piece.length_m, height + piece.grade * piece.length_m
    return route_of(name, [*points, RoutePoint(at_m=at, altitude_m=height)])


def climb_m(route: Route) -> float:
    """All that goes up, together."""
    rises = np.diff([one.altitude_m for one in route.points])
    return float(rises[rises > 0].sum())


def turned(route: Route) -> Route:
    """The same road the other way; what held from a point on holds up to it, and a wind comes from the other side."""
    length, kept = route.length_m, _held(route)
    points, limited, blown = [], False, False
    for at, one in reversed(list(enumerate(route.points))):
        limit, wind = kept[at - 1] if at else (None, None)
        points.append(
            RoutePoint(
                at_m=length - one.at_m, altitude_m=one.altitude_m, stop_s=one.stop_s,
                limit_kmh=UNLIMITED_KMH if limit is None and limited and at else limit,
                headwind_kmh=0.0 if wind is None and blown and at else None if wind is None else -wind,
            )
        )  # fmt: skip
        limited, blown = limited or limit is not None, blown or wind is not None
    return route_of(f"{route.name}, the other way"[:200], points)


def _held(route: Route) -> list[tuple[float | None, float | None]]:
    """(limit, wind) from each point on."""
    found, limit, wind = [], None, None
    for one in route.points:
        limit = one.limit_kmh if one.limit_kmh is not None else limit
        wind = one.headwind_kmh if one.headwind_kmh is not None else wind
        found.append((limit, wind))
    return found


def joined(first: Route, second: Route, name: str = "") -> Route:
    """One road after the other; the second begins as high as the first ends, and nothing that held on the first holds there."""
    end, limits = first.points[-1], _held(first)[-1]
    start = second.points[0]
    rise = end.altitude_m - start.altitude_m
    free = RoutePoint(
        at_m=end.at_m, altitude_m=end.altitude_m, stop_s=start.stop_s or end.stop_s,
        limit_kmh=start.limit_kmh if start.limit_kmh is not None or limits[0] is None else UNLIMITED_KMH,
        headwind_kmh=start.headwind_kmh if start.headwind_kmh is not None or limits[1] is None else 0.0,
    )  # fmt: skip
    after = [
        one.model_copy(update={"at_m": one.at_m + end.at_m, "altitude_m": one.altitude_m + rise})
        for one in second.points[1:]
    ]
    return route_of((name or f"{first.name} and {second.name}")[:200], [*first.points[:-1], free, *after])


def repeated(route: Route, times: int) -> Route:
    """The same road so often; it goes on as high as it ended. Raises :class:`ValueError` for less than once."""
    if times < 1:
        raise ValueError("a road is ridden at least once")
    found = route
    for _ in range(times - 1):
        found = joined(found, route, route.name)
    return found


def with_point(route: Route, at_m: float, **added: float | None) -> Route:
    """The road with a stop, a limit or a wind at a place (``stop_s``, ``limit_kmh``, ``headwind_kmh``), on a point of its own there.

    Raises :class:`ValueError` for a place that is not on it."""
    if not 0 <= at_m <= route.length_m:
        raise ValueError(f"the road ends at {route.length_m:.0f} m")
    points = list(route.points)
    places = np.array([one.at_m for one in points])
    near = int(np.argmin(np.abs(places - at_m)))
    if abs(places[near] - at_m) < 0.5:
        points[near] = RoutePoint.model_validate(points[near].model_dump() | added)
    else:
        height = float(np.interp(at_m, places, [one.altitude_m for one in points]))
        points.insert(
            int(np.searchsorted(places, at_m)), RoutePoint.model_validate({"at_m": at_m, "altitude_m": height} | added)
        )
    return route_of(route.name, points)


def from_ride(ride: Ride, name: str = "", off_m: float = OFF_M) -> Smoothed:
    """The road that a ride went over, by its heights and the way it rolled or GPS saw, its stops with it.

    Raises :class:`ValueError` where it has no heights, no way, or hardly moved."""
    way, height = _way_and_heights(ride)
    found = _smoothed_road(name or ride.name or "road", way, height, off_m)
    return Smoothed(_with_stops(found.route, ride, way), found.logged_climb_m, found.climb_m)


def from_track(name: str, lat_deg: Array, lon_deg: Array, altitude_m: Array, off_m: float = OFF_M) -> Smoothed:
    """The road along positions (degrees) with heights (m), all (n,), that nobody rode yet. Raises as :func:`from_ride`."""
    known = np.isfinite(lat_deg) & np.isfinite(lon_deg) & np.isfinite(altitude_m)
    if known.sum() < 2:
        raise ValueError("the track has no heights: a road needs them")
    way = np.concatenate(([0.0], np.cumsum(steps_m(lat_deg[known], lon_deg[known]))))
    if way[-1] < LEAST_M:
        raise ValueError(f"the track goes less than {LEAST_M:.0f} m: no road")
    return _smoothed_road(name or "road", way, altitude_m[known], off_m)


def _smoothed_road(name: str, way: Array, height: Array, off_m: float) -> Smoothed:
    steps = min(max(int(way[-1] / STEP_M), 20), MOST_STEPS)
    places = np.linspace(0.0, way[-1], steps + 1)
    logged = np.interp(places, way, height)
    smooth = _smoothed(logged, way[-1] / steps)
    kept = _corners(places, smooth, off_m)
    points = [
        RoutePoint(at_m=round(float(places[at]), 1), altitude_m=round(float(smooth[at]), 2)) for at in kept.tolist()
    ]
    route = route_of(name, points)
    rises = np.diff(logged)
    return Smoothed(route, float(rises[rises > 0].sum()), climb_m(route))


def _way_and_heights(ride: Ride) -> tuple[Array, Array]:
    """(metres from the start (n,), height (n,)) where both are known and the way grows."""
    if not ride.has("altitude_m"):
        raise ValueError("the ride has no heights: a road needs them")
    speed = ride.get("wheel_speed_kmh") if ride.has("wheel_speed_kmh") else ride.get("gps_speed_kmh")
    if not np.isfinite(speed).any():
        speed = ground_speed_kmh(ride.time_s, ride.get("lat_deg"), ride.get("lon_deg"))
    way = summed(ride.time_s, np.maximum(np.nan_to_num(speed), 0.0)) / 3.6
    if not way.size or way[-1] < LEAST_M:
        raise ValueError(f"the ride goes less than {LEAST_M:.0f} m: no road")
    known = np.isfinite(ride.get("altitude_m"))
    return way[known] - way[known][0], ride.get("altitude_m")[known]


def _smoothed(height: Array, step_m: float) -> Array:
    """Heights through a triangle of :data:`OVER_M`, the ends held."""
    half = max(round(OVER_M / 2 / step_m), 1)
    weights = np.concatenate((np.arange(1.0, half + 1), np.arange(half - 1.0, 0, -1)))
    padded = np.pad(height, len(weights) // 2, mode="edge")
    found: Array = np.convolve(padded, weights / weights.sum(), "valid")
    return found


def _corners(places: Array, height: Array, off_m: float) -> NDArray[np.intp]:
    """The points without which the height would be off by more than ``off_m`` (m)."""
    keep = np.zeros(len(places), bool)
    keep[0] = keep[-1] = True
    left = [(0, len(places) - 1)]
    while left:
        first, last = left.pop()
        if last - first < 2:
            continue
        inside = slice(first + 1, last)
        line = np.interp(places[inside], places[[first, last]], height[[first, last]])
        off = np.abs(height[inside] - line)
        at = int(np.argmax(off))
        if off[at] > off_m:
            keep[first + 1 + at] = True
            left += [(first, first + 1 + at), (first + 1 + at, last)]
    return np.flatnonzero(keep)


def _with_stops(route: Route, ride: Ride, way: Array) -> Route:
    """With a stop wherever the ride stood for a while on its way."""
    known = np.flatnonzero(np.isfinite(ride.get("altitude_m")))
    times = ride.time_s[known]
    stands = np.diff(way) < 0.01
    edges = np.flatnonzero(np.diff(np.concatenate(([0], stands.astype(int), [0]))))
    for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        stood, at = float(times[last] - times[first]), float(way[first])
        if stood >= STOOD_S and 10.0 < at < route.length_m - 10.0:
            route = with_point(route, at, stop_s=round(stood, 1))
    return route
