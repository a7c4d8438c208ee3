"""How long the hardest minute of a ride could have been held until the heat fade: as the document says, and as this ride warmed."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.heat_seen import HeatPaths
from crisp_hornet.core.heat.nodes import HeldHeat, Temperatures, losses
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even, moving_mean
from crisp_hornet.core.ride.gear import ratio_along
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

WINDOW_S, LEAST_A = 60.0, 10.0


@dataclass(frozen=True)
class HillSeen:
    """The minute from ``at_s`` on, its mean speed and its phase current (root mean square); minutes from cold until the motor's fade
    starts, by the document (inf: never) and by the heat paths that the ride showed."""

    at_s: float
    speed_kmh: float
    current_a: float
    predicted_min: float
    seen_min: Estimate


def hardest_minute(ride: Ride, bike: Bike, tune: Tune, paths: HeatPaths) -> HillSeen | None:
    """None where the ride has no phase current and speed, lasts less than a minute, or never worked hard."""
    smooth = even(ride, ("phase_a", "wheel_speed_kmh", "motor_rpm", "motor_c"))
    rows = round(WINDOW_S / STEP_S)
    if not (smooth.has("phase_a") and smooth.has("wheel_speed_kmh")) or len(smooth) < rows:
        return None
    heat = moving_mean(smooth.get("phase_a") ** 2, rows)[rows // 2 : len(smooth) - rows // 2]
    if not np.isfinite(heat).any() or np.nanmax(heat) < LEAST_A**2:
        return None
    first = int(np.nanargmax(heat))
    speed = float(np.nanmean(smooth.get("wheel_speed_kmh")[first : first + rows]))
    current = float(np.sqrt(heat[first]))
    warm = smooth.get("motor_c")
    cold = float(warm[np.isfinite(warm)][0]) if np.isfinite(warm).any() else 25.0

    turns = ratio_along(smooth, bike)[first : first + rows]
    gear = float(np.median(turns[np.isfinite(turns)])) if np.isfinite(turns).any() else bike.drivetrain.ratio

    def minutes(bike: Bike) -> float:
        held = HeldHeat(bike, losses(bike, current, speed, gear), Temperatures(cold, cold, cold), cold)
        return float(held.seconds_until_winding(tune.heat_guard.motor_fade_start_c)) / 60

    return HillSeen(float(smooth.time_s[first]), speed, current, minutes(bike), _seen(bike, paths, minutes))


def _seen(bike: Bike, paths: HeatPaths, minutes: object) -> Estimate:
    assert callable(minutes)
    between, away = paths.winding_to_housing, paths.housing_to_air
    if not between.known:
        return refused(between.reason, "min")
    thermal = bike.motor.thermal
    told = thermal.housing_to_air_w_per_k
    air = (
        (away.value, away.low, away.high) if away.known else (told, 0.5 * told, 2 * told)
    )  # for some minutes the housing hardly matters

    def learned(winding: float, housing: float) -> float:
        changed = thermal.model_copy(
            update={"winding_to_housing_w_per_k": max(winding, 0.01), "housing_to_air_w_per_k": max(housing, 0.01)}
        )
        motor = bike.motor.model_copy(update={"thermal": changed})
        return float(minutes(bike.model_copy(update={"motor": motor})))

    corners = [learned(a, b) for a, b in product((between.low, between.high), air[1:])]
    value = learned(between.value, air[0])
    if not np.isfinite(value):
        return refused("at this heating, derating is never reached", "min")
    return Estimate(value, min(*corners, value), max(*corners, value), "min")


def hill_words(hill: HillSeen) -> str:
    """In one line."""
    predicted = (
        say("derating after {predicted} as predicted", predicted=quantity(hill.predicted_min, "min", ".1f"))
        if np.isfinite(hill.predicted_min)
        else "by the prediction it derates never"
    )
    held = say(
        "hardest minute, {speed} at {current}",
        speed=quantity(hill.speed_kmh, "km/h", ".0f"),
        current=quantity(hill.current_a, "A", ".0f"),
    )
    return say(
        "{held}: {predicted}, as it heated {in_words}",
        held=held,
        predicted=predicted,
        in_words=hill.seen_min.in_words(2),
    )
