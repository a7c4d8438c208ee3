"""The watch list of a tune on a bike, with the curve that its rules need."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.rules import Situation, Warning_
from crisp_hornet.core.rules.corners import worst_of
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

TYPICAL_CHARGE = 0.69  # until somebody says how full the pack is
SPEEDS = 181


def typical_v(bike: Bike) -> float:
    """Rested pack voltage (V) at the charge that is assumed while nothing is known."""
    return round(rested_or_typical_v(bike.battery, TYPICAL_CHARGE), 1)


def watch_list(
    bike: Bike,
    tune: Tune,
    controller: Tune | None = None,
    conditions: Conditions | None = None,
    speeds_kmh: Sequence[float] | Array | None = None,
    sensors: Mapping[str, str] | None = None,
) -> list[Warning_]:
    """All open warnings, each at its worst corner, the strongest first; ``controller`` is what runs now, where that is known, and
    ``sensors`` how each did in its newest calibration. Without conditions at the usual charge."""
    conditions = conditions or Conditions(typical_v(bike))
    return worst_of(drawn(bike, tune, conditions, controller, speeds_kmh, sensors), conditions)


def drawn(
    bike: Bike,
    tune: Tune,
    conditions: Conditions,
    controller: Tune | None = None,
    speeds_kmh: Sequence[float] | Array | None = None,
    sensors: Mapping[str, str] | None = None,
) -> Situation:
    """What the rules see of a tune on a bike."""
    speeds = np.linspace(0.0, fastest_kmh(bike), SPEEDS) if speeds_kmh is None else speeds_kmh
    return Situation(bike, tune, pull_curve(bike, tune, speeds, conditions), controller, sensors or {})
