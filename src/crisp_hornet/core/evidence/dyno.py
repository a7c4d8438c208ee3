"""Wheel power from how fast a known mass gains speed.

``F = m_eff · dv/dt + F_road(v)`` on the road; on a stand with a flywheel the road falls away and ``m_eff`` is its inertia over the
wheel's rolling radius squared. Source: any textbook on vehicle dynamics; the slope is that of a straight line over a short window.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.derived import slope
from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.motor import Array
from crisp_hornet.core.vehicle import effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike

OVER_S, STEP_KMH = 0.6, 1.0


@dataclass(frozen=True, eq=False)
class Dyno:
    """Force (N) and power (W) at the wheel by speed (km/h), all (k,)."""

    speed_kmh: Array
    force_n: Array
    power_w: Array

    @property
    def peak(self) -> tuple[float, float]:
        """(W, km/h) of the most power."""
        at = int(np.argmax(self.power_w))
        return float(self.power_w[at]), float(self.speed_kmh[at])


def dyno_run(ride: Ride, bike: Bike, flywheel_kg: float | None = None) -> Dyno | None:
    """One pull from slow to fast, in speed steps of 1 km/h; None where it gains less than 8 km/h.

    ``flywheel_kg``: what the stand's flywheel weighs at the tyre; without it the bike's own mass and road load count.
    """
    speed = ride.get("wheel_speed_kmh")
    good = np.isfinite(speed)
    if good.sum() < 8:
        return None
    time, speed = ride.time_s[good], speed[good]
    gained = slope(time, speed / 3.6, OVER_S)
    force = (
        (effective_mass_kg(bike) * gained + road_load_n(bike, speed)) if flywheel_kg is None else flywheel_kg * gained
    )
    inside = (
        (time > time[0] + OVER_S) & (time < time[-1] - OVER_S) & np.isfinite(force)
    )  # at its ends the window is cut
    if not inside.any() or np.ptp(speed[inside]) < 8:
        return None
    place = np.round(speed[inside] / STEP_KMH).astype(int)
    steps = np.unique(place)
    means = np.array([force[inside][place == step].mean() for step in steps])
    at = steps * STEP_KMH
    return Dyno(at, means, means * at / 3.6)
