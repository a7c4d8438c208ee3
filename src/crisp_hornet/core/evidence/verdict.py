"""All estimates of a ride in one."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.assist_seen import LevelSeen, levels_seen
from crisp_hornet.core.evidence.capacity_seen import capacity
from crisp_hornet.core.evidence.consumption import Share, range_km, shares
from crisp_hornet.core.evidence.day import UNKNOWN, Day
from crisp_hornet.core.evidence.energy_seen import EnergyUsed, energy_used
from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.heat_seen import HeatPaths, heat_paths
from crisp_hornet.core.evidence.hill_seen import HillSeen, hardest_minute
from crisp_hornet.core.evidence.motion_pull import MotionPull, motion_pull
from crisp_hornet.core.evidence.motor_seen import MotorSeen, motor_seen
from crisp_hornet.core.evidence.pack_seen import resistance
from crisp_hornet.core.evidence.peaks import Peak, peaks
from crisp_hornet.core.evidence.pull_seen import PullSeen, full_pull, pull_seen
from crisp_hornet.core.evidence.road_seen import RoadLoad, road_load
from crisp_hornet.core.evidence.stopwatch import Timed, timed
from crisp_hornet.core.evidence.way_seen import WaySeen, way_seen
from crisp_hornet.core.evidence.weakening_seen import WeakeningSeen, weakening_seen
from crisp_hornet.core.evidence.wheel_seen import circumference
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.core.ride.skew import aligned
from crisp_hornet.core.rider.assist import Motive
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

WORKERS = 2
MOVES_KMH, USUAL_KMH = 2.0, 20.0
SUSTAINED_S = (1.0, 10.0, 60.0)
SUSTAINED_OF = ("battery_a", "phase_a", "wheel_speed_kmh", "motor_c", "controller_c")


@dataclass(frozen=True)
class Verdict:
    """What a ride proves. ``peaks``: against the limits that were set; ``sustained``: by channel, the greatest mean over 1, 10 and 60 s;
    ``range_km``: of a full pack at this style; ``shares``: where the energy went, by speed, grade and level; ``hill``: how long its hardest
    minute could be held; ``weakening``: what it gave, None where it was not set or never at work; ``timed``: what a stopwatch said."""

    resistance_ohm: Estimate
    capacity_ah: Estimate
    circumference_m: Estimate
    way: WaySeen
    road: RoadLoad
    energy: EnergyUsed
    heat: HeatPaths
    levels: tuple[LevelSeen, ...]
    pull: PullSeen | None
    motion: MotionPull | None
    range_km: Estimate
    hill: HillSeen | None
    motor: MotorSeen
    weakening: WeakeningSeen | None
    peaks: tuple[Peak, ...]
    timed: tuple[Timed, ...]
    shares: dict[str, list[Share]] = field(default_factory=dict)
    sustained: dict[str, dict[float, float]] = field(default_factory=dict)

    def stretch(self, bike: Bike) -> float:
        """Metres really rolled for a metre that the bike shows; 1 where the ride does not say."""
        return rolled_share(self.circumference_m, bike)


def rolled_share(wheel: Estimate, bike: Bike) -> float:
    """The circumference that was seen over the document's; 1 where it was not seen."""
    return wheel.value / bike.drivetrain.wheel_circumference_m if wheel.known else 1.0


def judge_ride(
    ride: Ride,
    bike: Bike,
    tune: Tune,
    curve: PullCurve | None,
    smooth: Ride,
    day: Day = UNKNOWN,
) -> Verdict:
    """Every estimate; ``curve`` is the prediction for the ride's start, ``smooth`` the ride on an even clock, ``day`` what was
    written down besides."""
    with ThreadPoolExecutor(WORKERS) as pool:  # NumPy lets others run while it computes
        extremes = pool.submit(peaks, ride, tune)
        in_step = aligned(smooth)
        pack = pool.submit(resistance, smooth, bike, in_step)
        levels = pool.submit(levels_seen, smooth, bike, None if curve is None else Motive.of(curve, tune))
        parts = {kind: pool.submit(shares, smooth, kind) for kind in ("speed", "grade", "level")}
        sustained = {name: pool.submit(_sustained, smooth, name) for name in SUSTAINED_OF if smooth.has(name)}
        wheel = circumference(smooth, bike)
        stretch = rolled_share(wheel, bike)
        full = full_pull(smooth, bike, stretch) if smooth.has("wheel_speed_kmh") and smooth.has("throttle") else None
        pull = pool.submit(pull_seen, smooth, curve, stretch, full) if curve is not None else None
        motor = pool.submit(motor_seen, smooth, bike, curve, stretch, full, in_step)
        heat = pool.submit(lambda: heat_paths(smooth, bike, motor.result().winding_ohm))  # it began before this one
        energy = energy_used(ride, bike, wheel, day.rested_v, smooth)
        road = road_load(smooth, bike, wheel)
        top = pull.result().top_kmh if pull is not None else refused("no prediction to lay it against", "km/h")
        weakening = weakening_seen(smooth, bike, tune, top.times(1 / stretch))
    return Verdict(
        pack.result(),
        capacity(smooth, bike, energy.ah_net, day.rested_v),
        wheel,
        way_seen(smooth, bike, stretch),
        road,
        energy,
        heat.result(),
        levels.result(),
        None if pull is None else pull.result(),
        None if full is None else motion_pull(smooth, bike, full),
        range_km(bike, tune, energy.wh_per_km, _pace_kmh(smooth)),
        hardest_minute(smooth, bike, tune, heat.result()),
        motor.result(),
        weakening,
        tuple(extremes.result()),
        timed(day.timed, curve),
        {kind: part.result() for kind, part in parts.items()},
        {name: one.result() for name, one in sustained.items()},
    )


def _pace_kmh(smooth: Ride) -> float:
    """The mean speed while it moves."""
    speed = smooth.get("wheel_speed_kmh")
    moving = speed[speed > MOVES_KMH]
    return float(np.mean(moving)) if moving.size else USUAL_KMH


def _sustained(smooth: Ride, name: str) -> dict[float, float]:
    values = smooth.get(name)
    lasts = len(values) * STEP_S
    return {
        seconds: float(np.nanmax(moving_mean(values, round(seconds / STEP_S))))
        for seconds in SUSTAINED_S
        if lasts >= seconds
    }
