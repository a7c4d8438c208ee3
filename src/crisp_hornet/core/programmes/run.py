"""A run under way: its readings, and the questions a programme asks of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike

FULL, CLOSED = 0.95, 0.02


@dataclass
class Run:
    """Readings in order: times (s) and, a channel, its values; NaN where a reading lacks it."""

    times: list[float] = field(default_factory=list)
    channels: dict[str, list[float]] = field(default_factory=dict)

    def take(self, time_s: float, values: Mapping[str, float]) -> None:
        """One reading more."""
        for name in values:
            if name not in self.channels:
                self.channels[name] = [np.nan] * len(self.times)
        self.times.append(time_s)
        for name, kept in self.channels.items():
            kept.append(float(values.get(name, np.nan)))

    @property
    def lasts_s(self) -> float:
        """From the first reading to the last."""
        return self.times[-1] - self.times[0] if self.times else 0.0

    def now(self, channel: str, otherwise: float = 0.0) -> float:
        """The last value of a channel."""
        value = self.channels[channel][-1] if self.channels.get(channel) else np.nan
        return float(value) if np.isfinite(value) else otherwise

    def last(self, channel: str, seconds: float) -> Array:
        """The finite values of the last seconds."""
        first = int(np.searchsorted(self.times, self.times[-1] - seconds)) if self.times else 0
        values = np.array(self.channels.get(channel, [])[first:])
        found: Array = values[np.isfinite(values)]
        return found

    def steady(self, channel: str, seconds: float, within: float) -> bool:
        """Whether a channel has kept within so much (its unit) for so long."""
        values = self.last(channel, seconds)
        return self.lasts_s >= seconds and values.size > 2 and float(np.ptp(values)) <= within

    def keep_last(self, seconds: float) -> None:
        """Forget what is older."""
        first = int(np.searchsorted(self.times, self.times[-1] - seconds)) if self.times else 0
        if first > 2000 or (first and self.lasts_s > 2 * seconds):
            del self.times[:first]
            for values in self.channels.values():
                del values[:first]

    def cut(self, rows: int) -> None:
        """Keep the first rows only."""
        del self.times[rows:]
        for values in self.channels.values():
            del values[rows:]

    def ride(self, name: str) -> Ride:
        """The readings as a ride, times from 0."""
        times = np.array(self.times)
        return Ride(name, times - times[:1].sum(), {one: np.array(values) for one, values in self.channels.items()})


@dataclass(frozen=True)
class Step:
    """One run of a programme: what to do, by what it is seen to begin and to end, what spoils it, and what it shows.

    ``spoils`` lists what is wrong with the readings, each with what to do; nothing: the run can be used. ``why_not`` says why it does
    not begin although somebody tries, "" where nobody does.
    """

    name: str
    do: str
    begins: Callable[[Run], bool]
    ends: Callable[[Run], bool]
    spoils: Callable[[Ride, Bike], list[str]]
    shows: Callable[[Ride, Bike], str]
    why_not: Callable[[Run], str] = lambda _run: ""


@dataclass(frozen=True)
class Programme:
    """``needs``: channels without which it says nothing. ``both_ways``: its runs alternate in direction."""

    id: str
    title: str
    purpose: str
    caution: str
    steps: tuple[Step, ...]
    needs: tuple[str, ...]
    both_ways: bool = False
