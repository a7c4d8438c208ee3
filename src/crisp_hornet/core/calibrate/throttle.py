"""The throttle: its rest and full voltage, how well it returns to rest, and whether the controller reads it from 0 to 100 %."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, at_a_rail, doubtful, failed, passed, settled_levels

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
                f"The signal stayed near {np.median(volts):.2f} V: no twist was seen", "Twist it fully, three times."
            )
        return failed(
            f"It only moves from {low:.2f} to {high:.2f} V", "Check its 5 V and ground; a magnet in it may have come loose.",
            low_v=low, high_v=high)  # fmt: skip
    rest = _rest_level(volts, low, high)
    two_way = rest - low > 0.5 and high - rest > 0.5
    open_ = volts > rest + 0.75 * (high - rest)
    closed = np.abs(volts - rest) < 0.12 * (high - rest)
    fulls, rests = settled_levels(time_s, volts, open_), settled_levels(time_s, volts, closed)
    if len(fulls) < TWISTS or len(rests) < TWISTS:
        return doubtful(
            f"{len(fulls)} full twists and {len(rests)} rests were seen",
            f"Twist it fully and let go, at least {TWISTS} times.",
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
            f"Its range {rest_v:.2f} to {full_v:.2f} V touches the end of what a signal can be: a broken wire could not be told",
            "Leave 0.3 V at both ends: another throttle, or a resistor in its feed.", **figures)  # fmt: skip
    if noise_v > MOST_NOISE_V:
        return doubtful(
            f"It is noisy at rest: {1000 * noise_v:.0f} mV",
            "Route its lead away from the phases, and check its ground.",
            **figures,
        )
    if spread_v > MOST_SPREAD_V:
        return doubtful(
            f"It does not come back to the same rest: {1000 * spread_v:.0f} mV apart",
            "Free the grip, check its spring.",
            **figures,
        )
    kind = "two ways, " if two_way else ""
    return passed(f"{kind}{rest_v:.2f} V at rest, {full_v:.2f} V fully open, over {len(fulls)} twists", **figures)


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
        return doubtful("No full twist was seen", "Twist it fully, three times.", **figures)
    if least > 0.02 or most < 0.98:
        return failed(
            f"The controller reads {100 * least:.0f} to {100 * most:.0f} % instead of 0 to 100 %",
            "Write rest and full voltage to the controller, then look again.",
            **figures,
        )
    return passed("The controller reads 0 to 100 %", **figures)
