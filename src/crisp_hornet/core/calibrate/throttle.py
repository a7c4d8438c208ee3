"""The throttle: its rest and full voltage, how well it returns to rest, and whether the controller reads it from 0 to 100 %."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, at_a_rail, doubtful, failed, passed, settled_levels
from crisp_hornet.documents.saying import counted, quantity, say

TWISTS = 3
LEAST_SPAN_V = 1.0
MOST_NOISE_V, MOST_SPREAD_V = 0.04, 0.08
BUMPS = 3.0  # a dead band of so many times noise and spread keeps bumps from opening it


def judge_throttle(time_s: Array, volts: Array) -> Judgement:
    """Judge a recording of several twists from rest to the stop and back (both (n,)).

    Rest and full are the levels the signal settles at; the dead band is what noise and the spread of the rests ask for.
    """
    if (rail := at_a_rail(volts, "throttle")) is not None:
        return rail
    low, high = float(np.quantile(volts, 0.02)), float(np.quantile(volts, 0.98))
    if high - low < LEAST_SPAN_V:
        if high - low < 0.3:
            return doubtful(
                say(
                    "The signal stayed near {volts}: no movement was seen", volts=quantity(np.median(volts), "V", ".2f")
                ),
                "Open it fully, three times.",
            )
        return failed(
            say(
                "It only moves from {low} to {high}",
                low=quantity(low, "V", ".2f", bare=True),
                high=quantity(high, "V", ".2f"),
            ),
            "Check its 5 V and ground; a magnet in it may have come loose.",
            low_v=low,
            high_v=high,
        )
    rest = _rest_level(volts, low, high)
    two_way = rest - low > 0.5 and high - rest > 0.5
    open_ = volts > rest + 0.75 * (high - rest)
    closed = np.abs(volts - rest) < 0.12 * (high - rest)
    fulls, rests = settled_levels(time_s, volts, open_), settled_levels(time_s, volts, closed)
    if len(fulls) < TWISTS or len(rests) < TWISTS:
        return doubtful(
            f"{counted(len(fulls), 'full opening')} and {counted(len(rests), 'rest')} were seen",
            say("Open it fully and release it, at least {twists} times.", twists=TWISTS),
        )
    rest_v, full_v = float(np.median(rests)), float(np.median(fulls))
    noise_v = float(np.median(np.abs(np.diff(volts[closed])))) / 0.954  # of a normal spread, from differences
    spread_v = max(rests) - min(rests)
    figures = {
        "rest_v": rest_v,
        "full_v": full_v,
        "dead_band_v": BUMPS * (noise_v + spread_v),
        "noise_v": noise_v,
        "spread_v": spread_v,
        "two_way": float(two_way),
    }
    if two_way:
        figures["least_v"] = low
    if full_v > RAIL_OPEN_V or rest_v < RAIL_REST_V:
        return doubtful(
            say(
                "Its range {rest} to {full} reaches the signal's end: a broken wire would go unnoticed",
                rest=quantity(rest_v, "V", ".2f", bare=True),
                full=quantity(full_v, "V", ".2f"),
            ),
            "Leave 0.3 V at both ends: another throttle, or a resistor in its feed.",
            **figures,
        )
    if noise_v > MOST_NOISE_V:
        return doubtful(
            say("It is noisy at rest: {noise} mV", noise=quantity(1000 * noise_v, "", ".0f")),
            "Route its lead away from the phases, and check its ground.",
            **figures,
        )
    if spread_v > MOST_SPREAD_V:
        return doubtful(
            say(
                "It does not come back to the same rest: {spread} mV apart", spread=quantity(1000 * spread_v, "", ".0f")
            ),
            "Free the grip, check its spring.",
            **figures,
        )
    kind = "two ways, " if two_way else ""
    return passed(
        say(
            "{kind}{rest} at rest, {full} fully open, over {fulls} openings",
            kind=kind,
            rest=quantity(rest_v, "V", ".2f"),
            full=quantity(full_v, "V", ".2f"),
            fulls=len(fulls),
        ),
        **figures,
    )


RAIL_REST_V, RAIL_OPEN_V = 0.3, 4.7


def _rest_level(volts: Array, low: float, high: float) -> float:
    """The level at which it lingers most outside the full stop: the fullest of 40 bins below nine tenths of the way up."""
    counts, edges = np.histogram(volts, bins=40, range=(low, high))
    below = edges[:-1] < low + 0.85 * (high - low)
    best = int(np.argmax(np.where(below, counts, 0)))
    return float((edges[best] + edges[best + 1]) / 2)


def judge_output(throttle: Array) -> Judgement:
    """Whether the controller reads 0 to 100 % over full twists (``throttle`` 0 to 1, (n,))."""
    least, most = float(np.quantile(throttle, 0.02)), float(np.quantile(throttle, 0.98))
    figures = {"least": least, "most": most}
    if most - least < 0.3:
        return doubtful("Full throttle was not reached", "Open it fully, three times.", **figures)
    if least > 0.02 or most < 0.98:
        return failed(
            say(
                "The controller reads {least} to {most} instead of 0 to 100 %",
                least=quantity(100 * least, "", ".0f"),
                most=quantity(100 * most, "%", ".0f"),
            ),
            "Write rest and full voltage to the controller, then look again.",
            **figures,
        )
    return passed("The controller reads 0 to 100 %", **figures)
