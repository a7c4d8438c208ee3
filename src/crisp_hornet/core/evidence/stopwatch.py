"""What a stopwatch tells: a measured stretch both ways, or the time from one speed to another, from the words written down.

A hand starts and stops a watch to about a tenth of a second each (one standard deviation). A stretch ridden both ways has wind and slope
taken out to first order; the mean is that of the speeds. Both are taken to be ridden at full throttle.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.road.performance import launch_time_s, steady_speed_kmh
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import KM_PER_MILE

HAND_S, MANY = 0.15, 30.0  # of start and stop together; degrees of freedom of a hand that is known
FIGURE = r"\d{1,6}(?:[.,]\d{1,6})?"
TIMES = rf"((?:{FIGURE}\s*s(?:\s*(?:,|and)\s*)?){{1,50}})"
STRETCH = re.compile(rf"(?<!\d)({FIGURE})\s*m\s+in\s+{TIMES}", re.IGNORECASE)
LAUNCH = re.compile(rf"(?<!\d)(\d{{1,4}})\s*(?:to|-)\s*(\d{{1,4}})\s*(km/h|mph)\s+in\s+{TIMES}", re.IGNORECASE)
MOST_WORDS = 4000
MOST_S, MOST_M = 3600.0, 20_000.0


@dataclass(frozen=True)
class Timed:
    """What was timed, what it gave, and what is predicted (NaN without a prediction). ``slower``: a greater figure is the worse one."""

    what: str
    seen: Estimate
    predicted: float
    slower: bool

    @property
    def in_words(self) -> str:
        """In one line."""
        told = (
            say(", {predicted} predicted", predicted=quantity(self.predicted, self.seen.unit, ".1f"))
            if math.isfinite(self.predicted)
            else ""
        )
        return say("{what}: {seen}{predicted}", what=self.what, seen=self.seen.in_words(3), predicted=told)

    @property
    def worse(self) -> bool:
        """Whether it is surely worse than predicted."""
        if not (self.seen.known and math.isfinite(self.predicted)):
            return False
        return self.seen.low > self.predicted if self.slower else self.seen.high < self.predicted


def timed(words: str, curve: PullCurve | None) -> tuple[Timed, ...]:
    """Everything in the words that is a time: ``100 m in 9.8 s and 10.4 s``, ``0 to 25 km/h in 6.2 s, 6.0 s``."""
    words = words[:MOST_WORDS]
    return (
        *(_launch(found, curve) for found in LAUNCH.finditer(words)),
        *(_stretch(found, curve) for found in STRETCH.finditer(words)),
    )


def _seconds(words: str) -> list[float]:
    return [float(one.replace(",", ".")) for one in re.findall(rf"({FIGURE})\s*s", words)]


def _mean(values: np.ndarray, hand: float, unit: str) -> Estimate:
    """The mean of several, each with the error of the hand; where they differ by more than that, that counts."""
    error = hand / math.sqrt(len(values))
    if len(values) < 3:
        return around(float(values.mean()), error, MANY, unit)
    spread = float(values.std(ddof=1)) / math.sqrt(len(values))
    return around(float(values.mean()), max(error, spread), MANY if error >= spread else len(values) - 1, unit)


def _launch(found: re.Match[str], curve: PullCurve | None) -> Timed:
    low, high = float(found[1]), float(found[2])
    what, factor = (
        say("{found} to {found_2} {found_3} by stopwatch", found=found[1], found_2=found[2], found_3=found[3].lower()),
        KM_PER_MILE if found[3].lower() == "mph" else 1.0,
    )
    times = np.array([second for second in _seconds(found[4]) if 0 < second < MOST_S])
    if not high > low or not times.size:
        return Timed(
            what, refused("the second speed must be above the first, and the time above nothing", "s"), math.nan, True
        )
    predicted = math.nan
    if curve is not None:
        before = launch_time_s(curve, low * factor) if low > 0 else 0.0
        predicted = launch_time_s(curve, high * factor) - before
    return Timed(what, _mean(times, HAND_S, "s"), predicted if math.isfinite(predicted) else math.nan, True)


def _stretch(found: re.Match[str], curve: PullCurve | None) -> Timed:
    metres, times = (
        float(found[1].replace(",", ".")),
        np.array([second for second in _seconds(found[2]) if 0 < second < MOST_S]),
    )
    what = say("top speed over {found} m by stopwatch, both ways", found=found[1])
    if len(times) < 2 or len(times) % 2 or not 0 < metres <= MOST_M:
        return Timed(
            what,
            refused("one way only: wind and slope are in it; time it both ways, equally often", "km/h"),
            math.nan,
            False,
        )
    speeds = 3.6 * metres / times
    both = speeds.reshape(-1, 2).mean(axis=1)  # there and back
    hand = float(np.mean(speeds / times)) * HAND_S / math.sqrt(2)
    return Timed(
        what, _mean(both, hand, "km/h"), steady_speed_kmh(curve, 0.0) if curve is not None else math.nan, False
    )
