"""The edges of the pull curve that can be grabbed: where they are, and what value a place on the chart means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.inverse import BATTERY, PHASE, WEAKENING, setting_for_force
from crisp_hornet.core.pull import Conditions, PullCurve
from crisp_hornet.documents.tune import Tune

EDGE_NAMES = {PHASE: "phase", BATTERY: "battery", WEAKENING: "weakening"}
GRID_A = 0.5


@dataclass(frozen=True)
class Edge:
    """A handle on the curve. ``sets`` says whether the limit sets the force anywhere."""

    setting: str
    kmh: float
    force_n: float
    text: str
    sets: bool


def edges(curve: PullCurve, tune: Tune) -> list[Edge]:
    """The handles of phase current, battery current and field weakening on a curve.

    A limit that sets the force nowhere keeps its handle on the curve, drawn pale: the phase limit at standstill, the battery
    limit where the most current flows, weakening where the pull ends.
    """
    pulls = curve.wheel_force_n > 0
    last = int(np.flatnonzero(pulls)[-1]) if pulls.any() else 0
    flat_out = pulls & np.isin(curve.limit, ["voltage", "weakening"])
    return [
        _edge(curve, tune, PHASE, pulls & (curve.limit == "phase"), 0.35, 0),
        _edge(curve, tune, BATTERY, pulls & (curve.limit == "battery"), 0.5, int(np.argmax(curve.battery_w))),
        _edge(curve, tune, WEAKENING, flat_out, 0.6, last),
    ]


def _edge(curve: PullCurve, tune: Tune, setting: str, where: NDArray[np.bool_], share: float, otherwise: int) -> Edge:
    found = np.flatnonzero(where)
    index = int(found[int(share * (found.size - 1))]) if found.size else otherwise
    value = tune.setting(setting)
    text = f"{EDGE_NAMES[setting]} {value:g} A" + ("" if found.size else ", not reached")
    if setting == WEAKENING and not value:
        text = "no weakening"
    return Edge(setting, float(curve.speed_kmh[index]), float(curve.wheel_force_n[index]), text, bool(found.size))


def value_at(
    curve: PullCurve, tune: Tune, conditions: Conditions, setting: str, highest: float, kmh: float, force_n: float
) -> float:
    """The value (A, on the grid) of a limit whose edge passes through a place on the chart."""
    value = setting_for_force(curve.bike_at(kmh), tune, setting, highest, kmh, force_n, conditions)
    return max(0.0, round(value / GRID_A) * GRID_A)
