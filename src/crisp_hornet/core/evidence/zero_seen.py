"""What the battery current sensor shows where next to nothing flows: its zero, as far as a ride tells it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

STANDS_KMH, CLOSED, SETTLED_S, LEAST_S = 0.5, 0.03, 2.0, 5.0
UNKNOWN_A = 0.1  # what lights and displays may draw besides, one standard deviation
CONTRADICTS = 5.0  # standard deviations beyond which a zero is no usual error


@dataclass(frozen=True)
class ZeroSeen:
    """``seen_a``: what it showed at rest with the controller's own draw taken off; ``zero_a`` with ``spread_a`` (one standard deviation):
    what it is off by as far as is known, from how such sensors are and from the ride. ``contradicts``: no usual error any more."""

    seen_a: Estimate
    zero_a: float
    spread_a: float
    contradicts: bool


def battery_zero(smooth: Ride, bike: Bike) -> ZeroSeen:
    """From the rows of a ride on the even clock in which the bike stood with its throttle closed."""
    usual = bike.sensors.off("battery_a").zero_spread
    seen = _at_rest(smooth, bike)
    if not seen.known:
        return ZeroSeen(seen, 0.0, usual, False)
    error = max(seen.half_width / 2, 1e-3)
    if abs(seen.value) > CONTRADICTS * float(np.hypot(usual, error)):
        return ZeroSeen(seen, seen.value, error, True)
    weight = usual**2 / (usual**2 + error**2) if usual > 0 else 0.0
    return ZeroSeen(seen, weight * seen.value, usual * float(np.sqrt(1 - weight)), False)


def _at_rest(smooth: Ride, bike: Bike) -> Estimate:
    if not (smooth.has("battery_a") and smooth.has("wheel_speed_kmh")):
        return refused("battery current and speed are needed", "A")
    with np.errstate(invalid="ignore"):
        rests = (smooth.get("wheel_speed_kmh") < STANDS_KMH) & ~(smooth.get("throttle") > CLOSED)
        rests &= ~(smooth.get("cadence_rpm") > 0) & np.isfinite(smooth.get("battery_a"))
    settled = moving_mean(rests.astype(float), 2 * round(SETTLED_S / STEP_S) + 1) > 0.999
    if settled.sum() * STEP_S < LEAST_S:
        return refused(say("it stood for less than {least}", least=quantity(LEAST_S, "s", ".0f")), "A")
    volts = smooth.get("pack_v")[settled]
    held_v = float(np.nanmedian(volts)) if np.isfinite(volts).any() else 60.0
    idle = bike.controller.idle_w / max(held_v, 10.0)
    value = float(np.median(smooth.get("battery_a")[settled])) - idle
    return around(value, float(np.hypot(UNKNOWN_A, idle / 2)), 30, "A")
