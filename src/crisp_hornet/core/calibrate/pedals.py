"""The pedal sensor: pulses a turn, direction, missing pulses, and how soon pedalling is noticed."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, doubtful, failed, passed
from crisp_hornet.documents.saying import quantity, say

MISSING = 1.6  # an interval so many times its neighbours' lacks a pulse


def judge_pedals(time_s: Array, pulses: Array, forward: Array, turns: float) -> Judgement:
    """Judge a recording of ``turns`` whole, even turns of the crank forwards.

    ``pulses`` is the controller's running count (it may wrap at 65,536), ``forward`` 1 while it takes the turning for forwards;
    all (n,).
    """
    count = int(np.sum(np.diff(pulses) % 65536))
    if count == 0:
        return failed("No pulse came", "Is the disc of magnets near the sensor, and the plug in?", pulses=0.0)
    per_turn = count / turns
    whole = round(per_turn)
    figures = {"pulses_per_turn": float(whole), "pulses": float(count)}
    moving = np.flatnonzero(np.diff(pulses) % 65536 > 0)
    if float(np.mean(forward[moving])) < 0.5:
        return failed(
            "Forward pedalling reads as backward",
            "Turn the sensor or its disc round, or exchange its two signals.",
            **figures,
        )
    late = missing_share(time_s, pulses)
    if not math.isfinite(late):
        return doubtful(
            "Too fast to see whether a pulse is missing", "Turn the crank slowly: three seconds a turn.", **figures
        )
    figures["missing_share"] = late
    if late > 0.02:
        return failed(
            say("About {late} of the pulses are missing", late=quantity(100 * late, "%", ".0f")),
            "A magnet has fallen out of the disc, or the gap is too wide.",
            **figures,
        )
    if abs(per_turn - whole) > 0.06 * max(whole, 1) or whole < 1:
        return doubtful(
            say("{per_turn} pulses a turn is no whole number", per_turn=quantity(per_turn, "", ".1f")),
            "Count whole turns, from pedal down to pedal down.",
            **figures,
        )
    return passed(say("{whole} pulses a turn, none missing", whole=whole), **figures)


def missing_share(time_s: Array, pulses: Array) -> float:
    """The share of pulses that did not come, from the gaps between those that did at even turning; NaN where the samples are too
    far apart to tell a gap from the sampling."""
    steps = np.diff(pulses) % 65536
    times = np.repeat(time_s[1:], np.minimum(steps, 4).astype(int))
    gaps = np.diff(times)
    usual = float(np.median(gaps[gaps > 0])) if np.any(gaps > 0) else 0.0
    if usual < 1.9 * float(np.median(np.diff(time_s))):
        return float("nan")
    lost = np.sum(np.round(gaps[gaps > MISSING * usual] / usual) - 1)
    return float(lost / (len(times) + lost))


def recognised_after_s(time_s: Array, pulses: Array, cadence_rpm: Array) -> float | None:
    """Seconds from the first pulse to the first cadence the controller shows; None if it never did."""
    first, shown = np.flatnonzero(np.diff(pulses) % 65536 > 0), np.flatnonzero(cadence_rpm > 0)
    if first.size == 0 or shown.size == 0:
        return None
    return max(0.0, float(time_s[shown[0]] - time_s[first[0] + 1]))
