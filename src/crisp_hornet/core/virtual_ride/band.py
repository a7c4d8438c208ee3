"""A ride with its band: what is not known exactly about the bike, carried along the road.

The same ride by bikes drawn from the spreads of the figures (:mod:`~crisp_hornet.core.drive.uncertainty`), and of those that only a road
asks for: resistances to motion, masses, heat paths, capacity. Few are drawn, each spread evenly (Latin hypercube), and the band is taken
from their spread above and below the ride itself, 1.96 times on each side.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import UNCERTAIN, possible_bikes
from crisp_hornet.core.pack.cells import charge_at
from crisp_hornet.core.virtual_ride.journey import Journey
from crisp_hornet.core.virtual_ride.ride import Setting, ride
from crisp_hornet.core.virtual_ride.wishes import Wish
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune

ON_THE_ROAD = (
    *UNCERTAIN, "chassis.crr", "chassis.cda_m2", "chassis.bike_kg", "chassis.rider_kg", "battery.capacity_ah", "drivetrain.efficiency",
    "motor.thermal.winding_j_per_k", "motor.thermal.housing_j_per_k", "motor.thermal.winding_to_housing_w_per_k",
    "motor.thermal.housing_to_air_w_per_k", "controller.resistance_ohm", "controller.thermal.heatsink_j_per_k",
    "controller.thermal.to_air_w_per_k",
)  # fmt: skip
SAMPLES, FEW_SAMPLES, LONG_M, SIDE, LEAST_ARRIVING = 16, 8, 30_000.0, 1.96, 4


@dataclass(frozen=True)
class Ends:
    """A figure of a ride, and between which ends it lies in 95 of 100 cases."""

    value: float
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Foreseen:
    """A ride, its figures with their ends by name, the share of possible bikes that arrive, and the band of the course: rows at
    ``at_m`` (n,) with the low and high ends of each column, (n,) each."""

    journey: Journey
    figures: dict[str, Ends]
    arrive: float
    at_m: Array
    low: dict[str, Array]
    high: dict[str, Array]


BANDED = ("speed_kmh", "pack_v", "battery_a", "phase_a", "winding_c", "controller_c", "charge")
ROWS = 240


def foresee(
    bike: Bike,
    tune: Tune,
    route: Route,
    wish: Wish,
    setting: Setting | None = None,
    tick: Callable[[float], bool] | None = None,
    samples: int | None = None,
) -> Foreseen:
    """A ride with its band. ``tick`` hears how far it all is (0 to 1); raises as :func:`~crisp_hornet.core.virtual_ride.ride.ride`."""
    samples = samples or (SAMPLES if route.length_m < LONG_M else FEW_SAMPLES)
    setting = setting or Setting()
    starts = _starts(bike, setting, samples)

    def part(at: int) -> Callable[[float], bool] | None:
        return None if tick is None else lambda share: tick((at + share) / (samples + 1))

    journey = ride(bike, tune, route, wish, setting, part(0))
    made = possible_bikes(bike, samples, paths=ON_THE_ROAD)
    return banded(journey, [
        ride(one, tune, route, wish, start, part(at)) for at, (one, start) in enumerate(zip(made, starts, strict=True), 1)
    ])  # fmt: skip


def foresee_both(
    bike: Bike,
    tune: Tune,
    other: Tune,
    route: Route,
    wish: Wish,
    setting: Setting | None = None,
    tick: Callable[[float], bool] | None = None,
    samples: int = FEW_SAMPLES,
) -> tuple[Foreseen, dict[str, Ends], Journey]:
    """A ride on ``tune`` with its band, by how much its figures differ from those on ``other``, and the ride on that. The same bikes ride
    both, so that what is not known of them counts in the difference only as far as it makes one."""
    setting = setting or Setting()
    starts = [setting, *_starts(bike, setting, samples)]
    made = [bike, *possible_bikes(bike, samples, paths=ON_THE_ROAD)]
    rides = 2 * len(made)

    def part(at: int) -> Callable[[float], bool] | None:
        return None if tick is None else lambda share: tick((at + share) / rides)

    pairs = [
        tuple(ride(one, each, route, wish, start, part(2 * at + which)) for which, each in enumerate((tune, other)))
        for at, (one, start) in enumerate(zip(made, starts, strict=True))
    ]
    (own, its), others = pairs[0], pairs[1:]
    ends = [one.stalled_at_m is None for one in (own, its)]
    same = [pair for pair in others if [one.stalled_at_m is None for one in pair] == ends] or others
    told = {
        name: ends_of(
            value - its.figures[name], np.array([a.figures[name] - b.figures[name] for a, b in same or others])
        )
        for name, value in own.figures.items()
    }
    return banded(own, [new for new, _ in others]), told, its


def _starts(bike: Bike, setting: Setting, count: int) -> list[Setting]:
    """What the rides start with: a voltage at rest tells the charge within its spread; a pack that was filled is full."""
    if setting.rested_v is None:
        return [setting] * count
    from scipy.special import ndtri  # here: its import would slow the start

    spread = charge_at(bike.battery, setting.rested_v).spread
    # every second place of an even row, so that it runs along with none of the drawn figures
    even = ndtri((np.arange(count) + 0.5) / count)
    return [replace(setting, charge_off=spread * float(even[at * 7 % count])) for at in range(count)]


def banded(journey: Journey, others: list[Journey]) -> Foreseen:
    """A ride with the band that others like it make."""
    arrived = [one for one in others if (one.stalled_at_m is None) == (journey.stalled_at_m is None)]
    share = sum(one.stalled_at_m is None for one in others) / max(len(others), 1)
    enough = arrived if len(arrived) >= LEAST_ARRIVING else others
    figures = {
        name: ends_of(value, np.array([one.figures[name] for one in enough])) for name, value in journey.figures.items()
    }
    at_m = np.linspace(0.0, journey.distance_m, ROWS)
    low, high = {}, {}
    for name in BANDED:
        own = np.interp(at_m, journey.course["at_m"], journey.course[name])
        rows = np.array([np.interp(at_m, one.course["at_m"], one.course[name]) for one in enough])
        off = rows - own
        low[name] = own - SIDE * _side(-off)
        high[name] = own + SIDE * _side(off)
    return Foreseen(journey, figures, share, at_m, low, high)


def ends_of(value: float, drawn: Array) -> Ends:
    """A figure with the ends that those drawn (k,) make, above and below it."""
    off = (drawn - value)[:, None]
    return Ends(value, value - SIDE * float(_side(-off)[0]), value + SIDE * float(_side(off)[0]))


def _side(off: Array) -> Array:
    """The spread of what lies above nothing, over the rows: the root of the mean square of those that do, as if as many lay below."""
    above = np.where(off > 0, off**2, 0.0)
    count = np.maximum((off > 0).sum(axis=0), math.sqrt(len(off)))
    found: Array = np.sqrt(above.sum(axis=0) / count)
    return found
