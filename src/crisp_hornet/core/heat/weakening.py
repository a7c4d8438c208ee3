"""What field weakening brings and costs: km/h on the flat, watts and kelvin in the winding, and from where on nothing more comes."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.heat.nodes import HeldHeat, losses
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True)
class WeakeningGain:
    """Top speed on the flat without and with it; winding loss (W) and settled winding temperature (K) more at the faster speed;
    ``useful_a``: the weakening beyond which no force is gained at any speed."""

    without_kmh: float
    with_kmh: float
    extra_w: float
    extra_k: float
    useful_a: float


def weakening_gain(bike: Bike, tune: Tune, speeds_kmh: Array, conditions: Conditions, most_a: float) -> WeakeningGain:
    """The gain of ``tune``'s weakening over none; ``most_a``: the most that could be set."""

    def curve(weakening_a: float) -> PullCurve:
        return pull_curve(bike, tune.with_setting("drive.field_weakening_a", weakening_a), speeds_kmh, conditions)

    none, drafted, most = curve(0.0), curve(tune.drive.field_weakening_a), curve(most_a)
    without, faster = steady_speed_kmh(none, 0.0), steady_speed_kmh(drafted, 0.0)
    beyond = most.motor.mtpa_id(most.iq_a) - most.id_a
    pulling = most.running & (most.wheel_force_n > 1.0)
    useful = float(np.max(beyond[pulling], initial=0.0))
    heat_w, heat_c = zip(*(_held(one, kmh) for one, kmh in ((none, without), (drafted, faster))), strict=True)
    return WeakeningGain(without, faster, heat_w[1] - heat_w[0], heat_c[1] - heat_c[0], useful)


def _held(curve: PullCurve, kmh: float) -> tuple[float, float]:
    """Winding loss (W) and the temperature (°C) at which it settles, held at full throttle; the last one capped at 400 °C."""
    amps = float(np.interp(kmh, curve.speed_kmh, curve.phase_current_a))
    held = HeldHeat(curve.bike, losses(curve.bike, amps, kmh, curve.bike_at(kmh).drivetrain.ratio))
    settles = float(held.winding_settles_c)
    return float(1.5 * curve.motor.winding_ohm * amps**2), min(settles, 400.0) if math.isfinite(settles) else 400.0
