"""Peaks of a ride against the limits that were set, and its energy."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.gaps import longest_step_s
from crisp_hornet.documents.channels import UNITS
from crisp_hornet.documents.tune import Tune

LEAST_REGEN_A = 1.0
REACHED = 0.97  # a limit counts as reached from this share of it on


@dataclass(frozen=True)
class Peak:
    """The extreme of one quantity, the moment of it, and how it stands to its limit.

    ``reached`` is None where there is no limit; ``at_limit_s`` is the time (s) spent at it.
    """

    channel: str
    label: str
    value: float
    unit: str
    at_s: float
    limit: float | None
    reached: bool | None
    at_limit_s: float


@dataclass(frozen=True)
class Energy:
    """Energy at the pack's terminals and distance by the indicated speed."""

    wh_out: float
    wh_back: float
    distance_km: float

    @property
    def wh_per_km(self) -> float | None:
        """Net Wh per km; None below 100 m."""
        return (self.wh_out - self.wh_back) / self.distance_km if self.distance_km >= 0.1 else None


def sample_seconds(time_s: Array) -> Array:
    """Seconds each sample stands for, (n,); a gap counts as nothing."""
    step = np.diff(time_s, append=time_s[-1] if len(time_s) else 0.0)
    return np.where(step > longest_step_s(time_s), 0.0, step)


def peaks(ride: Ride, tune: Tune) -> list[Peak]:
    """The peaks of the channels a ride has, against ``tune``'s limits."""
    drive, guard, heat = tune.drive, tune.battery_guard, tune.heat_guard
    asked = [
        ("battery_a", "battery peak", "drive.battery_current_a", drive.battery_current_a, False),
        ("phase_a", "phase peak", "drive.phase_current_a", drive.phase_current_a, False),
        ("pack_v", "lowest pack", "battery_guard.fade_start_v", guard.fade_start_v, True),
        ("wheel_speed_kmh", "top speed", "drive.speed_kmh", drive.speed_kmh, False),
        ("motor_c", "hottest motor", "heat_guard.motor_fade_start_c", heat.motor_fade_start_c, False),
        (
            "controller_c",
            "hottest controller",
            "heat_guard.controller_fade_start_c",
            heat.controller_fade_start_c,
            False,
        ),
    ]
    found = [
        _peak(ride, channel, label, None if path in tune.unknown else limit, lowest)
        for channel, label, path, limit, lowest in asked
        if ride.has(channel)
    ]
    charged = -ride.get("battery_a")
    if ride.has("battery_a") and np.nanmax(charged) > LEAST_REGEN_A:
        limit = None if "regen.battery_current_a" in tune.unknown else tune.regen.battery_current_a or None
        found.append(_peak(Ride(ride.name, ride.time_s, {"regen_a": charged}), "regen_a", "regen peak", limit, False))
    return found


def energy(ride: Ride) -> Energy | None:
    """Energy and distance of a ride, or None if volts, amps or speed are missing."""
    if not all(ride.has(channel) for channel in ("pack_v", "battery_a", "wheel_speed_kmh")):
        return None
    seconds = sample_seconds(ride.time_s)
    power = ride.get("pack_v") * ride.get("battery_a")
    return Energy(
        wh_out=float(np.nansum(np.maximum(power, 0) * seconds) / 3600),
        wh_back=float(np.nansum(np.maximum(-power, 0) * seconds) / 3600),
        distance_km=float(np.nansum(ride.get("wheel_speed_kmh") * seconds) / 3600),
    )


def _peak(ride: Ride, channel: str, label: str, limit: float | None, lowest: bool) -> Peak:
    values = ride.get(channel)
    index = _place(values, lowest)
    reached, at_limit_s = None, 0.0
    if limit is not None:
        with np.errstate(invalid="ignore"):
            at_limit = values <= limit if lowest else values >= REACHED * limit
        reached = bool(at_limit.any())
        at_limit_s = float(np.sum(sample_seconds(ride.time_s)[at_limit])) if reached else 0.0
    return Peak(
        channel,
        label,
        float(values[index]),
        UNITS.get(channel, "A"),
        float(ride.time_s[index]),
        limit,
        reached,
        at_limit_s,
    )


def _place(values: Array, lowest: bool) -> int:
    """Where the extreme is, missing values aside; the quick way where none is missing."""
    at = int(np.argmin(values) if lowest else np.argmax(values))
    if np.isfinite(values[at]):
        return at
    return int(np.nanargmin(values) if lowest else np.nanargmax(values))
