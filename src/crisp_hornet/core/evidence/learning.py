"""Figures of a bike learned from rides: combined by their uncertainty, and taken back ride by ride.

Source: random-effects mean of R. DerSimonian, N. Laird, *Meta-analysis in clinical trials* (1986): where rides differ by more than their
own errors, that counts too. What the sensors are off by is common to all rides with them: no number of rides makes a
figure surer than that.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from crisp_hornet.core.evidence.estimate import REACH, Estimate
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.source import LearnedFrom, Source


def combined(values: Sequence[float], spreads: Sequence[float]) -> tuple[float, float]:
    """(mean, standard error) of what several rides said, each with its spread."""
    table = np.array(values, float)
    variance = np.maximum(np.array(spreads, float) ** 2, (1e-6 * np.maximum(np.abs(table), 1e-9)) ** 2)
    weight = 1 / variance
    mean = float(weight @ table / weight.sum())
    beyond = float(weight @ (table - mean) ** 2) - (len(table) - 1)
    scale = float(weight.sum() - (weight**2).sum() / weight.sum())
    between = max(beyond / scale, 0.0) if scale > 0 else 0.0
    weight = 1 / (variance + between)
    return float(weight @ table / weight.sum()), math.sqrt(1 / float(weight.sum()))


def learn(bike: Bike, path: str, ride: str, estimate: Estimate) -> Bike:
    """The bike with a figure as its rides say, this one among them; a ride says each figure once.

    Raises :class:`KeyError` for a path that names no figure and :class:`ValueError` for an estimate that says nothing.
    """
    if not estimate.known:
        raise ValueError(f"{ride} says nothing about it: {estimate.reason}")
    source = bike.sources.get(path)
    others = [one for one in source.rides if one.ride != ride] if source is not None else []
    spread = max(estimate.half_width / REACH, 0.0)
    shared = math.sqrt(estimate.of_sensors) * spread
    said = LearnedFrom(ride=ride, value=estimate.value, spread=spread, of_sensors=shared)
    first = source is None or not source.rides
    before = bike.figure(path) if first or source is None else source.before
    origin = ("entered" if source is None else source.origin) if first or source is None else source.before_from
    return _with(bike, path, [*others, said], before, origin)


def forget(bike: Bike, path: str, ride: str) -> Bike:
    """The bike without what a ride said of a figure; without any ride left it is what it was before."""
    source = bike.sources.get(path)
    if source is None:
        return bike
    left = [one for one in source.rides if one.ride != ride]
    if left:
        return _with(bike, path, left, source.before, source.before_from)
    return bike if source.before is None else bike.with_figure(path, source.before, source.before_from or "entered")


def _with(bike: Bike, path: str, rides: list[LearnedFrom], before: float | None, origin: str | None) -> Bike:
    alone = [math.sqrt(max(ride.spread**2 - ride.of_sensors**2, 0.0)) for ride in rides]
    value, own = combined([ride.value for ride in rides], alone)
    spread = math.hypot(own, min(ride.of_sensors for ride in rides))
    made = bike.with_figure(path, float(f"{value:.5g}"), "learned")
    source = Source.model_validate(
        {
            "from": "learned", "spread": spread, "before": before, "before_from": origin,
            "rides": [ride.model_dump(mode="json") for ride in rides],
        }
    )  # fmt: skip
    return made.model_copy(update={"sources": made.sources | {path: source}})
