"""What tells that a sensor is wrong: each check looks at one channel beside the others."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import mechanical_speed
from crisp_hornet.core.evidence.heat_seen import course_predicted
from crisp_hornet.core.evidence.motor_seen import motor_seen
from crisp_hornet.core.evidence.zero_seen import battery_zero
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.core.ride.gps_delay import gps_shift, moved
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.channels import UNITS, long_name
from crisp_hornet.documents.saying import Place, quantity, say
from crisp_hornet.documents.tune import Tune

LIMITED = {
    "battery_a": "drive.battery_current_a",
    "phase_a": "drive.phase_current_a",
    "wheel_speed_kmh": "drive.speed_kmh",
}
AT_LIMIT = 0.95
STANDS_S, DEAD_S, RIDDEN_KMH = 20.0, 3.0, 8.0
WARMS_K, FOLLOWS = 12.0, 0.15  # what a winding should have warmed by; the share of it that a stuck sensor shows at most
COLDEST_C, HOTTEST_C, SPIKE_K, SPIKES = -40.0, 220.0, 8.0, 0.002
PEDALS_RPM, PEDALS_S, FELT_NM = 30.0, 30.0, 1.0
MOST_PARTS, NEAR, COUNTED_OFF = (
    6,
    0.03,
    0.12,
)  # of a ratio n/m; how near it must lie; by how much a speed must be off at all
MOST_BY_EMF, NEAR_BY_EMF = 3, 0.08  # a motor's constant is known less well than GPS
STEADY_S, WINDOWS, SAME = 20.0, 6, 0.05


@dataclass(frozen=True)
class Doubt:
    """A channel that cannot be trusted: the finding's ``id``, ``why`` in a few words, from when to when (s), and what the finding's wording
    needs besides."""

    channel: str
    id: str
    why: str
    span: tuple[float | None, float | None] = (None, None)
    places: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Looked:
    """What is looked at: the ride as it was recorded, on the even clock without what was doubted before, its bike and its tune."""

    log: Ride
    smooth: Ride
    bike: Bike
    tune: Tune


Check = Callable[[Looked], Doubt | None]


def _called(channel: str) -> str:
    """A channel's name at the beginning of a sentence."""
    return {"wheel_speed_kmh": "Wheel speed", "gps_speed_kmh": "GPS speed"}.get(
        channel, long_name(channel).capitalize()
    )


def _longest(where: NDArray[np.bool_], time_s: Array, least_s: float) -> tuple[float, float] | None:
    edges = np.flatnonzero(np.diff(np.concatenate(([0], where.astype(int), [0]))))
    if not edges.size:
        return None
    at = int(np.argmax(edges[1::2] - edges[::2]))
    first, last = int(edges[::2][at]), int(edges[1::2][at]) - 1
    return (float(time_s[first]), float(time_s[last])) if (last - first) * STEP_S >= least_s else None


def _stands(values: Array) -> NDArray[np.bool_]:
    """Where a channel (n,) shows the same figure, not nothing, through a whole window about the row."""
    half = round(STANDS_S / STEP_S / 2)
    same = np.concatenate(([False], np.abs(np.diff(values)) < 1e-9)) & (np.abs(values) > 1e-9)
    found: NDArray[np.bool_] = moving_mean(same.astype(float), 2 * half + 1) > 0.999
    return found


def _ever_stands(values: Array) -> bool:
    """Whether a channel (n,) shows the same figure, not nothing, for a whole window anywhere: quickly told for those that do not."""
    moves = np.flatnonzero(~((np.abs(np.diff(values)) < 1e-9) & (np.abs(values[1:]) > 1e-9)))
    gaps = np.diff(np.concatenate(([-1], moves, [len(values) - 1])))
    return bool(gaps.max(initial=0) > round(STANDS_S / STEP_S))


def _moves(values: Array, by: float) -> NDArray[np.bool_]:
    """Where a channel (n,) spans so much within a window about the row: its standard deviation there is a quarter of it."""
    rows = 2 * round(STANDS_S / STEP_S / 2) + 1
    filled = np.nan_to_num(values, nan=float(np.nanmean(values)) if np.isfinite(values).any() else 0.0)
    spread = np.sqrt(np.maximum(moving_mean(filled**2, rows) - moving_mean(filled, rows) ** 2, 0.0))
    found: NDArray[np.bool_] = spread > by / 4
    return found


def _stuck(channel: str, partner: str, by: float) -> Check:
    def check(looked: Looked) -> Doubt | None:
        smooth = looked.smooth
        if not (smooth.has(channel) and smooth.has(partner)):
            return None
        if not _ever_stands(smooth.get(channel)):
            return None
        limit = looked.tune.setting(LIMITED[channel]) if channel in LIMITED else None
        with np.errstate(invalid="ignore"):
            held = smooth.get(channel) > AT_LIMIT * (limit or np.inf)  # there it may well stand still
        stands = _stands(smooth.get(channel)) & ~held
        span = _longest(stands & _moves(smooth.get(partner), by), smooth.time_s, 2.0)
        if span is None:
            return None
        at = smooth.get(channel)[round(span[0] / STEP_S)]
        places: dict[str, Place] = {
            "channel": _called(channel), "partner": long_name(partner), "value": quantity(float(at), UNITS[channel], ".1f")
        }  # fmt: skip
        return Doubt(channel, "sensor-stuck", "it stands still while all else moves", span, places)

    return check


def _dead(channel: str, least: float, works: Callable[[Ride], NDArray[np.bool_]], meanwhile: str) -> Check:
    """A channel that shows nothing all through the times in which something else says that it should."""

    def check(looked: Looked) -> Doubt | None:
        smooth = looked.smooth
        if not smooth.has(channel):
            return None
        values, rows = smooth.get(channel), works(smooth)
        rows = rows & np.isfinite(values)
        if rows.sum() * STEP_S < DEAD_S or float(np.percentile(np.abs(values[rows]), 95)) >= least:
            return None
        span = _longest(rows, smooth.time_s, 0.0) or (None, None)
        places = {"channel": _called(channel), "meanwhile": meanwhile}
        return Doubt(channel, "sensor-dead", "it shows nothing", span, places)

    return check


def _phases_work(ride: Ride) -> NDArray[np.bool_]:
    with np.errstate(invalid="ignore"):
        found: NDArray[np.bool_] = ride.get("phase_a") > 25
    return found


def _pulls(ride: Ride) -> NDArray[np.bool_]:
    """Where the motor surely drives hard: an open throttle that the bike answers."""
    speed = ride.get("wheel_speed_kmh") if ride.has("wheel_speed_kmh") else ride.get("gps_speed_kmh")
    with np.errstate(invalid="ignore"):
        gains = np.gradient(moving_mean(speed, 9) / 3.6, STEP_S)
        full = moving_mean((ride.get("throttle") > 0.6).astype(float), 5) > 0.999
        found: NDArray[np.bool_] = full & (gains > np.where(ride.get("human_nm") > 5, 0.8, 0.3))
    return found


def _draws(ride: Ride) -> NDArray[np.bool_]:
    with np.errstate(invalid="ignore"):
        found: NDArray[np.bool_] = ride.get("battery_a") > 8
    return found


def _rolls(ride: Ride) -> NDArray[np.bool_]:
    with np.errstate(invalid="ignore"):
        found: NDArray[np.bool_] = moving_mean(ride.get("gps_speed_kmh"), 25) > RIDDEN_KMH
    return found


def _turns(ride: Ride) -> NDArray[np.bool_]:
    """Where the wheel turns fast for so long that GPS must have seen it."""
    found: NDArray[np.bool_] = np.nan_to_num(moving_mean(ride.get("wheel_speed_kmh"), 150)) > 3 * RIDDEN_KMH
    return found


def _pedals(ride: Ride) -> NDArray[np.bool_]:
    with np.errstate(invalid="ignore"):
        found: NDArray[np.bool_] = ride.get("cadence_rpm") > PEDALS_RPM
    return found if found.sum() * STEP_S >= PEDALS_S else np.zeros(len(ride), bool)


def _heated(channel: str) -> Check:
    """A temperature that no winding has, that jumps, or that stands where the currents must have warmed it."""

    def check(looked: Looked) -> Doubt | None:
        log, smooth, bike = looked.log, looked.smooth, looked.bike
        if not smooth.has(channel):
            return None
        values = smooth.get(channel)
        good = np.isfinite(values)
        names = {"channel": _called(channel)}
        away = good & ((values < COLDEST_C) | (values > HOTTEST_C))
        if away.sum() * STEP_S > 1.0:
            at = float(smooth.time_s[int(np.argmax(away))])
            shown = quantity(float(values[int(np.argmax(away))]), "°C", ".0f")
            return Doubt(channel, "sensor-open", "it shows what cannot be", (at, at), names | {"value": shown})
        with np.errstate(invalid="ignore"):
            leaps = np.flatnonzero(np.abs(np.diff(log.get(channel))) > SPIKE_K)
        if leaps.size >= 6 and leaps.size > SPIKES * len(log):
            at = float(log.time_s[leaps[0]])
            many = quantity(float(leaps.size), "", ".0f")
            return Doubt(channel, "sensor-spikes", "it leaps", (at, at), names | {"many": many})
        if channel != "motor_c":
            return None
        should = course_predicted(smooth, bike, float(values[good][0]))
        if should is None:
            return None
        warms = float(np.ptp(should))
        if warms < WARMS_K or float(np.ptp(values[good])) > max(FOLLOWS * warms, 1.0):
            return None
        places = names | {
            "should": quantity(warms, "K", ".0f"),
            "value": quantity(float(np.median(values[good])), "°C", ".0f"),
        }
        return Doubt(channel, "heat-stuck", "it stands still while the motor heats", (None, None), places)

    return check


def _zero(looked: Looked) -> Doubt | None:
    smooth, bike = looked.smooth, looked.bike
    zero = battery_zero(smooth, bike)
    if not zero.contradicts:
        return None
    places = {"value": quantity(zero.seen_a.value, "A", "+.1f")}
    return Doubt("battery_a", "battery-zero", say("{value} at rest", **places), (None, None), places)


def counts(seen: float, most: int = MOST_PARTS, nearer: float = NEAR) -> Fraction | None:
    """The fraction of small numbers that a ratio of speeds is, where it lies near one and is no 1: what is told by another count of
    magnets or pole pairs. None where it is no such ratio."""
    if abs(seen - 1) < COUNTED_OFF:
        return None
    tried = {Fraction(n, m) for n in range(1, most + 1) for m in range(1, most + 1)}
    near = min(tried, key=lambda one: abs(math.log(seen / float(one))))
    return near if near != 1 and abs(seen / float(near) - 1) < nearer else None


def _pulses(looked: Looked) -> Doubt | None:
    """The wheel's speed against GPS: a ratio near n/m, the same all through, is a wrong count and no wheel."""
    smooth, bike = looked.smooth, looked.bike
    if not (smooth.has("wheel_speed_kmh") and smooth.has("gps_speed_kmh")):
        return None
    wheel, ground = smooth.get("wheel_speed_kmh"), smooth.get("gps_speed_kmh")
    ground = moved(ground, gps_shift(wheel, ground, STEP_S))
    rows = round(STEADY_S / STEP_S)
    count = len(wheel) // rows
    if count < WINDOWS:
        return None
    w, g = (np.nan_to_num(one[: count * rows]).reshape(count, rows).mean(axis=1) for one in (wheel, ground))
    fit = (w > 3.0) & (g > 6.0)
    if fit.sum() < WINDOWS:
        return None
    ratios = g[fit] / w[fit]
    seen = float(np.median(ratios))
    if float(np.median(np.abs(ratios / seen - 1))) > SAME:
        return None
    told = counts(seen)
    return None if told is None else _miscounted("wheel_speed_kmh", told, bike, "GPS says")


def _pulses_by_motor(looked: Looked) -> Doubt | None:
    """The same without GPS: by the motor's own speed, or by its back-EMF, whose constant the document tells."""
    smooth, bike = looked.smooth, looked.bike
    if smooth.has("gps_speed_kmh") or bike.drivetrain.gears or not smooth.has("wheel_speed_kmh"):
        return None
    flux = motor_seen(smooth, bike).flux_linkage_wb
    by_emf = counts(flux.value / bike.motor.flux_linkage_wb, MOST_BY_EMF, NEAR_BY_EMF) if flux.known else None
    if not smooth.has("motor_rpm") or bike.drivetrain.freewheel:
        return None if by_emf is None else _miscounted("wheel_speed_kmh", by_emf, bike, "The motor's back-EMF says")
    wheel = mechanical_speed(bike, smooth.get("wheel_speed_kmh")) * 30 / math.pi
    with np.errstate(invalid="ignore"):
        turns = (wheel > 30) & (smooth.get("motor_rpm") > 30)
    if turns.sum() * STEP_S < STEADY_S:
        return None
    told = counts(float(np.median(smooth.get("motor_rpm")[turns] / wheel[turns])))
    if told is None:
        return None
    if by_emf is not None:  # the motor's speed does not go with its back-EMF: it is the one that is wrong
        return _miscounted("motor_rpm", by_emf, bike, "The motor's back-EMF says")
    return _miscounted("wheel_speed_kmh", told, bike, "The motor's own speed says")


def _miscounted(channel: str, told: Fraction, bike: Bike, by: str) -> Doubt:
    """How many times the true speed is shown, and which count would be right, where the bike says what it counts."""
    what = "motor speed" if channel == "motor_rpm" else "speed"
    places = {"what": what, "by": by} | _right_count(channel, told, bike)
    return Doubt(channel, "speed-counted", "it counts with a wrong number of pulses", (None, None), places)


def _right_count(channel: str, told: Fraction, bike: Bike) -> dict[str, Place]:
    shown = quantity(float(1 / told), "", ".2g")
    sensors = bike.sensors
    if channel == "motor_rpm" or sensors.speed_from == "motor pulses":
        now, what = Fraction(bike.motor.pole_pairs), "pole pairs"
    elif sensors.speed_magnets:
        now, what = Fraction(sensors.speed_magnets), "pulses a wheel turn"
    else:
        return {
            "times": shown,
            "right": say(
                "Set {factor} times the pulses a turn that it is told.", factor=quantity(float(1 / told), "", ".3g")
            ),
        }
    right = now / told
    exact = quantity(float(right), "", ".0f" if right.denominator == 1 else ".2f")
    return {
        "times": shown,
        "right": say(
            "Set {right} {what} instead of {now}.", right=exact, what=what, now=quantity(float(now), "", ".0f")
        ),
    }


CHECKS: list[Check] = [
    _dead("gps_speed_kmh", 0.5, _turns, "the wheel turns"),
    _stuck("gps_speed_kmh", "wheel_speed_kmh", 12.0),
    _dead("wheel_speed_kmh", 0.5, _rolls, "GPS shows that it rolls"),
    _stuck("wheel_speed_kmh", "gps_speed_kmh", 12.0),
    _pulses,
    _dead("battery_a", 0.5, _pulls, "the motor pulls"),
    _dead("battery_a", 0.5, _phases_work, "the motor pulls"),
    _stuck("battery_a", "pack_v", 1.5),
    _stuck("battery_a", "throttle", 0.3),  # not the phase current: at a limit it moves alone
    _stuck("pack_v", "battery_a", 12.0),
    _dead("phase_a", 1.0, _draws, "the pack gives current"),
    _stuck("phase_a", "battery_a", 12.0),
    _zero,
    _pulses_by_motor,
    _dead("human_nm", FELT_NM, _pedals, "the pedals turn"),
    _heated("motor_c"),
    _heated("controller_c"),
]  # fmt: skip
