"""The protection board of the simulated pack, and the one group of cells that may be weaker than the others."""

from __future__ import annotations

from dataclasses import dataclass

OVER_AMPERES_S, UNDER_VOLTS_S, REST_S = 2.0, 0.5, 10.0
LEAST_GROUP_V = 2.8
AMPERES, PACK_VOLTS, GROUP_VOLTS = "amperes", "pack volts", "a group of cells"


@dataclass
class Bms:
    """Opens after 2 s over its amperes, after 0.5 s under its pack volts or with one group under 2.8 V; closes by the charger, or after
    10 s without a load. ``opened_by`` names the limit of the last time."""

    is_open: bool = False
    opened_by: str = ""
    openings: int = 0
    last_v: float = 0.0  # what the pack gave just before
    _over_s: float = 0.0
    _under_s: float = 0.0
    _group_s: float = 0.0
    _rested_s: float = 0.0

    def close(self) -> None:
        """It lets the current through again."""
        self.is_open = False
        self._over_s = self._under_s = self._group_s = self._rested_s = 0.0

    def watch(self, dt: float, amperes: tuple[float, float], pack: tuple[float, float], group_v: float) -> None:
        """One step with (current, its limit), (voltage, its limit) and the lowest group's voltage."""
        self._over_s = self._over_s + dt if amperes[0] > amperes[1] else 0.0
        self._under_s = self._under_s + dt if pack[0] < pack[1] else 0.0
        self._group_s = self._group_s + dt if group_v < LEAST_GROUP_V else 0.0
        for lasted, longest, why in (
            (self._over_s, OVER_AMPERES_S, AMPERES),
            (self._under_s, UNDER_VOLTS_S, PACK_VOLTS),
            (self._group_s, UNDER_VOLTS_S, GROUP_VOLTS),
        ):
            if lasted >= longest and not self.is_open:
                self.is_open, self.opened_by, self.last_v = True, why, pack[0]
                self.openings += 1
                self._rested_s = 0.0

    def rest(self, dt: float, loaded: bool) -> None:
        """One step while it is open."""
        self._rested_s = 0.0 if loaded else self._rested_s + dt
        if self._rested_s >= REST_S:
            self.close()
