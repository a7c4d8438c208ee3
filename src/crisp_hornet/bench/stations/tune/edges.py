"""The edges of the pull curve that can be grabbed: where they are, and what value a place on the chart means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.performance import operating_point
from crisp_hornet.core.pull import Conditions, PullCurve
from crisp_hornet.documents.tune import Tune

PHASE, BATTERY = "drive.phase_current_a", "drive.battery_current_a"
EDGE_NAMES = {PHASE: "phase", BATTERY: "battery"}
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
    """The handles of phase and battery current on a curve.

    A limit that sets the force nowhere keeps its handle on the curve, drawn hollow: the phase limit at
    standstill, the battery limit where the most current flows.
    """
    return [
        _edge(curve, tune, PHASE, "phase", 0.35, 0),
        _edge(curve, tune, BATTERY, "battery", 0.5, int(np.argmax(curve.battery_w))),
    ]


def _edge(curve: PullCurve, tune: Tune, setting: str, limit: str, share: float, otherwise: int) -> Edge:
    where = np.flatnonzero((curve.limit == limit) & (curve.wheel_force_n > 0))
    index = int(where[int(share * (where.size - 1))]) if where.size else otherwise
    value = tune.setting(setting)
    text = f"{EDGE_NAMES[setting]} {value:g} A" + ("" if where.size else ", not reached")
    return Edge(setting, float(curve.speed_kmh[index]), float(curve.wheel_force_n[index]), text, bool(where.size))


def value_at(curve: PullCurve, conditions: Conditions, setting: str, kmh: float, force_n: float) -> float | None:
    """The value (A, on the grid) of a limit whose edge passes through a place on the chart.

    None where the pack could not give that force at that speed.
    """
    point = operating_point(curve.bike, max(kmh, 0.1), max(force_n, 0.0), conditions.rested_v, conditions.winding_c)
    value = point.iq_a if setting == PHASE else point.battery_current_a
    if not np.isfinite(value):
        return None
    return max(0.0, round(value / GRID_A) * GRID_A)
