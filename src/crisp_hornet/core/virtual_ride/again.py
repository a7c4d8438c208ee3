"""A logged ride once more, on another tune: the same road, the same wish, what resisted beyond the document kept.

Both tunes, the one it was ridden on and the other, are ridden over the log's way in the model; what the other changes is laid on what was
logged: seconds are added, energy and the winding's rise above the air are scaled (what the model gets wrong of both alike cancels). For
each bike that may be the true one the force beyond the document is found anew, so that the band is no wider than the log leaves it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.drive.uncertainty import possible_bikes
from crisp_hornet.core.evidence.estimate import REACH
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.core.virtual_ride.band import ON_THE_ROAD, Ends, Foreseen, banded
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.logged_way import LoggedWay, logged_way, stretches_of
from crisp_hornet.core.virtual_ride.ride import Setting, Stopped, ride_over
from crisp_hornet.core.virtual_ride.telling import change_told
from crisp_hornet.core.virtual_ride.wishes import Held
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune

SAMPLES, FASTEST_KMH = 8, 300.0
# what the model leaves open, one standard deviation: a share of a change, and what is there whatever changes, plain or as a share
OF_CHANGE = 0.2
LEAST = {"winding_c": 0.8, "controller_c": 0.8, "min_pack_v": 0.15}
LEAST_SHARE = {
    "time_s": 0.003,
    "wh_cells": 0.011,
    "wh_per_km": 0.011,
    "winding_c": 0.0,
    "controller_c": 0.0,
    "min_pack_v": 0.0,
}


@dataclass(frozen=True, eq=False)
class RiddenAgain:
    """``foreseen``: the ride on the other tune, its figures laid on the log; ``before``: the same figures of the ride as it was, as far as
    it logged them, else as the model rides it; ``as_ridden``: the model's ride on the tune it was ridden on."""

    foreseen: Foreseen
    before: dict[str, float]
    as_ridden: Journey
    route: Route

    def change(self, name: str) -> Ends:
        """By how much a figure changes."""
        ends, before = self.foreseen.figures[name], self.before[name]
        return Ends(ends.value - before, ends.low - before, ends.high - before)

    @property
    def sentence(self) -> str:
        """What the other tune changes, in one sentence; what the bands leave open is not said as if it were known."""
        return change_told(
            self.foreseen, {name: self.change(name) for name in ("time_s", "wh_cells", "winding_c")}, self.before
        )


def ride_again(
    log: Ride,
    ridden: Tune,
    tune: Tune,
    bike: Bike,
    rested_v: float | None = None,
    ambient_c: float | None = None,
    tick: Callable[[float], bool] | None = None,
    samples: int = SAMPLES,
) -> RiddenAgain:
    """The log's ride on ``tune``, which was ridden on ``ridden``; voltage at rest and air as the log began, unless given.

    Raises :class:`ValueError` for a log that tells no way, :class:`~crisp_hornet.core.virtual_ride.ride.Stopped` where ``tick`` says not to
    go on."""
    way = logged_way(log)
    start = _start(log, bike, rested_v, ambient_c)
    before = logged_figures(way.rows, bike, float(log.time_s[-1] - log.time_s[0]), float(way.at_m[-1]))
    bikes = [bike, *possible_bikes(bike, samples, paths=ON_THE_ROAD)]
    pairs = []
    for at, one in enumerate(bikes):
        if tick is not None and not tick(at / len(bikes)):
            raise Stopped
        pairs.append(_both(one, way, ridden, tune, start))
    as_ridden, journey = pairs[0]
    told = {name: before.get(name, as_ridden.figures[name]) for name in as_ridden.figures}
    drawn = banded(journey, [new for _, new in pairs[1:]])
    lays_on = (
        journey.stalled_at_m is None and as_ridden.stalled_at_m is None
    )  # nothing is added to a ride that ends on the way
    alike = [pair for pair in pairs if (pair[1].stalled_at_m is None) == (journey.stalled_at_m is None)]
    figures = {name: _ends(name, told[name], alike, start.ambient_c, bike, lays_on and name in before) for name in told}
    return RiddenAgain(replace(drawn, figures=figures), told, as_ridden, way.route)


def _both(bike: Bike, way: LoggedWay, ridden: Tune, tune: Tune, start: Setting) -> tuple[Journey, Journey]:
    stretches = stretches_of(way, way.extra_n(bike))
    wish = Held(min(max(3.6 * float(way.wished.max()), 1.0), FASTEST_KMH))
    old, new = (ride_over(bike, one, stretches, wish, start) for one in (ridden, tune))
    return old, new


def _start(log: Ride, bike: Bike, rested_v: float | None, ambient_c: float | None) -> Setting:
    """What the log began with: charge, temperatures, air; what is given counts instead."""
    state = conditions_at_start(log, bike)
    winding, controller = (_first(log, name) for name in ("motor_c", "controller_c"))
    known = [one for one in (winding, controller) if one is not None]
    ambient = ambient_c if ambient_c is not None else min([25.0, *known])
    rested = rested_v if rested_v is not None else state.rested_v if state else None
    return Setting(rested, ambient, 0.0, winding_c=winding, controller_c=controller)


def _first(log: Ride, name: str) -> float | None:
    values = log.get(name)
    known = np.flatnonzero(np.isfinite(values[:2000]))
    return float(np.median(values[known[:5]])) if known.size else None


def logged_figures(rows: Ride, bike: Bike, seconds: float, metres: float) -> dict[str, float]:
    """What a log itself says of the figures of a ride that took so long over such a way."""
    found = {"time_s": seconds}
    drawn_wh = from_cells_wh(rows, bike.battery.resistance_ohm)
    if drawn_wh is not None:
        found |= {"wh_cells": drawn_wh, "wh_per_km": drawn_wh / metres * 1000}
    if rows.has("pack_v") and rows.has("battery_a"):
        found["min_pack_v"] = float(np.nanmin(rows.get("pack_v")))
        found["max_battery_a"] = float(np.nanmax(rows.get("battery_a")))
    for name, channel in (("winding_c", "motor_c"), ("controller_c", "controller_c"), ("max_phase_a", "phase_a")):
        if rows.has(channel):
            found[name] = float(np.nanmax(rows.get(channel)))
    return found


def from_cells_wh(rows: Ride, ohm: float) -> float | None:
    """What a log took from the cells (Wh): at the terminals, and the pack's own heat."""
    if not (rows.has("pack_v") and rows.has("battery_a")):
        return None
    amps = rows.get("battery_a")
    return float(summed(rows.time_s, rows.get("pack_v") * amps + amps**2 * ohm)[-1]) / 3600


def _ends(
    name: str, told: float, pairs: list[tuple[Journey, Journey]], ambient_c: float, bike: Bike, logged: bool
) -> Ends:
    laid = np.array([_laid(name, told, old.figures[name], new.figures[name], ambient_c, logged) for old, new in pairs])
    value = float(laid[0])
    spread = float(np.sqrt(np.mean((laid[1:] - value) ** 2))) if len(laid) > 1 else 0.0
    change = abs(value - told)
    least = LEAST.get(name, 0.0) + LEAST_SHARE.get(name, 0.002) * abs(value)
    if name in ("wh_cells", "wh_per_km"):
        off = bike.sensors.off("battery_a")
        least = math.hypot(least, value * off.gain_spread, value * bike.sensors.off("pack_v").gain_spread)
    whole = REACH * math.sqrt(spread**2 + (OF_CHANGE * change) ** 2 + least**2)
    return Ends(value, value - whole, value + whole)


def _laid(name: str, told: float, old: float, new: float, ambient_c: float, logged: bool) -> float:
    """A figure of the new ride laid on what was logged."""
    if not logged:
        return new
    if name in ("winding_c", "controller_c"):
        return ambient_c + (told - ambient_c) * (new - ambient_c) / max(old - ambient_c, 1.0)
    if name in ("wh_cells", "wh_per_km", "max_battery_a", "max_phase_a") and old > 0:
        return told * new / old
    return told + new - old
