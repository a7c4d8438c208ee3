"""The climbs of a road, and how a ride took them."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.documents.route import Route

STEEP, LEAST_RISE_M, GAP_M = 0.03, 6.0, 80.0


@dataclass(frozen=True)
class Climb:
    """A part of a road that goes up: from and to (m), and its mean grade (rise over run)."""

    from_m: float
    to_m: float
    grade: float


@dataclass(frozen=True)
class Climbed:
    """How a ride took a climb: seconds, mean and slowest speed (km/h), hottest winding (°C); NaN where it never came to it."""

    climb: Climb
    time_s: float
    mean_kmh: float
    slowest_kmh: float
    winding_c: float


def climbs_of(route: Route) -> list[Climb]:
    """All that goes up by :data:`LEAST_RISE_M` at :data:`STEEP` or more, a gentler piece of :data:`GAP_M` in between counted in."""
    found: list[list[float]] = []  # from, to, low, high
    points = route.points
    for one, other in itertools.pairwise(points):
        rise, length = other.altitude_m - one.altitude_m, other.at_m - one.at_m
        if rise / length < STEEP:
            continue
        if found and one.at_m - found[-1][1] <= GAP_M and one.altitude_m >= found[-1][2]:
            found[-1][1], found[-1][3] = other.at_m, other.altitude_m
        else:
            found.append([one.at_m, other.at_m, one.altitude_m, other.altitude_m])
    return [
        Climb(start, end, (high - low) / (end - start)) for start, end, low, high in found if high - low >= LEAST_RISE_M
    ]


def climbed(journey: Journey, route: Route) -> list[Climbed]:
    """How a ride took each climb of its road."""
    rows = []
    for climb in climbs_of(route):
        seconds, slowest, winding = journey.between(climb.from_m, climb.to_m)
        reached = min(climb.to_m, journey.distance_m)
        mean = (reached - climb.from_m) / seconds * 3.6 if seconds > 0 else float("nan")
        rows.append(Climbed(climb, seconds, mean, slowest, winding))
    return rows
