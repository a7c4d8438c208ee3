"""The judgement of one sensor: passed, doubtful or failed, why, and what to look at next."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.saying import quantity, say

RAIL_LOW_V, RAIL_HIGH_V = 0.15, 4.85  # of a sensor fed with 5 V: beyond these no sound one ever is


class Verdict(Enum):
    """How a sensor did."""

    PASSED = "passed"
    DOUBTFUL = "doubtful"
    FAILED = "failed"


@dataclass(frozen=True)
class Judgement:
    """``figures`` are what was found, by name with unit; ``next`` is the next thing to check, "" when all is well."""

    verdict: Verdict
    reason: str
    next: str = ""
    figures: dict[str, float] = field(default_factory=dict)


def failed(reason: str, next_: str, **figures: float) -> Judgement:
    """A sensor that cannot be used as it is."""
    return Judgement(Verdict.FAILED, reason, next_, figures)


def doubtful(reason: str, next_: str, **figures: float) -> Judgement:
    """A sensor that may do, or a recording that says too little."""
    return Judgement(Verdict.DOUBTFUL, reason, next_, figures)


def passed(reason: str, **figures: float) -> Judgement:
    """A sound sensor."""
    return Judgement(Verdict.PASSED, reason, "", figures)


def at_a_rail(volts: Array, what: str) -> Judgement | None:
    """A signal that stands at the end of its range: broken, shorted or not fed. None where it does not."""
    middle = float(np.median(volts))
    if float(np.ptp(volts)) > 0.3:
        return None
    if middle < RAIL_LOW_V:
        return failed(
            say(
                "The {what}'s signal is stuck at {middle}: its signal wire is broken or shorted to ground, "
                "or it has no 5 V",
                what=what,
                middle=quantity(middle, "V", ".2f"),
            ),
            "Measure 5 V and the signal at the plug; then follow the wire.",
            signal_v=middle,
        )
    if middle > RAIL_HIGH_V:
        return failed(
            say(
                "The {what}'s signal is stuck at {middle}: its ground is missing or the signal is shorted to the supply",
                what=what,
                middle=quantity(middle, "V", ".2f"),
            ),
            "Check the ground wire at the plug; then for wires that touch.",
            signal_v=middle,
        )
    return None


def settled_levels(time_s: Array, volts: Array, above: NDArray[np.bool_], least_s: float = 0.25) -> list[float]:
    """The median of every stretch of at least ``least_s`` during which ``above`` (boolean, (n,)) holds; the edges, where the hand
    still moves, are left out."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], above.astype(int), [0]))))
    levels = []
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        if time_s[end - 1] - time_s[start] >= least_s:
            margin = max(1, (end - start) // 5)
            levels.append(
                float(np.median(volts[start + margin : end - margin] if end - start > 2 * margin else volts[start:end]))
            )
    return levels
