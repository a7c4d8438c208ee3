"""What the motor adds to pedalling: the force of a level, the family of levels, and the rider on the road.

Styles, with T the crank torque (N·m), c the cadence, v the road speed, m the level's multiplier:
power ``F·v = m·T·2πc/60``; torque ``F = m·T·2π/development`` (the power style in the gear of that development, whatever the cadence);
cadence: all that the level may give while the pedals turn; blend: weight ``clip(c/handover − ½, 0, 1)`` on power, the
rest on torque. Each is cut by the full-throttle pull, by the level's share and by its speed. What the share is of is the controller's
(``controller.level_share``): of power and of battery current a small share still reaches the phase limit at walking pace.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import ArrayLike

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.limits import effective_limits, fade
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve
from crisp_hornet.core.rider.legs import SLOWEST_KMH, Rider, legs
from crisp_hornet.core.road.performance import mass_along_kg, steady_speed_kmh
from crisp_hornet.core.road.vehicle import effective_mass_kg, grip_force_n, road_load_n
from crisp_hornet.documents.assist import Assist, Level
from crisp_hornet.documents.tune import Tune

STRONG_RIDER_W, TYPICAL_RIDER_W = 250.0, 100.0
EARLY_STEP_S = 0.05
BOWS = (0.2, 5.0)  # exponents of a family
SHARE_SPEEDS = 61  # what a share of battery current leaves is smooth in speed


def human_watts(human_nm: ArrayLike, cadence_rpm: ArrayLike) -> Array:
    """Rider power (W) from mean crank torque (N·m) and cadence (rpm)."""
    watts: Array = np.asarray(human_nm, float) * np.asarray(cadence_rpm, float) * (2 * math.pi / 60)
    return watts


def family(count: int, lowest: float, highest: float, exponent: float) -> list[float]:
    """``count`` figures from lowest to highest: ``low + (high − low)·x^exponent``, x from 0 to 1 evenly. 1: even steps; below 1:
    strong at once, as controllers are often delivered; above 1: bowed, gentle low levels that join the strong ones at the top."""
    steps = np.linspace(0.0, 1.0, count) ** exponent
    return [round(float(one), 3) for one in lowest + (highest - lowest) * steps]


def middle_of(count: int) -> int:
    """The place (from 0) of the middle one of so many levels; of an even number the lower one."""
    return (count - 1) // 2


def exponent_through(count: int, lowest: float, highest: float, middle: float) -> float:
    """The exponent with which a family passes through three anchors: first, middle and last; held to what a family bows.

    From ``middle = lowest + (highest − lowest)·x^exponent``, x being the middle one's place from 0 to 1. Raises :class:`ValueError` for
    fewer than three levels.
    """
    if count < 3:
        raise ValueError("two levels have no middle one")
    share = (middle - lowest) / (highest - lowest) if highest != lowest else 0.5
    at = middle_of(count) / (count - 1)
    return float(np.clip(math.log(min(max(share, 1e-4), 0.9999)) / math.log(at), *BOWS))


@dataclass(frozen=True)
class Family:
    """The family that comes nearest to given figures, by its anchors: first, middle (as it is) and last; ``by_hand`` lists the places
    (from 0) of those that stand apart from it."""

    lowest: float
    highest: float
    exponent: float
    by_hand: tuple[int, ...]
    middle: float = 0.0


def nearest_family(figures: list[float]) -> Family:
    """Which family some levels are of: its anchors are the first and last figure, the exponent is the median of what each in
    between asks for; figures more than 3 % of the span off it count as set by hand."""
    lowest, highest, count = figures[0], figures[-1], len(figures)
    span = highest - lowest
    if count < 3 or span == 0:
        off = (
            tuple(at for at, figure in enumerate(figures) if abs(figure - lowest) > 0.03 * max(abs(lowest), 1.0))
            if span == 0
            else ()
        )
        return Family(lowest, highest, 1.0, off, figures[middle_of(count)])
    steps = np.linspace(0.0, 1.0, count)[1:-1]
    shares = np.clip((np.array(figures[1:-1]) - lowest) / span, 1e-4, 0.9999)
    exponent = float(np.round(np.clip(np.median(np.log(shares) / np.log(steps)), *BOWS), 2))
    ideal = family(count, lowest, highest, exponent)
    off = tuple(at for at in range(count) if abs(figures[at] - ideal[at]) > 0.03 * abs(span))
    return Family(lowest, highest, exponent, off, figures[middle_of(count)])


@dataclass(frozen=True, eq=False)
class Motive:
    """What assist needs to know of the drive: the full pull, what a level's share leaves of it (N, by the share, as asked for), where
    assist ends (km/h) and the force that an ampere makes at standstill (N/A)."""

    curve: PullCurve
    tune: Tune
    assist: Assist
    ends_kmh: float
    taper_kmh: float
    per_a_n: float
    by_share_n: dict[float, Array] = field(default_factory=dict)

    @classmethod
    def of(cls, curve: PullCurve, tune: Tune) -> Motive:
        """Of a tune and its full-throttle curve. Assist ends at the least of its own and the drive's limit; without one, at what
        the bike reaches on the flat."""
        drive = effective_limits(curve.bike, tune).speed_kmh.value
        limits = [one for one in (tune.assist.speed_kmh, drive) if one is not None]
        ends = min(limits) if limits else max(steady_speed_kmh(curve, 0.0), 1.0)
        amps = float(curve.phase_current_a[0])
        return cls(
            curve,
            tune,
            tune.assist,
            ends,
            tune.drive.speed_taper_kmh,
            float(curve.wheel_force_n[0]) / amps if amps > 0 else 0.0,
        )

    def speed_of(self, level: Level) -> float:
        """Up to which speed (km/h) a level helps."""
        return level.speed_share * self.ends_kmh

    def full_n(self, level: Level, speed_kmh: ArrayLike) -> Array:
        """The most force (N, same shape) a level may give: pull, power share and speed share."""
        kmh = np.asarray(speed_kmh, float)
        share = level.power_share
        if share not in self.by_share_n:
            self.by_share_n[share] = _within_share(self.curve, self.tune, share)
        most: Array = np.interp(kmh, self.curve.speed_kmh, self.by_share_n[share], right=0.0)
        ends = self.speed_of(level)
        most = most * fade(kmh, max(ends - self.taper_kmh, 0.0), ends)
        return most

    def force_n(self, level: Level, human_nm: ArrayLike, cadence_rpm: ArrayLike, speed_kmh: ArrayLike) -> Array:
        """The motor's force at the wheel (N) for steady pedalling; all arguments broadcast."""
        torque, cadence = np.asarray(human_nm, float), np.asarray(cadence_rpm, float)
        kmh = np.asarray(speed_kmh, float)
        assist, most = self.assist, self.full_n(level, kmh)
        if assist.style == "cadence":
            turned: Array = np.where(cadence > 0, most, 0.0)
            return turned
        by_torque = level.multiplier * torque * 2 * math.pi / assist.development_m
        by_power = level.multiplier * human_watts(torque, cadence) / np.maximum(kmh, SLOWEST_KMH) * 3.6
        weight = {"torque": np.zeros_like(cadence), "power": np.ones_like(cadence)}.get(assist.style)
        if weight is None:
            weight = np.clip(cadence / assist.handover_rpm - 0.5, 0.0, 1.0)
        asked = (1 - weight) * by_torque + weight * by_power
        return np.where(torque >= assist.start_nm, np.minimum(asked, most), 0.0)


def _within_share(curve: PullCurve, tune: Tune, share: float) -> Array:
    """The most force (N) over the curve's speeds that a level's share of what the controller shares leaves."""
    full, kind = curve.wheel_force_n, curve.bike.controller.level_share
    if kind == "power":
        most_w = float(np.max(curve.wheel_w, initial=0.0))
        within = share * most_w / np.maximum(curve.speed_kmh / 3.6, 1e-6)
    elif kind == "battery_current":
        within = _within_battery_share(curve, tune, share)
    else:
        within = np.full_like(full, share * full[0])
    least: Array = np.minimum(full, within)
    return least


def _within_battery_share(curve: PullCurve, tune: Tune, share: float) -> Array:
    amps = effective_limits(curve.bike, tune).battery_current_a.value
    assert amps is not None  # a tune always sets it
    lower = tune.with_setting("drive.battery_current_a", share * amps)
    few = np.linspace(0.0, float(curve.speed_kmh[-1]), SHARE_SPEEDS)
    found = pull_curve(curve.bike, lower, few, curve.conditions or Conditions(curve.rested_v)).wheel_force_n
    within: Array = np.interp(curve.speed_kmh, few, found)
    return within


@dataclass(frozen=True, eq=False)
class LevelRide:
    """A rider at one level on one slope: the speed that settles and the cadence there, who gives what, and the start from rest."""

    level: int
    speed_kmh: float
    cadence_rpm: float
    human_w: float
    motor_w: float
    to_speed_s: float
    most_mps2: float
    time_s: Array
    speeds_kmh: Array


def level_rides(motive: Motive, rider: Rider, grade: float = 0.0) -> list[LevelRide]:
    """Each level with a rider who shifts so as to keep power and cadence, as far as the gears go (:mod:`~crisp_hornet.core.rider.legs`),
    from rest.

    While the assist's ramp lasts and a second beyond, time is stepped (Heun, 0.05 s); from there on ``t = ∫ m/F dv``. ``to_speed_s`` is
    the time to 90 % of the speed that settles, ``most_mps2`` the greatest acceleration over half a second: how *quickly* speed comes.
    """
    bike, levels = motive.curve.bike, motive.assist.levels
    grip = grip_force_n(bike, grade)
    kmh = np.linspace(0.0, max(float(motive.curve.speed_kmh[-1]), 40.0), 401)
    pedals = legs(rider, kmh)
    motor = np.array([motive.force_n(level, pedals.torque_nm, pedals.cadence_rpm, kmh) for level in levels])
    mass = mass_along_kg(motive.curve, kmh)
    spare = (np.minimum(motor + pedals.force_n, grip) - road_load_n(bike, kmh, grade)) / mass
    starts, early = _early(kmh, spare, motor / mass, motive)
    rides = []
    for index in range(len(levels)):
        settles = _settles(kmh, spare[index])
        time, speeds = _onwards(starts, early[:, index], kmh, spare[index], settles)
        wanted = 0.9 * settles
        to_speed = float(np.interp(wanted, speeds, time)) if settles > 0 and speeds[-1] >= wanted else math.inf
        even = np.interp(np.arange(0.0, min(time[-1], 15.0) + 0.5, 0.05), time, speeds)
        most = float(np.max(even[10:] - even[:-10], initial=0.0)) / 3.6 / 0.5
        watts = float(np.interp(settles, kmh, motor[index])) * settles / 3.6
        there = legs(rider, np.array([settles]))
        given = float(there.torque_nm[0] * there.cadence_rpm[0]) * 2 * math.pi / 60
        cadence = float(there.cadence_rpm[0])
        rides.append(LevelRide(index + 1, settles, cadence, given, watts, to_speed, most, time, speeds))
    return rides


def _early(kmh: Array, spare: Array, motor: Array, motive: Motive) -> tuple[Array, Array]:
    """(times (k,), speeds (k, levels)) from rest while delay and ramp last and a second beyond; ``spare`` and ``motor`` a kilogram."""
    assist = motive.assist
    ramp_s, delay_s = assist.ramp_s, assist.start_delay_s
    first = assist.start_current_a * motive.per_a_n / float(effective_mass_kg(motive.curve.bike_at(0.0)))
    count = round((delay_s + ramp_s + 1.0) / EARLY_STEP_S)

    def risen(at: float) -> float:
        return 1.0 if ramp_s <= 0 else min(max((at * EARLY_STEP_S - delay_s) / ramp_s, 0.0), 1.0)

    history = np.zeros((count + 1, len(spare)))
    for at in range(count):
        firsts = tuple(first if (at + one) * EARLY_STEP_S >= delay_s else -math.inf for one in (0, 1))
        now = history[at]
        slope = _gain(now, kmh, spare, motor, risen(at), firsts[0]) * 3.6
        ahead = _gain(np.maximum(now + slope * EARLY_STEP_S, 0.0), kmh, spare, motor, risen(at + 1), firsts[1]) * 3.6
        history[at + 1] = np.maximum(now + (slope + ahead) / 2 * EARLY_STEP_S, 0.0)
    return np.arange(count + 1, dtype=np.float64) * EARLY_STEP_S, history


def _onwards(times: Array, speeds: Array, kmh: Array, spare: Array, settles: float) -> tuple[Array, Array]:
    """A launch carried on from its early steps to 99 % of the speed that settles; ``spare`` (N a kg)."""
    beyond = np.append(kmh[(kmh > speeds[-1]) & (kmh < 0.99 * settles)], 0.99 * settles)
    if speeds[-1] >= beyond[-1]:
        return times, speeds
    at = np.append(speeds[-1], beyond)
    force = np.interp(at, kmh, spare)
    seconds = np.diff(at) / 3.6 * 2 / (force[:-1] + force[1:])
    return np.append(times, times[-1] + np.cumsum(seconds)), np.append(speeds, beyond)


def _gain(now: Array, kmh: Array, spare: Array, motor: Array, share: float, first: float) -> Array:
    """Spare acceleration (m/s²) of each level at its own speed, the motor's part only ``first`` and ``share`` of it; nothing
    before it starts, where ``first`` is minus infinity."""
    place = np.clip(now / kmh[1], 0.0, len(kmh) - 1.001)
    low = place.astype(int)
    part, rows = place - low, np.arange(len(now))
    whole: Array = spare[rows, low] + (spare[rows, low + 1] - spare[rows, low]) * part
    if share < 1 or first == -math.inf:
        pull = motor[rows, low] + (motor[rows, low + 1] - motor[rows, low]) * part
        whole = whole - np.maximum(pull - np.maximum(first + share * pull, 0.0), 0.0)
    return whole


def _settles(kmh: Array, spare: Array) -> float:
    """The first speed at which nothing is spare; 0 if it does not start."""
    short = np.flatnonzero(spare < 0)
    if short.size == 0:
        return float(kmh[-1])
    end = int(short[0])
    if end == 0:
        return 0.0
    share = spare[end - 1] / (spare[end - 1] - spare[end])
    return float(kmh[end - 1] + share * (kmh[end] - kmh[end - 1]))


def watts_to_full(motive: Motive, level: Level, cadence_rpm: float, speed_kmh: float) -> float:
    """The rider's watts that bring all a level may give at a cadence and a speed; infinite where no watts do, 0 where turning the pedals
    is enough."""
    if motive.assist.style == "cadence":
        return 0.0
    most = float(motive.full_n(level, speed_kmh))
    if most <= 0:
        return math.inf
    one_watt_nm = 60 / (2 * math.pi * cadence_rpm)
    ungated = replace(motive, assist=motive.assist.model_copy(update={"start_nm": 0.0}))
    # below the cut, force grows in proportion to the rider's watts
    small = 1e-3
    per_watt = float(ungated.force_n(level, small * one_watt_nm, cadence_rpm, speed_kmh)) / small
    return max(most / per_watt, motive.assist.start_nm / one_watt_nm) if per_watt > 0 else math.inf
