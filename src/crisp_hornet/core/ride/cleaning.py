"""What is wrong with a ride's channels, and the ride without it. The original is never changed.

Found: gaps, stuck sensors, spikes, speed dropouts, channels recorded more slowly than the rest. Each is a flaw with its place and a
sentence; each can be left as it is.
"""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.gaps import longest_step_s
from crisp_hornet.core.ride.track import leaps
from crisp_hornet.documents.saying import quantity, say

GAP_STEPS = 6.0
STUCK_S = 20.0
SPIKE_SPREADS = 9.0
DROPOUT_S = 4.0
STUCK_SHARE = 0.2
# a channel may well stand still (at a limit, at an even pace); it is stuck where the one it goes with moves meanwhile
GOES_WITH = {
    "wheel_speed_kmh": ("motor_rpm", "gps_speed_kmh"),
    "gps_speed_kmh": ("wheel_speed_kmh", "motor_rpm"),
    "motor_rpm": ("wheel_speed_kmh", "gps_speed_kmh"),
    "pack_v": ("battery_a",),
    "battery_a": ("pack_v",),
    "phase_a": ("battery_a",),
}
# the smallest jump that may count as a spike, in the channel's unit
LEAST_JUMP = {
    "wheel_speed_kmh": 12.0,
    "gps_speed_kmh": 15.0,
    "motor_rpm": 150.0,
    "pack_v": 4.0,
    "battery_a": 25.0,
    "phase_a": 60.0,
    "motor_c": 8.0,
    "controller_c": 8.0,
    "altitude_m": 25.0,
    "throttle": 2.0,
}


@dataclass(frozen=True)
class Flaw:
    """One kind of fault of one channel ("" for the times). ``rows`` are those concerned; ``mends`` says whether cleaning changes them."""

    id: str
    kind: str
    channel: str
    rows: NDArray[np.intp]
    from_s: float
    text: str
    mends: bool = True


def flaws(ride: Ride) -> list[Flaw]:
    """All flaws, the times first."""
    found = [*_gaps(ride)]
    for channel in sorted(ride.channels):
        values = ride.channels[channel]
        if np.isfinite(values).sum() < 8:
            continue
        if channel in LEAST_JUMP:
            found += _spikes(ride, channel, values)
        if channel in GOES_WITH:
            found += _stuck(ride, channel, values)
        found += _slow(ride, channel, values)
    found += [*_leaps(ride), *_dropouts(ride)]
    return found


def cleaned(ride: Ride, left: Set[str] = frozenset()) -> Ride:
    """The ride without its flaws, except those ``left`` as they are (by id): bad values are missing, short holes are bridged."""
    channels = dict(ride.channels)
    for flaw in flaws(ride):
        if flaw.id in left or not flaw.mends:
            continue
        values = channels[flaw.channel].copy()
        values[flaw.rows] = np.nan
        if flaw.kind in ("spike", "dropout", "slow"):
            values = _bridged(ride.time_s, values, flaw.rows)
        channels[flaw.channel] = values
    return replace(ride, channels=channels)


def _bridged(time: Array, values: Array, rows: NDArray[np.intp]) -> Array:
    good = np.isfinite(values)
    if good.sum() > 1:
        values[rows] = np.interp(time[rows], time[good], values[good], left=np.nan, right=np.nan)
    return values


def _gaps(ride: Ride) -> list[Flaw]:
    steps = np.diff(ride.time_s)
    if steps.size < 4:
        return []
    usual = float(np.median(steps))
    wide = np.flatnonzero(steps > max(GAP_STEPS * usual, longest_step_s(ride.time_s)))
    if wide.size == 0:
        return []
    longest = float(steps[wide].max())
    text = say(
        "{size} gap{size_2}, the longest {longest}: nothing was recorded there",
        size=wide.size,
        size_2="s" if wide.size > 1 else "",
        longest=quantity(longest, "s", ".0f"),
    )
    return [Flaw("gap", "gap", "", wide, float(ride.time_s[wide[0]]), text, mends=False)]


def _spikes(ride: Ride, channel: str, values: Array) -> list[Flaw]:
    """Single values far from the middle of their five neighbours, by the spread that such distances usually have."""
    good = np.flatnonzero(np.isfinite(values))
    kept = values[good]
    if kept.size < 9:
        return []
    step = np.diff(kept)
    # only what leaps away and back can be a spike: the medians of the few that do are enough
    leaps = np.flatnonzero((np.abs(step[1:-2]) > LEAST_JUMP[channel] / 2) & (step[1:-2] * step[2:-1] < 0)) + 2
    if leaps.size == 0:
        return []
    around = np.stack([kept[leaps + k] for k in (-2, -1, 0, 1, 2)])
    away = np.abs(kept[leaps] - np.median(around, axis=0))
    spread = 1.4826 * float(np.median(np.abs(step))) + 1e-12
    bad = good[leaps][away > max(SPIKE_SPREADS * spread, LEAST_JUMP[channel])]
    if bad.size == 0 or bad.size > 0.05 * kept.size:
        return []
    text = say(
        "{size} spike{size_2} of a single row, up to {bad}",
        size=bad.size,
        size_2="s" if bad.size > 1 else "",
        bad=quantity(float(np.abs(values[bad]).max()), "", ".0f"),
    )
    return [Flaw(say("spike {channel}", channel=channel), "spike", channel, bad, float(ride.time_s[bad[0]]), text)]


def _stuck(ride: Ride, channel: str, values: Array) -> list[Flaw]:
    """The same figure for long, not at rest, while the channel it goes with moves."""
    same = np.concatenate(([False], np.diff(values) == 0)) & (values != 0)
    starts, ends = _runs(same)
    others = [ride.channels[one] for one in GOES_WITH[channel] if ride.has(one)]
    rows: list[NDArray[np.intp]] = []
    for start, end in zip(starts, ends, strict=True):
        if ride.time_s[end] - ride.time_s[start - 1] >= STUCK_S and any(_moves(other, start, end) for other in others):
            rows.append(np.arange(start, end + 1))
    if not rows:
        return []
    every = np.concatenate(rows)
    lasts = ride.time_s[rows[0][-1]] - ride.time_s[rows[0][0]]
    text = say(
        "stands still at {every} for {lasts} while all else goes on",
        every=quantity(float(values[every[0]])),
        lasts=quantity(lasts, "s", ".0f"),
    )
    return [Flaw(say("stuck {channel}", channel=channel), "stuck", channel, every, float(ride.time_s[every[0]]), text)]


def _moves(values: Array, start: int, end: int) -> bool:
    """Whether a channel covers a good part of its span in a stretch."""
    good, inside = values[np.isfinite(values)], values[start : end + 1]
    inside = inside[np.isfinite(inside)]
    if inside.size < 3:
        return False
    low, high = np.percentile(good, [2, 98])
    within = np.percentile(inside, [5, 95])
    return float(within[1] - within[0]) > STUCK_SHARE * max(float(high - low), 1e-9)


def _slow(ride: Ride, channel: str, values: Array) -> list[Flaw]:
    """A channel written every few rows only: the rows between are bridged."""
    good = np.flatnonzero(np.isfinite(values))
    share = good.size / len(values)
    if good.size < 4 or share > 0.6:
        return []
    gaps = np.diff(good)
    if float(np.max(gaps)) > 4 * float(np.median(gaps)) + 2:
        return []  # holes, not a slower rate
    between = np.setdiff1d(np.arange(good[0], good[-1]), good)
    text = say(
        "recorded every {gaps} rows; the rows between are bridged", gaps=quantity(float(np.median(gaps)), "", ".0f")
    )
    return [Flaw(say("slow {channel}", channel=channel), "slow", channel, between, float(ride.time_s[0]), text)]


def _leaps(ride: Ride) -> list[Flaw]:
    """Single positions far off the track."""
    lat, lon = ride.channels.get("lat_deg"), ride.channels.get("lon_deg")
    if lat is None or lon is None:
        return []
    rows = leaps(ride.time_s, lat, lon)
    if rows.size == 0:
        return []
    many = say("{size} positions leap", size=rows.size) if rows.size > 1 else "one position leaps"
    text = say("{many} away from the track and back, faster than any bike", many=many)
    at = float(ride.time_s[rows[0]])
    return [Flaw(say("leap {name}", name=name), "spike", name, rows, at, text) for name in ("lat_deg", "lon_deg")]


def _dropouts(ride: Ride) -> list[Flaw]:
    """The speed falls to nothing for moments between two rows of riding: the sensor missed its magnet."""
    found = []
    for channel in ("wheel_speed_kmh", "gps_speed_kmh"):
        values = ride.channels.get(channel)
        if values is None:
            continue
        with np.errstate(invalid="ignore"):
            none = values < 0.5
        rows = []
        for start, end in zip(*_runs(none), strict=True):
            lasts = ride.time_s[min(end + 1, len(values) - 1)] - ride.time_s[start - 1]
            riding = start > 0 and end + 1 < len(values) and values[start - 1] > 8 and values[end + 1] > 8
            if riding and lasts <= DROPOUT_S:
                rows.append(np.arange(start, end + 1))
        if rows:
            every = np.concatenate(rows)
            text = say(
                "falls to 0 {rows} time{rows_2} for moments while riding",
                rows=len(rows),
                rows_2="s" if len(rows) > 1 else "",
            )
            found.append(
                Flaw(
                    say("dropout {channel}", channel=channel),
                    "dropout",
                    channel,
                    every,
                    float(ride.time_s[every[0]]),
                    text,
                )
            )
    return found


def _runs(true: NDArray[np.bool_]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """First and last rows of the stretches that are true; a stretch never begins at row 0."""
    edges = np.diff(np.concatenate(([0], true[1:].astype(np.int8), [0])))
    return np.flatnonzero(edges == 1) + 1, np.flatnonzero(edges == -1)
