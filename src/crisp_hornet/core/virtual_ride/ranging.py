"""What speed and current cost on one's own road: time, charge and range against the speed held or a limit, with bands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import possible_bikes
from crisp_hornet.core.pack.cells import cold_factor
from crisp_hornet.core.rules.corners import WORN
from crisp_hornet.core.virtual_ride.band import ON_THE_ROAD, Ends, ends_of
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.ride import Setting, ride
from crisp_hornet.core.virtual_ride.wishes import Held
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune

SAMPLES, LEAST_CHARGE = 6, 1e-6
WORN_CAPACITY, COLD_C, COLD_CAPACITY = 0.8, -5.0, 0.85


@dataclass(frozen=True, eq=False)
class Costs:
    """Over ``values`` (n,): the time of the road (s), charge that it takes (0 to 1), and how far a full pack goes on such roads (km), each
    with its low and high end, (n, 3): value, low, high; NaN where it does not arrive."""

    values: Array
    time_s: Array
    charge: Array
    range_km: Array


def costs(
    bike: Bike,
    tunes: Sequence[Tune],
    route: Route,
    holds_kmh: Sequence[float],
    values: Sequence[float],
    setting: Setting,
    tick: Callable[[float], bool] | None = None,
) -> Costs | None:
    """What each pair of tune and speed held comes to on a road, told over ``values``; None where ``tick`` says not to go on."""
    made = [bike, *possible_bikes(bike, SAMPLES, paths=ON_THE_ROAD)]
    rows: dict[str, list[list[float]]] = {"time_s": [], "charge": [], "range_km": []}
    for at, (tune, kmh) in enumerate(zip(tunes, holds_kmh, strict=True)):
        if tick is not None and not tick(at / len(tunes)):
            return None
        told = [_of(ride(one, tune, route, Held(kmh), setting), route) for one in made]
        for name, column in rows.items():
            column.append(_row(np.array([one[name] for one in told])))
    return Costs(
        np.asarray(values, dtype=np.float64), *(np.array(rows[name]) for name in ("time_s", "charge", "range_km"))
    )


def _of(journey: Journey, route: Route) -> dict[str, float]:
    if journey.stalled_at_m is not None:
        return dict.fromkeys(("time_s", "charge", "range_km"), float("nan"))
    course = journey.course
    used = max(float(course["charge"][0] - course["charge"][-1]), LEAST_CHARGE)
    return {"time_s": journey.figures["time_s"], "charge": used, "range_km": route.length_m / 1000 / used}


def _row(figures: Array) -> list[float]:
    known = figures[1:][np.isfinite(figures[1:])]
    if not np.isfinite(figures[0]) or not known.size:
        return [float("nan")] * 3
    ends: Ends = ends_of(float(figures[0]), known)
    return [ends.value, max(ends.low, 0.0), ends.high]


def worn(bike: Bike) -> Bike:
    """The bike with an old pack: 80 % of its capacity, and the resistance of a worn one."""
    return _packed(bike, WORN_CAPACITY, WORN)


def cold(bike: Bike, cell_c: float = COLD_C) -> Bike:
    """The bike on a cold morning: the cells at :data:`COLD_C` give 85 % of what they hold, against more resistance."""
    return _packed(bike, COLD_CAPACITY, cold_factor(cell_c))


def _packed(bike: Bike, capacity: float, ohm: float) -> Bike:
    battery = bike.battery
    figures = {"capacity_ah": battery.capacity_ah * capacity, "resistance_ohm": battery.resistance_ohm * ohm}
    return bike.model_copy(update={"battery": battery.model_copy(update=figures)})


def trips(bike: Bike, tune: Tune, route: Route, kmh: float, setting: Setting) -> dict[str, float]:
    """The charge (0 to 1) that a road takes as the pack is, cold ("cold"), old ("old"), and both; infinite where it does not arrive."""
    found = {}
    packs = {"now": bike, "cold": cold(bike), "old": worn(bike), "cold and old": cold(worn(bike))}
    for name, one in packs.items():
        chilled = replace(setting, ambient_c=min(setting.ambient_c, COLD_C)) if "cold" in name else setting
        used = _of(ride(one, tune, route, Held(kmh), chilled), route)["charge"]
        found[name] = used if np.isfinite(used) else float("inf")
    return found
