"""The speed sensor and the wheel: magnets a turn, and the circumference by roll-out or against GPS, with its confidence."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, doubtful, failed, passed
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.sensors import SpeedFrom

LEAST_KMH, LEAST_SAMPLES = 12.0, 30
SOURCES: tuple[SpeedFrom, ...] = get_args(SpeedFrom)
USUAL_M = (0.8, 2.6)


def judge_magnets(pulses: Array, turns: float, set_magnets: float) -> Judgement:
    """Magnets a wheel turn from a running pulse count ((n,)) over whole turns by hand, against what the controller believes."""
    count = int(np.sum(np.diff(pulses) % 65536))
    if count == 0:
        return failed("No pulse came", "Is the magnet on the spoke near the sensor?", magnets=0.0)
    per_turn = count / turns
    magnets = round(per_turn)
    figures = {"magnets": float(magnets), "source": float(SOURCES.index("wheel sensor"))}
    if magnets < 1 or abs(per_turn - magnets) > 0.15 * magnets:
        return doubtful(
            say("{per_turn} pulses a turn is no whole number", per_turn=quantity(per_turn, "", ".1f")),
            "Turn the wheel by whole turns, valve down to valve down.",
            **figures,
        )
    if magnets != round(set_magnets):
        return failed(
            say(
                "The wheel has {magnets}, set to {set_magnets}: shows {set_magnets_2} times the true speed",
                magnets=_magnets(magnets),
                set_magnets=quantity(set_magnets, "", ".0f"),
                set_magnets_2=quantity(magnets / set_magnets, "", ".2g"),
            ),
            say("Write {magnets} to the controller.", magnets=magnets),
            **figures,
        )
    return passed(say("{magnets} a turn, as set", magnets=_magnets(magnets)), **figures)


def judge_motor_pulses(pole_pairs: int, ratio: float, gears: int, freewheel: bool, set_pulses: float) -> Judgement:
    """Speed from the motor's own pulses: pole pairs times the gear ratio for each wheel turn, where one ratio holds and the motor turns
    along with the wheel."""
    if gears > 1:
        return failed(
            "The motor drives through gears: its pulses for a wheel turn differ in each", "Use a sensor at the wheel."
        )
    exact = pole_pairs * ratio
    pulses = max(round(exact), 1)
    figures = {"magnets": float(pulses), "source": float(SOURCES.index("motor pulses"))}
    told = say(
        "{pole_pairs} pole pairs × {ratio} = {exact} pulses a wheel turn",
        pole_pairs=pole_pairs,
        ratio=quantity(ratio, "", ".3g"),
        exact=quantity(exact, "", ".4g"),
    )
    if freewheel:
        return doubtful(
            say("{told}; behind the freewheel the motor stands while the bike coasts", told=told),
            "The speed then reads 0: a sensor at the wheel is better, above all for limits.",
            **figures,
        )
    if abs(exact / pulses - 1) > 0.005:
        off = quantity(100 * (pulses / exact - 1), "%", "+.1f")
        return doubtful(
            say("{told}, no whole number: the speed reads {off} off", told=told, off=off),
            "Set the wheel circumference so much larger or smaller.",
            **figures,
        )
    if pulses != round(set_pulses):
        return failed(
            say("{told}; set to {set_pulses}", told=told, set_pulses=quantity(set_pulses, "", ".0f")),
            say("Write {pulses} to the controller.", pulses=pulses),
            **figures,
        )
    return passed(say("{told}, as set", told=told), **figures)


def _magnets(count: int) -> str:
    return say("{count} magnet{count_2}", count=count, count_2="s" if count != 1 else "")


def judge_roll_out(distance_m: float, turns: float, believed_m: float) -> Judgement:
    """The circumference from a rolled distance; the tape is read to 5 mm, the valve's place to a hundredth of a turn."""
    if turns <= 0 or distance_m <= 0:
        return failed("Distance and turns must be above 0", "Roll it again.")
    rolled = distance_m / turns
    spread = rolled * math.hypot(0.005 / distance_m, 0.01 / turns)
    return _judged(rolled, spread, believed_m)


def judge_against_gps(wheel_kmh: Array, gps_kmh: Array, believed_m: float) -> Judgement:
    """The circumference from a ride ((n,), NaN allowed): GPS over indicated at speed, its median and the spread of that."""
    good = np.isfinite(wheel_kmh) & np.isfinite(gps_kmh) & (wheel_kmh > LEAST_KMH) & (gps_kmh > LEAST_KMH)
    if int(good.sum()) < LEAST_SAMPLES:
        return doubtful(
            say(
                "Only {good} moments above {least} with both speeds",
                good=int(good.sum()),
                least=quantity(LEAST_KMH, "km/h", ".0f"),
            ),
            "Ride a straight minute at speed.",
        )
    ratio = gps_kmh[good] / wheel_kmh[good]
    middle = float(np.median(ratio))
    scatter = 1.4826 * float(np.median(np.abs(ratio - middle)))
    # neighbouring GPS fixes err together: about one in five is news
    spread = believed_m * 1.253 * scatter / math.sqrt(max(1.0, good.sum() / 5))
    return _judged(believed_m * middle, max(spread, 0.001 * believed_m), believed_m)


def _judged(rolled_m: float, spread_m: float, believed_m: float) -> Judgement:
    figures = {"circumference_m": rolled_m, "spread_m": spread_m, "believed_m": believed_m}
    if not USUAL_M[0] <= rolled_m <= USUAL_M[1]:
        return failed(
            say("{rolled} is not a plausible wheel", rolled=quantity(rolled_m, "m", ".2f")),
            "Count the turns again, and the distance.",
            **figures,
        )
    if spread_m > 0.02 * rolled_m:
        return doubtful(
            say(
                "{rolled}, but only to ± {rolled_2}",
                rolled=quantity(rolled_m, "m", ".3f"),
                rolled_2=quantity(196 * spread_m / rolled_m, "%", ".0f"),
            ),
            "More turns, or a longer ride.",
            **figures,
        )
    off = rolled_m / believed_m - 1
    words = say(
        "{rolled} ± {spread}",
        rolled=quantity(1000 * rolled_m, "mm", ".0f", bare=True),
        spread=quantity(1960 * spread_m, "mm", ".0f"),
    )
    if abs(off) > 0.01:
        return doubtful(
            say(
                "{words}: the setting is {off} {off_2}",
                words=words,
                off=quantity(100 * abs(off), "%", ".1f"),
                off_2="less" if off > 0 else "more",
            ),
            "Save it to the bike.",
            **figures,
        )
    return passed(say("{words}, as set", words=words), **figures)
