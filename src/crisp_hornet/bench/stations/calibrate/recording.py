"""Live values as arrays: what an instrument records, and what the scope shows."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.channels import TABLE
from crisp_hornet.documents.saying import Symbol, say
from crisp_hornet.link.contact import Live

LONGEST_S, HZ = 60.0, 60


# of figures and live values that are no channels of a ride
_UNITS = {
    "v": "V",
    "a": "A",
    "c": "°C",
    "kmh": "km/h",
    "nm": "N·m",
    "ohm": "Ω",
    "h": "H",
    "wb": "Wb",
    "deg": "°",
    "rpm": "rpm",
    "m": "m",
    "s": "s",
}


def unit_of(name: str) -> str:
    """The unit that a channel or figure has in its name; "" for none."""
    if name in TABLE:
        return TABLE[name].unit
    words, _, last = name.rpartition("_")
    return _UNITS.get(last, "") if words else ""


def in_words(name: str) -> str:
    """A channel or figure as a person reads it: ``throttle_v`` is "throttle, V"."""
    if unit := unit_of(name):
        return say("{name}, {unit}", name=name.rpartition("_")[0].replace("_", " "), unit=Symbol(unit))
    return name.replace("_", " ")


class Ring:
    """The last minute of all channels. Memory is taken once and never grows."""

    def __init__(self, names: list[str], seconds: float = LONGEST_S, hz: int = HZ) -> None:
        self.names = names
        self._rows = np.full((int(seconds * hz), 1 + len(names)), np.nan)
        self._next, self._count = 0, 0

    def take(self, live: Live) -> None:
        """One more reading."""
        row = self._rows[self._next]
        row[0] = live.at_s
        for index, name in enumerate(self.names, start=1):
            row[index] = live.values.get(name, np.nan)
        self._next = (self._next + 1) % len(self._rows)
        self._count = min(self._count + 1, len(self._rows))

    def clear(self) -> None:
        """Begin anew."""
        self._next = self._count = 0

    def since(self, at_s: float) -> tuple[Array, dict[str, Array]]:
        """Times (s, monotonic) and channels from a moment on."""
        order = (np.arange(self._count) + self._next - self._count) % len(self._rows)
        rows = self._rows[order]
        rows = rows[np.searchsorted(rows[:, 0], at_s) :]
        return rows[:, 0], {name: rows[:, index] for index, name in enumerate(self.names, start=1)}

    def __len__(self) -> int:
        return self._count


class Recording:
    """What was recorded between start and stop, from 0 s on."""

    def __init__(self, time_s: Array, channels: dict[str, Array]) -> None:
        self.time_s = time_s - (time_s[0] if len(time_s) else 0.0)
        self._channels = channels

    def __len__(self) -> int:
        return len(self.time_s)

    def get(self, name: str) -> Array:
        """A channel; NaN throughout where the controller does not show it."""
        return self._channels.get(name, np.full(len(self.time_s), np.nan))
