"""How long full pull lasts before heat fades it, and what can be held for ever."""

from __future__ import annotations

import dataclasses

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.heat.nodes import HeldHeat, Temperatures, continuous_current_a, losses
from crisp_hornet.core.road.performance import steady_ride
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


def seconds_of_full_pull(
    curve: PullCurve, tune: Tune, every: int = 1, start: Temperatures | None = None, ambient_c: float = 25.0
) -> Array:
    """Time (s) of held full pull until the first heat fade starts, for each ``every``-th speed of ``curve``; inf if never.

    The full fade itself is never reached at full pull: it leaves no torque to heat with, so the winding settles below it.

    The current is taken as it is on ``curve``; while the winding warms up to the fade it changes by a few per cent only, and
    downwards, so this errs to the early side.
    """
    guard = tune.heat_guard
    ratio = None if curve.ratio is None else curve.ratio[::every]
    held = HeldHeat(
        curve.bike,
        losses(curve.bike, curve.phase_current_a[::every], curve.speed_kmh[::every], ratio),
        start,
        ambient_c,
    )
    first = np.minimum(
        held.seconds_until_winding(guard.motor_fade_start_c),
        held.seconds_until_controller(guard.controller_fade_start_c),
    )
    return np.where((curve.running & (curve.wheel_force_n > 0))[::every], first, np.inf)


@dataclasses.dataclass(frozen=True)
class HillHeat:
    """Holding a speed on a slope: seconds until each fade starts and ends (inf if never), and where it would settle (°C)."""

    motor_fade_starts_s: float
    motor_fade_ends_s: float
    controller_fade_starts_s: float
    controller_fade_ends_s: float
    winding_settles_c: float

    @property
    def first_s(self) -> float:
        """Seconds until the first fade starts."""
        return min(self.motor_fade_starts_s, self.controller_fade_starts_s)


def held_on_hill(
    bike: Bike, tune: Tune, speed_kmh: float, grade: float, rested_v: float, ambient_c: float = 25.0
) -> HillHeat:
    """Heat while holding ``speed_kmh`` on ``grade`` from cold, with the least-loss currents for it."""
    ride = steady_ride(bike, speed_kmh, rested_v, grade)
    held = HeldHeat(bike, losses(bike, ride.phase_current_a, speed_kmh), None, ambient_c)
    guard = tune.heat_guard
    return HillHeat(
        motor_fade_starts_s=float(held.seconds_until_winding(guard.motor_fade_start_c)),
        motor_fade_ends_s=float(held.seconds_until_winding(guard.motor_fade_end_c)),
        controller_fade_starts_s=float(held.seconds_until_controller(guard.controller_fade_start_c)),
        controller_fade_ends_s=float(held.seconds_until_controller(guard.controller_fade_end_c)),
        winding_settles_c=float(held.winding_settles_c),
    )


def continuous_curve(bike: Bike, tune: Tune, speed_kmh: Array, rested_v: float, ambient_c: float = 25.0) -> PullCurve:
    """The pull that can be held for ever at ``ambient_c``: winding and controller just where their fades would start."""
    guard = tune.heat_guard
    current = continuous_current_a(bike, speed_kmh, guard.motor_fade_start_c, guard.controller_fade_start_c, ambient_c)
    # a hair below the start, so that the fade itself does not act
    conditions = Conditions(rested_v, winding_c=guard.motor_fade_start_c - 1e-9)
    return pull_curve(bike, tune, speed_kmh, conditions, current_a=current)


def cooling_s(bike: Bike, start: Temperatures, to_c: float, ambient_c: float = 25.0, speed_kmh: float = 0.0) -> float:
    """Seconds until the winding has cooled to ``to_c`` at rest (or rolling without pull); inf if never."""
    return float(HeldHeat(bike, losses(bike, 0.0, speed_kmh), start, ambient_c).seconds_until_winding(to_c))
