"""What an estimate is good for: which prediction moves over its interval, and by how much."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.figures import PACK, WHEEL
from crisp_hornet.core.heat.endurance import seconds_of_full_pull
from crisp_hornet.core.road.consequences import Consequence, on_the_road
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

SPEEDS, HEAT_EVERY = 81, 4  # coarse: only what differs between two ends counts
HARDLY = 0.006


def moves(bike: Bike, tune: Tune, curve: PullCurve, path: str, estimate: Estimate) -> str:
    """In a few words: sag for the pack, the speed shown for the wheel, else the figure of a ride that moves most between both ends of the
    interval. "" where nothing of it can be predicted; ``curve``: the prediction for the ride's start."""
    if not estimate.known or not estimate.low > 0:
        return ""
    if path == PACK:
        amps = tune.drive.battery_current_a
        return say("sag {sag} at {amps}", sag=quantity(estimate.value * amps, "V", ".1f"), amps=quantity(amps, "A"))
    if path == WHEEL:
        off = 100 * (estimate.value / bike.drivetrain.wheel_circumference_m - 1)
        return say("speed shown {off} {way}", off=quantity(abs(off), "%", ".1f"), way="low" if off > 0 else "high")
    ends = [_figures(bike.with_figure(path, end, "learned"), tune, curve) for end in (estimate.low, estimate.high)]
    pairs = [pair for pair in zip(*ends, strict=True) if all(math.isfinite(one.value) for one in pair)]
    moved = [(abs(low.value - high.value) / max(abs(low.value), 1e-9), low, high) for low, high in pairs]
    if not moved:
        return ""
    share, low, high = max(moved, key=lambda one: one[0])
    if share < HARDLY or low.text == high.text:
        return "hardly anything"
    least, most = sorted((low, high), key=lambda one: one.value)
    return say("{label} {least} to {most}", label=low.label, least=least.told_bare, most=most.told)


def _figures(bike: Bike, tune: Tune, curve: PullCurve) -> list[Consequence]:
    conditions = curve.conditions or Conditions(curve.rested_v)
    speeds = np.linspace(0.0, float(curve.speed_kmh[-1]), SPEEDS)
    made = pull_curve(bike, tune, speeds, conditions)
    return on_the_road(made, conditions, seconds_of_full_pull(made, tune, HEAT_EVERY), HEAT_EVERY)
