"""A ride as the core sees it: named channels over one time axis."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.motor import Array
from crisp_hornet.documents.channels import UNITS

CHANNELS = tuple(UNITS)


@dataclass(frozen=True, eq=False)
class Ride:
    """``time_s`` (n,), increasing, from 0; each channel (n,), NaN where nothing was recorded."""

    name: str
    time_s: Array
    channels: dict[str, Array] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.time_s)

    def get(self, channel: str) -> Array:
        """A channel, all NaN if the ride lacks it."""
        return self.channels.get(channel, np.full(len(self.time_s), np.nan))

    def has(self, channel: str) -> bool:
        """Whether the ride holds at least one value of a channel."""
        return channel in self.channels and bool(np.any(np.isfinite(self.channels[channel])))
