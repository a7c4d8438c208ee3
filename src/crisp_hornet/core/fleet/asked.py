"""What is asked of all bikes at once, each answer with its interval and its number of cases.

Few cases give wide intervals, and too few none: shares by Wilson's score interval (E. B. Wilson, *JASA* 22, 1927), means by Student's t,
trends by the Theil-Sen line (P. K. Sen, *JASA* 63, 1968), which a few odd rides do not turn.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from crisp_hornet.core.pack.cells import cold_factor

Z = 1.959964
FEWEST_MEAN, FEWEST_TREND, LEAST_DAYS, YEAR_S = 3, 6, 30.0, 365.25 * 86_400.0
LOADS_KG = (5.0, 20.0)  # where a little becomes some load, and some a heavy one
LEAST_KM = 1.0


@dataclass(frozen=True)
class Summary:
    """What one ride comes to. ``step_ohm``: how far the pack's voltage falls at once with the current; comparable only among rides of one
    bike that were logged alike. ``faults``: codes that stood. ``started_s``: when it was ridden (s since 1970). None: the log does
    not say."""

    seconds: float
    km: float | None = None
    wh: float | None = None
    step_ohm: float | None = None
    lowest_v: float | None = None
    hottest_motor_c: float | None = None
    hottest_controller_c: float | None = None
    started_s: float | None = None
    faults: tuple[int, ...] = ()

    @property
    def wh_per_km(self) -> float | None:
        """Consumption, of rides that are long enough to have one."""
        return self.wh / self.km if self.wh is not None and self.km is not None and self.km >= LEAST_KM else None


@dataclass(frozen=True)
class Case:
    """A ride and what was on the bike. ``derates_from_c``: of the tune; None where it is not known."""

    bike: str
    kind: str
    pack: str
    controller: str
    tune: str
    at: datetime
    summary: Summary
    load_kg: float | None = None
    air_c: float | None = None
    derates_from_c: float | None = None


@dataclass(frozen=True)
class Told:
    """One line of an answer: of what, the value with its 95 % interval (None: too few cases, ``why``), and of how many ``cases``."""

    of: str
    cases: int
    value: float | None = None
    low: float | None = None
    high: float | None = None
    why: str = ""
    beside: str = ""


def share(of: str, hits: int, cases: int, beside: str = "") -> Told:
    """A share of cases."""
    if not cases:
        return Told(of, 0, why="no case")
    p, n = hits / cases, cases
    middle, reach = p + Z * Z / (2 * n), Z * math.sqrt(p * (1 - p) / n + Z * Z / (4 * n * n))
    low, high = ((middle + side * reach) / (1 + Z * Z / n) for side in (-1, 1))
    return Told(of, cases, p, min(max(low, 0.0), p), max(min(high, 1.0), p), beside=beside)


def mean(of: str, values: Sequence[float], beside: str = "") -> Told:
    """A mean of cases."""
    from scipy.special import stdtrit  # here, as below: their import would slow what only passes by

    n = len(values)
    if n < FEWEST_MEAN:
        return Told(of, n, why=f"fewer than {FEWEST_MEAN} rides", beside=beside)
    reach = float(stdtrit(n - 1, 0.975)) * float(np.std(values, ddof=1)) / math.sqrt(n)
    middle = float(np.mean(values))
    return Told(of, n, middle, middle - reach, middle + reach, beside=beside)


def yearly(of: str, at: Sequence[datetime], values: Sequence[float], beside: str = "") -> Told:
    """By which share of its value in the middle a figure rises in a year."""
    from scipy.stats import theilslopes

    if len(values) < FEWEST_TREND:
        return Told(of, len(values), why=f"fewer than {FEWEST_TREND} rides", beside=beside)
    seconds = np.array([one.timestamp() for one in at])
    if np.ptp(seconds) < LEAST_DAYS * 86_400:
        return Told(of, len(values), why=f"less than {LEAST_DAYS:.0f} days", beside=beside)
    slope, _, low, high = theilslopes(values, seconds, alpha=0.95)
    scale = YEAR_S / float(np.median(values))
    return Told(of, len(values), float(slope) * scale, float(low) * scale, float(high) * scale, beside=beside)


# --- the questions ----------------------------------------------------------------------------------------------


def ageing(cases: Iterable[Case]) -> list[Told]:
    """By how much each pack's step resistance rises in a year, brought to 25 °C where the air was noted; the fastest first."""
    found = []
    for (bike, pack), group in _by(cases, lambda one: (one.bike, one.pack)).items():
        told = [one for one in group if one.summary.step_ohm]
        warm = [one for one in told if one.air_c is not None]
        counted = warm if len(warm) >= FEWEST_TREND else told
        ohms = [
            one.summary.step_ohm / (cold_factor(one.air_c) if counted is warm and one.air_c is not None else 1.0)
            for one in counted
            if one.summary.step_ohm
        ]
        found.append(
            yearly(f"{bike}, {pack}", [one.at for one in counted], ohms, "" if counted is warm else "air not noted")
        )
    return _greatest_first(found)


def running_hot(cases: Iterable[Case]) -> list[Told]:
    """On which share of its rides each tune brought the motor to where derating starts; the hottest first."""
    found = []
    for (bike, tune), group in _by(cases, lambda one: (one.bike, one.tune)).items():
        told = [
            (one.summary.hottest_motor_c, one.derates_from_c)
            for one in group
            if one.summary.hottest_motor_c is not None and one.derates_from_c is not None
        ]
        hot = sum(motor_c >= from_c for motor_c, from_c in told)
        found.append(share(f"{bike}, {tune}", hot, len(told)))
    return _greatest_first([one for one in found if one.cases])


def shared_faults(cases: Iterable[Case]) -> list[Told]:
    """On which share of the rides of a controller's type a fault stood, and on how many bikes; the most bikes first."""
    found: list[tuple[int, Told]] = []
    for (controller,), group in _by(cases, lambda one: (one.controller,)).items():
        for code in sorted({code for one in group for code in one.summary.faults}):
            struck = [one for one in group if code in one.summary.faults]
            bikes = sorted({one.bike for one in struck})
            of_all = len({one.bike for one in group})
            words = f"{len(bikes)} of {of_all} bikes: {', '.join(bikes)}"
            found.append((len(bikes), share(f"{controller}, fault {code}", len(struck), len(group), words)))
    return [told for _, told in sorted(found, key=lambda one: (-one[0], -(one[1].value or 0)))]


def consumption(cases: Iterable[Case]) -> list[Told]:
    """Wh/km by kind of bike and load; the most first. Of three bikes or more it is told what such a bike takes, by the bikes' own means,
    since the rides of one bike are alike; of fewer what these bikes take."""
    found = []
    for (kind, load), group in _by(cases, lambda one: (one.kind, load_word(one.load_kg))).items():
        told = [(one.bike, value) for one in group if (value := one.summary.wh_per_km) is not None]
        if told:
            found.append(_of_kind(f"{kind}, {load}", told))
    return _greatest_first(found)


def _of_kind(of: str, told: Sequence[tuple[str, float]]) -> Told:
    bikes = _means(told)
    if len(bikes) < FEWEST_MEAN:
        return mean(of, [value for _, value in told], f"these {len(bikes)} bikes" if len(bikes) > 1 else "this bike")
    return replace(mean(of, bikes, f"{len(bikes)} bikes"), cases=len(told))


def _means(told: Sequence[tuple[str, float]]) -> list[float]:
    by_bike: dict[str, list[float]] = defaultdict(list)
    for bike, value in told:
        by_bike[bike].append(value)
    return [float(np.mean(values)) for values in by_bike.values()]


def load_word(load_kg: float | None) -> str:
    """A load in a word."""
    if load_kg is None:
        return "load not noted"
    return "no load" if load_kg < LOADS_KG[0] else "some load" if load_kg < LOADS_KG[1] else "heavy load"


def _by(cases: Iterable[Case], key: Callable[[Case], tuple[str, ...]]) -> dict[tuple[str, ...], list[Case]]:
    groups: dict[tuple[str, ...], list[Case]] = defaultdict(list)
    for one in cases:
        groups[key(one)].append(one)
    return groups


def _greatest_first(found: list[Told]) -> list[Told]:
    return sorted(found, key=lambda one: (one.value is None, -(one.value or 0.0), one.of))
