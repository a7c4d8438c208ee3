"""Which gear was in use along a ride: the one nearest to what motor and wheel turned."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import mechanical_speed
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike

SLOWEST_KMH = 2.0
OFF = 0.06  # share by which a gear may be missed: beyond, somebody shifts or the motor does not turn the wheel


def gear_known(ride: Ride, bike: Bike) -> bool:
    """Whether :func:`ratio_along` tells anything: of a single gear always, with gears where the motor's own speed was logged."""
    return len(bike.in_each_gear()) == 1 or (ride.has("motor_rpm") and ride.has("wheel_speed_kmh"))


def ratio_along(ride: Ride, bike: Bike) -> Array:
    """Motor turns per wheel turn (n,): the bike's own where it has no gears, else the gear in use, NaN where that is not known."""
    gears = [geared.drivetrain.ratio for geared in bike.in_each_gear()]
    if len(gears) == 1:
        return np.full(len(ride), gears[0])
    speed = ride.get("wheel_speed_kmh")
    wheel_rpm = mechanical_speed(bike, speed) / bike.drivetrain.ratio * 30 / np.pi
    with np.errstate(divide="ignore", invalid="ignore"):
        turns = np.where(speed > SLOWEST_KMH, ride.get("motor_rpm") / wheel_rpm, np.nan)
        off = np.abs(np.log(turns[:, None] / np.array(gears)[None, :]))
        off = np.where(np.isfinite(off), off, np.inf)
    nearest = np.argmin(off, axis=1)
    return np.where(off[np.arange(len(off)), nearest] < OFF, np.array(gears)[nearest], np.nan)
