"""A ride over a road: all the pull there is below the speed wished for, just what holds it there, brakes for what comes.

Between the places at which grade, limit or wind change the motion is smooth. While the speed changes it goes by exponential steps, exact
where the spare force is linear in the speed (Rosenbrock–Euler; M. Hochbruck, A. Ostermann, *Exponential integrators*, Acta Numerica 19,
2010), each as long as the speed changes by :data:`SPEED_STEP_MPS` and the winding by :data:`HEAT_STEP_K`; while the speed is held, in
chunks of :data:`CHUNK_S`, for only charge and heat move then. Pull comes from curves blended between states
(:mod:`~crisp_hornet.core.virtual_ride.full_pull`), heat from its exact course while losses are held.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.pack.cells import charge_at
from crisp_hornet.core.road.vehicle import AIR_KGPM3, G_MPS2, grip_force_n, lift_force_n
from crisp_hornet.core.virtual_ride.journey import COURSE, Journey
from crisp_hornet.core.virtual_ride.move import Move
from crisp_hornet.core.virtual_ride.underway import Underway
from crisp_hornet.core.virtual_ride.way import Stretch, stretches
from crisp_hornet.core.virtual_ride.wishes import Wish
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune

SPEED_STEP_MPS, HEAT_STEP_K, CHUNK_S, BRAKE_STEP_MPS, HOLD_STEP_MPS = 0.4, 1.5, 20.0, 1.5, 0.8
SHORTEST_S, LEAST_HEATS_S, SINK_SHARE = 0.01, 0.25, 0.03
NARROW_TAPER_MPS, TAPER_SHARE, LEAST_STEP_MPS = 1.0, 0.08, 0.05
MOST_STEPS = 3_000_000


class Stopped(Exception):
    """Whoever asked for the ride no longer wants it."""


@dataclass(frozen=True)
class Setting:
    """What a ride starts with: open-circuit voltage (V, full where none is given), ambient temperature (°C), wind against it (km/h);
    ``charge_off``: what is to be added to the charge that the voltage tells; winding with housing, and controller, where they start warmer
    (°C)."""

    rested_v: float | None = None
    ambient_c: float = 25.0
    headwind_kmh: float = 0.0
    charge_off: float = 0.0
    winding_c: float | None = None
    controller_c: float | None = None

    def charge(self, bike: Bike) -> float:
        """The charge (0 to 1) at the start."""
        told = 1.0 if self.rested_v is None else charge_at(bike.battery, self.rested_v).value
        return min(max(told + self.charge_off, 0.0), 1.0)


def ride(
    bike: Bike,
    tune: Tune,
    route: Route,
    wish: Wish,
    setting: Setting | None = None,
    tick: Callable[[float], bool] | None = None,
) -> Journey:
    """The ride of a bike on a tune over a road, for what is wished: a speed held where the road allows it, a share of the throttle, a rider
    at an assist level. It starts standing, all at the ambient temperature. ``tick`` hears how far it is (0 to 1) and says whether to go on.

    Raises :class:`Stopped` where it was not to go on, :class:`ValueError` for a level that is not there."""
    setting = setting or Setting()
    return ride_over(bike, tune, stretches(route, wish.kmh, setting.headwind_kmh), wish, setting, tick)


def ride_over(
    bike: Bike,
    tune: Tune,
    way: list[Stretch],
    wish: Wish,
    setting: Setting,
    tick: Callable[[float], bool] | None = None,
) -> Journey:
    """:func:`ride` over stretches that are made already."""
    return _Ride(bike, tune, way, wish, setting).over(tick)


class _Ride(Underway):
    """One ride under way."""

    def __init__(self, bike: Bike, tune: Tune, way: list[Stretch], wish: Wish, setting: Setting) -> None:
        super().__init__(bike, tune, wish, setting.charge(bike), setting.ambient_c)
        self.warmth.start(setting.winding_c, setting.controller_c)
        self.way = way
        self._weight, self._air = bike.mass_kg * G_MPS2, AIR_KGPM3 / 2 * bike.chassis.cda_m2

    def over(self, tick: Callable[[float], bool] | None) -> Journey:
        """Ride it."""
        now, stalled, why = self.now, None, ""
        length = self.way[-1].end_m
        for stretch in self.way:
            if tick is not None and not tick(now.at_m / length):
                raise Stopped
            if stretch.stop_s:
                now.v = 0.0
                self._spend(stretch.stop_s, self.bike.controller.idle_w, 0.0, 0.0, 0.0, "stop")
            why = self._over(stretch)
            if why:
                stalled = now.at_m
                break
        course = dict(zip(COURSE, np.array(now.rows).T, strict=True))
        seen = self.seen
        return Journey(course, now.limit, now.wh, seen.held_by, seen.fades, stalled, why, seen.trips)

    # --- motion ---------------------------------------------------------------------------------------------

    def _over(self, stretch: Stretch) -> str:
        """Over a stretch; why it can go no further, empty where it came to its end."""
        now = self.now
        most = min(lift_force_n(self.bike, stretch.grade), grip_force_n(self.bike, stretch.grade))
        held_down = "front wheel" if most == lift_force_n(self.bike, stretch.grade) else "grip"
        for _ in range(MOST_STEPS):
            left = stretch.end_m - now.at_m
            if left <= 1e-6:
                return ""
            if now.charge <= 0:
                return "empty"
            if now.v > stretch.out and left <= (now.v**2 - stretch.out**2) / (2 * stretch.slows) + 1e-6:
                self._slow(stretch, left)
                continue
            self._row = self._row_now()
            target = self._target(stretch, most)
            if now.v >= target - 1e-6 and self._can_hold(stretch, target, most):
                now.v = target
                self._hold(stretch, left)
            elif not self._pull(stretch, target, most, held_down):
                return "stalled"
        raise ValueError("the road is too long to be ridden")

    def _target(self, stretch: Stretch, most: float) -> float:
        """What is held: the speed wished for, or that at which a narrow speed taper settles."""
        starts, ends, wished = self.pull.taper_starts, self.pull.taper_ends, stretch.wished(self.now.at_m)
        if ends - starts > NARROW_TAPER_MPS or self.now.v < starts - SPEED_STEP_MPS or starts >= wished:
            return wished
        if self._spare(stretch, max(starts - 1e-6, 0.0), most) <= 0 or self._spare(stretch, ends + 1e-6, most) >= 0:
            return wished
        low, high = starts, ends
        while high - low > 1e-4:
            middle = (low + high) / 2
            low, high = (middle, high) if self._spare(stretch, middle, most) > 0 else (low, middle)
        return min(low, wished)

    def _load_n(self, stretch: Stretch, v: float) -> float:
        """What rolling, slope and air ask for."""
        wind = v + stretch.wind
        return (
            self._weight * (self.bike.chassis.crr * stretch.cosine + stretch.sine)
            + self._air * wind * abs(wind)
            + stretch.extra_n
        )

    def _spare(self, stretch: Stretch, v: float, most: float) -> float:
        """What is left to speed up with (m/s²)."""
        motor, rider, _ = self._drive(v, most)
        return (motor + rider - self._load_n(stretch, v)) / self._mass(v, motor)

    def _can_hold(self, stretch: Stretch, v: float, most: float) -> bool:
        if v < stretch.wished(self.now.at_m):  # where the taper settles
            return True
        motor, rider, _ = self._drive(v, most)
        return motor + rider >= self._load_n(stretch, v) + stretch.rate * self._mass(v, motor)

    def _slow(self, stretch: Stretch, left: float) -> None:
        """Brakes down to what the end of the stretch may be passed at, a part of the way at a time."""
        now = self.now
        down = min(now.v - stretch.out, BRAKE_STEP_MPS)
        after = now.v - down if down < now.v - stretch.out else stretch.out
        way = min((now.v**2 - after**2) / (2 * stretch.slows), left) if after > stretch.out else left
        mean = (now.v + after) / 2
        self._row = self._row_now()
        force, watts, phase = self._at_force(mean, self._load_n(stretch, mean) - stretch.slows * self._mass(mean, 0.0))
        lasts = way / max(mean, 1e-6)
        now.at_m, now.v = now.at_m + way, after
        self._spend(lasts, watts, phase, mean, force, "brakes")

    def _hold(self, stretch: Stretch, left: float) -> None:
        """A chunk at the speed wished for, with just what holds it or brings the change that is wished."""
        now = self.now
        free = left - max(now.v**2 - stretch.out**2, 0.0) / (2 * stretch.slows) if not stretch.rate else left
        way = max(free, 1e-3)
        governed = now.v < stretch.wished(now.at_m) - 1e-3
        rate = 0.0 if governed else stretch.rate
        if rate:
            most = abs(HOLD_STEP_MPS * (2 * now.v + math.copysign(HOLD_STEP_MPS, rate)) / (2 * rate))
            way = min(way, max(most, 0.05))
        else:
            way = min(way, now.v * max(min(CHUNK_S, 2 * self._warms_s()), 2.0))
        after = now.v if not rate else stretch.wished(now.at_m + way)
        mean = max((now.v + after) / 2, 0.05)
        low, part = self._row.place(mean)
        rider = self._legs[low] + part * (self._legs[low + 1] - self._legs[low]) if self._pedals else 0.0
        needs = self._load_n(stretch, mean) + rate * self._mass(mean, 0.0)
        force, watts, phase = self._at_force(mean, max(needs - rider, min(needs, 0.0)))
        now.at_m, now.v = now.at_m + way, after
        self._spend(way / mean, watts, phase, mean, force, "speed" if governed else "held" if needs >= 0 else "brakes")

    def _pull(self, stretch: Stretch, target: float, most: float, held_down: str) -> bool:
        """One step with all there is; False where that does not move the bike."""
        now = self.now
        gains = self._spare(stretch, now.v, most)
        if now.v <= 1e-6 and gains <= 1e-9:
            return False
        longest = min(CHUNK_S, self._warms_s(), self._sinks_s())
        seconds = min(max(self._speed_step() / max(abs(gains), 1e-9), SHORTEST_S), longest)
        ahead = max(gains * seconds, -now.v)
        bends = (self._spare(stretch, now.v + ahead, most) - gains) / ahead if abs(ahead) > 1e-7 else 0.0
        bends = min(bends, 1 / seconds)
        move = Move(now.v, gains, bends)
        if stretch.rate < 0:  # the wish comes down meanwhile
            ahead = stretch.wished(min(now.at_m + now.v * seconds, stretch.end_m))
            target = ahead if ahead > now.v else target
        seconds = move.until(seconds, target)
        seconds = move.within(seconds, stretch.end_m - now.at_m, stretch.out, stretch.slows)
        after, way = move.after(seconds)
        mean = min(max(way / seconds, 0.0), 2 * now.v + after) if seconds > 0 else now.v
        force, watts, phase, name = self._powers(mean, most, held_down)
        if name == "speed":  # a hair of speed changes this pull a lot: what the motion says is surer
            balanced = self._load_n(stretch, mean) + self._mass(mean, force) * (after - now.v) / max(seconds, 1e-6)
            force, watts, phase = self._tapered_to(mean, balanced - self._drive(mean, most)[1])
        now.at_m, now.v = now.at_m + way, after
        self._spend(seconds, watts, phase, mean, force, name)
        return True

    def _speed_step(self) -> float:
        """By how much the speed may change in a step (m/s): less where the speed taper bends the pull."""
        pull, v = self.pull, self.now.v
        width = pull.taper_ends - pull.taper_starts
        near = pull.taper_starts - SPEED_STEP_MPS < v < pull.taper_ends + SPEED_STEP_MPS
        return min(SPEED_STEP_MPS, max(width * TAPER_SHARE, LEAST_STEP_MPS)) if near else SPEED_STEP_MPS

    def _warms_s(self) -> float:
        """How long the winding may be taken as it is."""
        step = HEAT_STEP_K if self._heat() >= 1 else HEAT_STEP_K / 3
        return max(step / max(self.now.warms_k_per_s, 1e-6), LEAST_HEATS_S)

    def _sinks_s(self) -> float:
        """How long the pack may be taken as it is: where it fades, until a small share of what is left above its end is gone."""
        now, rested, pull = self.now, self._rested(), self.pull
        if rested > pull.fades_v or now.sank_v <= 0:
            return CHUNK_S
        return max(SINK_SHARE * (rested - pull.fade_end_v) * now.lasted_s / now.sank_v, LEAST_HEATS_S)
