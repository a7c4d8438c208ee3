"""The prediction of one tune, ready to draw: the curve on fixed speeds and what it means on the road."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve, regen_curve
from crisp_hornet.core.drive.uncertainty import Band, pull_band
from crisp_hornet.core.heat.endurance import seconds_of_full_pull
from crisp_hornet.core.road.consequences import Consequence, Headlines, on_the_road
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

SPEEDS = 400
BAND_EVERY = 13  # a band is smooth: some thirty speeds tell it
REGEN_EVERY = 8
HEAT_EVERY = 8  # heat is smooth in speed: every eighth speed tells it all


@dataclass(frozen=True, eq=False)
class Prediction:
    """A curve and its consequences. ``full_pull_s``: see ``endurance``."""

    curve: PullCurve
    consequences: list[Consequence]
    headlines: Headlines
    full_pull_s: Array = field(default_factory=lambda: np.zeros(0))
    regen: PullCurve | None = None


def axis_speeds(bike: Bike) -> Array:
    """Speeds (km/h, 400) up to the bike's fastest. They depend on the bike alone, so that the axis stays put while a tune is dragged."""
    return np.linspace(0.0, fastest_kmh(bike), SPEEDS)


def predict(bike: Bike, tune: Tune, conditions: Conditions, speeds: Array) -> Prediction:
    """The prediction of ``tune``."""
    curve = pull_curve(bike, tune, speeds, conditions)
    seconds = seconds_of_full_pull(curve, tune, HEAT_EVERY)
    regen = regen_curve(bike, tune, speeds[::REGEN_EVERY], conditions) if tune.regen.phase_current_a else None
    figures = on_the_road(curve, conditions, seconds, HEAT_EVERY)
    return Prediction(curve, figures, Headlines.of(bike, tune, curve), full_pull_s=seconds, regen=regen)


def band_of(bike: Bike, tune: Tune, conditions: Conditions, speeds: Array) -> Band:
    """The band of what is not known exactly. Takes a while: not for a drag step."""
    return pull_band(bike, tune, np.append(speeds[:-1:BAND_EVERY], speeds[-1]), conditions)


def in_units(consequence: Consequence, units: Units) -> Consequence:
    """A figure in the shown units."""
    return replace(
        consequence,
        label=units.text(consequence.label),
        value=units.value(consequence.value, consequence.unit),
        unit=units.unit(consequence.unit),
    )
