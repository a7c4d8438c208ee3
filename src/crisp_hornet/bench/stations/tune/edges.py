"""The edges of the pull curve that can be grabbed: where they are, and what value a place on the chart means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.drive.inverse import (
    BATTERY,
    PHASE,
    REGEN_BATTERY,
    REGEN_PHASE,
    RPM,
    SPEED,
    WEAKENING,
    regen_setting_for_force,
    setting_for_force,
)
from crisp_hornet.core.drive.pull import Conditions, PullCurve
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

THROTTLE_SPEED = "throttle.speed_kmh"
EDGE_NAMES = {
    PHASE: ("phase {value}", "A"), BATTERY: ("battery {value}", "A"), WEAKENING: ("weakening {value}", "A"), RPM: ("{value}", "rpm"),
    SPEED: ("{value}", "km/h"), THROTTLE_SPEED: ("throttle to {value}", "km/h"), REGEN_PHASE: ("regen {value}", "A"),
    REGEN_BATTERY: ("regen battery {value}", "A"),
}  # fmt: skip
KEYS = {
    "T": THROTTLE_SPEED,
    "P": PHASE,
    "B": BATTERY,
    "W": WEAKENING,
    "M": RPM,
    "S": SPEED,
    "R": REGEN_PHASE,
    "C": REGEN_BATTERY,
}
SIDEWAYS = (RPM, SPEED, THROTTLE_SPEED)
GRID = {RPM: 10.0, SPEED: 0.5, THROTTLE_SPEED: 0.5}
GRID_A = 0.5


@dataclass(frozen=True)
class Edge:
    """A handle on the curve. ``sets`` says whether the limit sets the force anywhere."""

    setting: str
    kmh: float
    force_n: float
    text: str
    sets: bool


def edges(curve: PullCurve, tune: Tune, regen: PullCurve | None = None) -> list[Edge]:
    """The handles of all limits on a curve, and on the regen curve below it.

    A limit that sets the force nowhere keeps its handle on the curve, drawn pale: the phase limit at standstill, the battery
    limit where the most current flows, weakening where the pull ends, speed limits on the axis.
    """
    pulls = curve.wheel_force_n > 0
    last = int(np.flatnonzero(pulls)[-1]) if pulls.any() else 0
    flat_out = pulls & np.isin(curve.limit, ["voltage", "weakening"])
    found = [
        _edge(curve, tune, PHASE, pulls & (curve.limit == "phase"), 0.35, 0),
        _edge(curve, tune, BATTERY, pulls & (curve.limit == "battery"), 0.5, int(np.argmax(curve.battery_w))),
        _edge(curve, tune, WEAKENING, flat_out, 0.6, last),
    ]
    found += [one for setting in SIDEWAYS if (one := _cap(curve, tune, setting)) is not None]
    if regen is not None and np.any(regen.wheel_force_n < 0):
        most = int(np.argmin(regen.wheel_force_n))
        found += [
            _edge(regen, tune, REGEN_PHASE, (regen.limit == "phase") & (regen.speed_kmh > 1), 0.5, most),
            _edge(regen, tune, REGEN_BATTERY, regen.limit == "battery", 0.5, int(np.argmin(regen.battery_w))),
        ]
    return found


def kmh_per_rpm(curve: PullCurve) -> float:
    """Road speed of one motor turn a minute, in the fastest gear."""
    drivetrain = curve.bike.drivetrain
    return drivetrain.wheel_circumference_m / min(drivetrain.gears or [drivetrain.ratio]) * 60 / 1000


def _cap(curve: PullCurve, tune: Tune, setting: str) -> Edge | None:
    """A speed limit stands halfway down the drop it makes, or on the axis where another limit ends the pull first."""
    value = tune.setting(setting)
    kmh = None if value is None else value * kmh_per_rpm(curve) if setting == RPM else value
    if kmh is None or value is None or kmh > float(curve.speed_kmh[-1]):
        return None
    before = kmh - (tune.drive.speed_taper_kmh if setting == SPEED else 0.0) - 0.4
    force = float(np.interp(before, curve.speed_kmh, curve.wheel_force_n)) / 2
    if setting == THROTTLE_SPEED:  # on the curve: pedalling goes on beyond
        return Edge(
            setting,
            kmh,
            2 * force,
            _named(setting, value, force > 1),
            force > 1,
        )
    name = "rpm" if setting == RPM else "speed"
    sets = bool(np.any(curve.limit[curve.speed_kmh <= kmh + 0.5] == name)) and force > 1
    return Edge(setting, kmh, force, _named(setting, value, sets), sets)


def _named(setting: str, value: float, reached: bool) -> str:
    words, unit = EDGE_NAMES[setting]
    told = say(words, value=quantity(value, unit, ".4g"))
    return told if reached else say("{told}, not reached", told=told)


def _edge(curve: PullCurve, tune: Tune, setting: str, where: NDArray[np.bool_], share: float, otherwise: int) -> Edge:
    found = np.flatnonzero(where)
    index = int(found[int(share * (found.size - 1))]) if found.size else otherwise
    value = tune.setting(setting)
    text = "no weakening" if setting == WEAKENING and not value else _named(setting, value or 0.0, bool(found.size))
    return Edge(setting, float(curve.speed_kmh[index]), float(curve.wheel_force_n[index]), text, bool(found.size))


def value_at(
    curve: PullCurve, tune: Tune, conditions: Conditions, setting: str, highest: float, kmh: float, force_n: float
) -> float:
    """The value (on the grid) of a limit whose edge passes through a place on the chart."""
    if setting in SIDEWAYS:
        value = kmh / kmh_per_rpm(curve) if setting == RPM else kmh
    elif setting in (REGEN_PHASE, REGEN_BATTERY):
        value = regen_setting_for_force(curve.bike_at(kmh), setting, kmh, min(force_n, 0.0), conditions)
    else:
        value = setting_for_force(curve.bike_at(kmh), tune, setting, highest, kmh, force_n, conditions)
    grid = GRID.get(setting, GRID_A)
    return max(0.0, round(value / grid) * grid)
