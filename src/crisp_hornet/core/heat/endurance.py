"""How long full pull lasts before heat fades it, and what can be held for ever."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, PullCurve, best_gear, pull_curve
from crisp_hornet.core.heat.nodes import HeldHeat, Temperatures, continuous_current_a, losses
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


def continuous_curve(bike: Bike, tune: Tune, speed_kmh: Array, rested_v: float, ambient_c: float = 25.0) -> PullCurve:
    """The pull that can be held for ever at ``ambient_c``: winding and controller just where their fades would start. Of
    several gears the best at each speed."""
    if bike.drivetrain.gears:
        each = [continuous_curve(geared, tune, speed_kmh, rested_v, ambient_c) for geared in bike.in_each_gear()]
        return best_gear(each, bike)
    guard = tune.heat_guard
    current = continuous_current_a(bike, speed_kmh, guard.motor_fade_start_c, guard.controller_fade_start_c, ambient_c)
    # a hair below the start, so that the fade itself does not act
    conditions = Conditions(rested_v, winding_c=guard.motor_fade_start_c - 1e-9)
    return pull_curve(bike, tune, speed_kmh, conditions, current_a=current)
