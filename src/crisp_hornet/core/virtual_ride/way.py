"""A road as it is ridden: stretches of one grade, limit and wind, the stops, and how fast each point may be passed."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

from crisp_hornet.documents.route import Route

SLOWS_MPS2 = 1.5


@dataclass(frozen=True)
class Stretch:
    """From ``start_m`` to ``end_m`` (m) of one grade (``cosine`` and ``sine`` of its angle), against a wind (m/s). ``target``: the speed
    wished for at its start (m/s, infinite without one), ``rate`` how it changes (m/s², ``v² = target² + 2·rate·s``). ``out``: how fast
    its end may be passed (m/s), slowing down by ``slows`` (m/s²). ``stop_s``: how long it stands at its start; ``extra_n``: what resists
    besides rolling, slope and air (N)."""

    start_m: float
    end_m: float
    grade: float
    cosine: float
    sine: float
    target: float
    wind: float
    stop_s: float
    out: float
    rate: float = 0.0
    slows: float = SLOWS_MPS2
    extra_n: float = 0.0

    def wished(self, at_m: float) -> float:
        """The speed wished for at a place (m/s)."""
        if not self.rate:
            return self.target
        return math.sqrt(max(self.target**2 + 2 * self.rate * (at_m - self.start_m), 0.0))


def stretches(route: Route, hold_kmh: float = math.inf, headwind_kmh: float = 0.0) -> list[Stretch]:
    """The stretches of a route, held at ``hold_kmh`` where it gives no lower limit; a wind where it gives none itself. Before a lower limit
    and before a stop it slows at :data:`SLOWS_MPS2`: found from the end on, ``v² = w² + 2·a·s``."""
    points = route.points
    limit, wind = math.inf, headwind_kmh
    targets, winds = [], []
    for point in points[:-1]:
        limit = point.limit_kmh if point.limit_kmh is not None else limit
        wind = point.headwind_kmh if point.headwind_kmh is not None else wind
        targets.append(min(limit, hold_kmh) / 3.6)
        winds.append(wind / 3.6)
    passes = [0.0 if point.stop_s else math.inf for point in points]
    for at in range(len(targets) - 1, -1, -1):
        reach = math.sqrt(passes[at + 1] ** 2 + 2 * SLOWS_MPS2 * (points[at + 1].at_m - points[at].at_m))
        passes[at] = min(passes[at], targets[at], reach)
    found = []
    for at, (one, other) in enumerate(itertools.pairwise(points)):
        grade = (other.altitude_m - one.altitude_m) / (other.at_m - one.at_m)
        angle = math.atan(grade)
        found.append(
            Stretch(
                one.at_m, other.at_m, grade, math.cos(angle), math.sin(angle), targets[at], winds[at], one.stop_s or 0.0, passes[at + 1]
            )
        )  # fmt: skip
    return found
