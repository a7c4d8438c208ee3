"""The figures that a ride says: their words, where they stand in the bike document, and how they are shown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents.saying import quantity, say

Take = Callable[[Verdict], Estimate]


@dataclass(frozen=True)
class Figure:
    """A row: its words, its figure in the bike document ("" for none), how many digits, and by what factor it is shown."""

    words: str
    path: str
    take: Take
    digits: int = 3
    factor: float = 1.0
    unit: str = ""


def _weakening(verdict: Verdict, name: str) -> Estimate:
    one: Estimate = getattr(verdict.weakening, name, refused("it was not set, or not seen at work at full throttle"))
    return one


def _pull(verdict: Verdict, name: str) -> Estimate:
    return refused("no prediction to lay it against") if verdict.pull is None else getattr(verdict.pull, name)


BIKE = (
    Figure("pack resistance", "battery.resistance_ohm", lambda v: v.resistance_ohm, 3, 1000.0, "mΩ"),
    Figure("pack capacity", "battery.capacity_ah", lambda v: v.capacity_ah, 3),
    Figure("wheel circumference", "drivetrain.wheel_circumference_m", lambda v: v.circumference_m, 4),
    Figure("flux linkage", "motor.flux_linkage_wb", lambda v: v.motor.flux_linkage_wb, 3, 1000.0, "mWb"),
    Figure(say("winding at {at}", at=quantity(25, "°C")), "motor.phase_resistance_ohm", lambda v: v.motor.winding_ohm, 3, 1000.0, "mΩ"),
    Figure("rolling resistance, Crr", "chassis.crr", lambda v: v.road.crr, 3),
    Figure("air drag, CdA", "chassis.cda_m2", lambda v: v.road.cda_m2, 2),
    Figure("winding to housing", "motor.thermal.winding_to_housing_w_per_k", lambda v: v.heat.winding_to_housing, 2),
    Figure("housing to air", "motor.thermal.housing_to_air_w_per_k", lambda v: v.heat.housing_to_air, 2),
    Figure("controller to air", "controller.thermal.to_air_w_per_k", lambda v: v.heat.controller_to_air, 2),
)  # fmt: skip
"""Those that stand in the bike document."""

FIGURES = (
    *BIKE,
    Figure("consumption, as it rolls", "", lambda v: v.energy.wh_per_km),
    Figure("distance", "", lambda v: v.energy.distance_km),
    Figure("top speed, 10 s", "", lambda v: v.way.top_kmh),
    Figure("climbed", "", lambda v: v.way.ascent_m, 3),
    Figure(say("steepest {over}", over=quantity(100, "m")), "", lambda v: v.way.steepest, 2),
    Figure("range at this style", "", lambda v: v.range_km, 2),
    Figure("energy, net", "", lambda v: v.energy.wh_net),
    Figure("charge, net", "", lambda v: v.energy.ah_net),
    Figure("regen share", "", lambda v: v.energy.regen_share, 2, 100.0, "%"),
    Figure(say("road load at {at}", at=quantity(20, "km/h")), "", lambda v: v.road.load_20_n, 3),
    Figure("battery-to-road efficiency", "", lambda v: v.motor.efficiency, 2, 100.0, "%"),
    Figure("full pull, from motion", "", lambda v: _pull(v, "by_speed"), 3, 100.0, "% of predicted"),
    Figure("from current, battery limit", "", lambda v: _pull(v, "battery"), 3, 100.0, "% of predicted"),
    Figure("from current, phase limit", "", lambda v: _pull(v, "phase"), 3, 100.0, "% of predicted"),
    Figure("top speed, both ways", "", lambda v: _pull(v, "top_kmh"), 3),
    Figure("weakening, more pull", "", lambda v: _weakening(v, "gain_n"), 2),
    Figure("weakening, more speed", "", lambda v: _weakening(v, "gain_kmh"), 2),
    Figure("weakening, more heat", "", lambda v: _weakening(v, "heat_w"), 2),
)
