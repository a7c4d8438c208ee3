"""What each assist level gives: watts of the pack for watts of the rider, how late, how hard it pulls away, and how often it gave all."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate, around, clustered_fit, refused
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import slope
from crisp_hornet.core.ride.even import STEP_S, even
from crisp_hornet.core.rider.assist import Motive
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

LEAST_RPM, LEAST_W, CLOSED = 25.0, 20.0, 0.02
LEAST_S, BLOCK_S, WIDEST = 25.0, 8.0, 0.5
AWAY_KMH, AWAY_S, MOST_DELAY_S = 8.0, 6.0, 3.0
OVER_S, LEAST_GAIN_KMH = 0.8, 4.0
ALL, LEAST_MOST_W = 0.9, 30.0
NO_LEVEL = "the ride has no assist level, or the tune has no such one"


@dataclass(frozen=True)
class LevelSeen:
    """``watts_per_watt``: electric watts for a watt of the rider; ``delay_s`` from the first stroke to the motor's current;
    ``peak_mps2``, ``usual_most_mps2`` (what nine tenths of a start stay below) and ``most_jerk_mps3``: how it pulls away from below 8 km/h,
    the median of its starts; ``all_given``: the share of
    its pedalling in which the motor took at least nine tenths of what the level may take at that speed."""

    level: int
    seconds: float
    watts_per_watt: Estimate
    delay_s: Estimate
    peak_mps2: Estimate
    usual_most_mps2: Estimate
    most_jerk_mps3: Estimate
    all_given: Estimate

    @property
    def in_words(self) -> str:
        """In one line."""
        words = say("{in_words} for a watt of the rider", in_words=self.watts_per_watt.in_words(3))
        one = self.all_given.times(100)
        if one.known and one.high == 0:
            words += "; never all it may give"
        elif one.known:
            words += say(
                "; all it may give in {value} of the pedalling ({low} to {high})",
                value=quantity(one.value, "%", ".0f"),
                low=quantity(one.low, "", ".0f"),
                high=quantity(one.high, "", ".0f"),
            )
        if self.peak_mps2.known:
            words += say("; pulls away with up to {value}", value=quantity(self.peak_mps2.value, "m/s²", ".2f"))
        return words


def levels_seen(ride: Ride, bike: Bike, motive: Motive | None = None) -> tuple[LevelSeen, ...]:
    """Each level that was ridden on the pedals alone for some time, in order; level 0 where the ride does not tell its level.
    ``motive``: the tune's assist and full pull, by which a level's most is known."""
    needed = ("wheel_speed_kmh", "pack_v", "battery_a", "human_nm", "cadence_rpm")
    if not all(ride.has(name) for name in needed):
        return ()
    smooth = even(ride, (*needed, "throttle", "level", "brake"))
    speed, human = smooth.get("wheel_speed_kmh"), smooth.get("human_nm") * smooth.get("cadence_rpm") * 2 * np.pi / 60
    electric = smooth.get("pack_v") * smooth.get("battery_a") - bike.controller.idle_w
    with np.errstate(invalid="ignore"):
        alone = (
            (smooth.get("cadence_rpm") > LEAST_RPM) & ~(smooth.get("throttle") > CLOSED) & ~(smooth.get("brake") > 0)
        )
    level = np.round(np.nan_to_num(smooth.get("level")))
    gained = slope(smooth.time_s, np.nan_to_num(speed) / 3.6, OVER_S)
    return tuple(
        _level(int(one), smooth.time_s, alone & (level == one), human, electric, speed, gained, motive)
        for one in np.unique(level[alone]).tolist()
        if float((alone & (level == one)).sum()) * STEP_S >= LEAST_S
    )


def _level(
    number: int,
    time: Array,
    rides: NDArray[np.bool_],
    human: Array,
    electric: Array,
    speed: Array,
    gained: Array,
    motive: Motive | None,
) -> LevelSeen:
    with np.errstate(invalid="ignore"):
        pushed = rides & (human > LEAST_W) & np.isfinite(electric)
    fit = clustered_fit(human[pushed][:, None], electric[pushed], np.floor(time[pushed] / BLOCK_S))
    ratio = (
        refused("too few strokes on this level")
        if fit is None
        else around(float(fit.values[0]), fit.error(0), fit.freedom, "×")
    )
    if ratio.known and ratio.half_width > WIDEST * max(abs(ratio.value), 0.2):
        ratio = refused("the motor does not follow the rider's watts", "×")
    starts = _starts(time, rides, speed)
    peaks, usual, jerks, delays = [], [], [], []
    for at in starts:
        away = slice(at, at + round(AWAY_S / STEP_S))
        peaks.append(float(np.nanmax(gained[away])))
        usual.append(float(np.nanpercentile(gained[away], 90)))
        jerks.append(float(np.nanmax(np.diff(gained[away]))) / STEP_S)
        motor = np.flatnonzero(electric[at : at + round(MOST_DELAY_S / STEP_S)] > 30)
        if motor.size:
            delays.append(motor[0] * STEP_S)
    return LevelSeen(
        number,
        float(rides.sum()) * STEP_S,
        ratio,
        _median(delays, "s"),
        _median(peaks, "m/s²"),
        _median(usual, "m/s²"),
        _median(jerks, "m/s³"),
        _all_given(number, time[pushed], electric[pushed], speed[pushed], motive),
    )


def _all_given(number: int, time: Array, electric: Array, speed: Array, motive: Motive | None) -> Estimate:
    if motive is None or not 1 <= number <= len(motive.assist.levels):
        return refused(NO_LEVEL)
    wheel_w = motive.full_n(motive.assist.levels[number - 1], speed) * speed / 3.6
    efficiency = np.interp(speed, motive.curve.speed_kmh, motive.curve.efficiency)
    with np.errstate(invalid="ignore", divide="ignore"):
        most = wheel_w / efficiency
        helped = np.isfinite(most) & (most > LEAST_MOST_W)
    given = (electric[helped] >= ALL * most[helped]).astype(float)
    fit = clustered_fit(np.ones((len(given), 1)), given, np.floor(time[helped] / BLOCK_S))
    if fit is None:
        return refused("too few strokes on this level")
    found = around(float(fit.values[0]), fit.error(0), fit.freedom)
    return replace(found, low=max(found.low, 0.0), high=min(found.high, 1.0))


def _starts(time: Array, rides: NDArray[np.bool_], speed: Array) -> list[int]:
    """Rows at which the pedals begin to turn while the bike is slow."""
    begins = np.flatnonzero(rides & ~np.concatenate(([False], rides[:-1])))
    rows = round(AWAY_S / STEP_S)
    slow = [int(at) for at in begins if np.nan_to_num(speed[at]) < AWAY_KMH and at + rows < len(time)]
    return [at for at in slow if np.nan_to_num(speed[at + rows]) > np.nan_to_num(speed[at]) + LEAST_GAIN_KMH]


def _median(values: list[float], unit: str) -> Estimate:
    """The median of a few starts with its spread; fewer than three say nothing."""
    if len(values) < 3:
        return refused(say("{values} starts from slow on this level, three are needed", values=len(values)), unit)
    table = np.array(values)
    return around(
        float(np.median(table)), 1.25 * float(np.std(table, ddof=1)) / np.sqrt(len(table)), len(table) - 1, unit
    )
