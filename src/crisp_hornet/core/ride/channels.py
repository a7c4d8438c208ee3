"""A ride as the core sees it: named channels over one time axis."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.channels import UNITS

CHANNELS = tuple(UNITS)
FIRST = 1000  # what is known at all is mostly known here: long rides are then not looked through


@dataclass(frozen=True, eq=False)
class Ride:
    """``time_s`` (n,), increasing, from 0; each channel (n,), NaN where nothing was recorded. ``started_s``: the moment of its first row,
    in seconds since 1970, where that is known; ``told_km``: the distance that the device itself counted."""

    name: str
    time_s: Array
    channels: dict[str, Array] = field(default_factory=dict)
    started_s: float | None = None
    told_km: float | None = None

    def __len__(self) -> int:
        return len(self.time_s)

    def get(self, channel: str) -> Array:
        """A channel, all NaN if the ride lacks it."""
        return self.channels.get(channel, np.full(len(self.time_s), np.nan))

    def has(self, channel: str) -> bool:
        """Whether the ride holds at least one value of a channel."""
        values = self.channels.get(channel)
        if values is None:
            return False
        return bool(np.isfinite(values[:FIRST]).any()) or bool(np.isfinite(values[FIRST:]).any())
