"""What a tune means on the road, in the few figures a builder asks for."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import wheel_radius_m
from crisp_hornet.core.drive.no_load import lifted_wheel
from crisp_hornet.core.drive.pull import Conditions, PullCurve
from crisp_hornet.core.road.performance import front_wheel_keeps, launch_time_s, steady_ride, steady_speed_kmh
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Quantity, quantity, say
from crisp_hornet.documents.tune import Tune

HILL = 0.12


@dataclass(frozen=True)
class Consequence:
    """One figure. ``value`` is NaN or infinite where it makes no sense, then ``why_none`` is said; ``digits`` after the point."""

    label: str
    value: float
    unit: str
    digits: int
    why_none: str = "never"

    @property
    def told(self) -> str:
        """The figure with its unit."""
        return say("{value}", value=self._figure()) if math.isfinite(self.value) else self.why_none

    def _figure(self, bare: bool = False) -> Quantity:
        return quantity(self.value, self.unit, f".{self.digits}f", bare=bare)

    @property
    def told_bare(self) -> str:
        """The figure without its unit, which stands behind another one."""
        return say("{value}", value=self._figure(bare=True)) if math.isfinite(self.value) else self.why_none

    @property
    def text(self) -> str:
        """The figure without its unit."""
        return f"{self.value:.{self.digits}f}" if math.isfinite(self.value) else self.why_none


def on_the_road(curve: PullCurve, conditions: Conditions, full_pull_s: Array, every: int) -> list[Consequence]:
    """Speeds, launch, front wheel, heat and energy; ``full_pull_s`` is for every ``every``-th speed of the curve."""
    cruise = steady_ride(curve.bike, 30.0, conditions.rested_v)
    uphill = steady_speed_kmh(curve, HILL)
    nearest = int(np.argmin(np.abs(curve.speed_kmh[::every] - uphill)))
    hot_min = float(full_pull_s[nearest]) / 60 if uphill > 0 else math.nan
    return [
        Consequence(say("{hill} hill", hill=quantity(100 * HILL, "%", ".0f")), uphill, "km/h", 0),
        Consequence("top speed, flat", steady_speed_kmh(curve, 0.0), "km/h", 0),
        Consequence(
            say("{low} to {high}", low=quantity(0, "km/h", bare=True), high=quantity(25, "km/h", ".0f")),
            launch_time_s(curve, 25.0),
            "s",
            1,
        ),
        Consequence("front wheel load", 100 * front_wheel_keeps(curve), "%", 0),
        Consequence(
            say("derating, {hill} hill", hill=quantity(100 * HILL, "%", ".0f")),
            hot_min,
            "min",
            0 if hot_min >= 10 else 1,
            "never",
        ),
        Consequence(say("{at}, flat", at=quantity(30, "km/h", ".0f")), cruise.wh_per_km, "Wh/km", 1, "too weak"),
    ]


@dataclass(frozen=True)
class Headlines:
    """The greatest figures of a tune: power (W) from the pack and at the road, torque (N·m) at wheel and motor shaft, and the back-EMF (V,
    peak, line to line) of a full pack with the wheel lifted, beside what the controller bears."""

    pack_w: float
    road_w: float
    wheel_nm: float
    motor_nm: float
    back_emf_v: float
    rating_v: float

    @classmethod
    def of(cls, bike: Bike, tune: Tune, curve: PullCurve) -> Headlines:
        """Of a tune and its full-throttle curve."""
        return cls(
            float(np.max(curve.battery_w, initial=0.0)),
            float(np.max(curve.wheel_w, initial=0.0)),
            float(np.max(curve.wheel_force_n, initial=0.0)) * wheel_radius_m(bike),
            float(np.max(curve.shaft_torque_nm, initial=0.0)),
            lifted_wheel(bike, tune).emf_v,
            bike.controller.max_voltage_v,
        )

    @property
    def rows(self) -> list[tuple[str, str]]:
        """Name and figure, one after another."""
        return [
            (
                "from the pack",
                say("{at}", at=quantity(self.pack_w / 1000, "kW", ".2g" if self.pack_w < 1e4 else ".0f")),
            ),
            ("at the road", say("{at}", at=quantity(self.road_w / 1000, "kW", ".2g" if self.road_w < 1e4 else ".0f"))),
            ("wheel", say("{at}", at=quantity(self.wheel_nm, "N·m", ".0f"))),
            ("motor", say("{at}", at=quantity(self.motor_nm, "N·m", ".0f"))),
            (
                "back-EMF, wheel lifted",
                say(
                    "{at} of {most}",
                    at=quantity(self.back_emf_v, "V", ".0f", bare=True),
                    most=quantity(self.rating_v, "V"),
                ),
            ),
        ]

    @property
    def words(self) -> str:
        """All of them in one line."""
        told = [say("{name} {figure}", name=name, figure=figure) for name, figure in self.rows]
        line: str = say("{first}", first=told[0])
        for one in told[1:]:
            line = say("{line} · {one}", line=line, one=one)
        return say("peak {line}", line=line)
