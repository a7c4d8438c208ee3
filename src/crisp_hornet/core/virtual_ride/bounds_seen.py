"""What a ride ran into: the limits that held it back, the fades, and what would have tripped the protection board."""

from __future__ import annotations

from crisp_hornet.core.virtual_ride.journey import FADES
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

FREE = ("held", "asked", "brakes", "stop", "none")
LASTS_S = 10.0  # a board that bears less for ever, and no known peak, trips after so long


class Seen:
    """Heard step by step."""

    def __init__(self, bike: Bike, tune: Tune) -> None:
        self.held_by: dict[str, float] = {}
        self.fades = dict.fromkeys(FADES, 0.0)
        self.trips: dict[str, float] = {}
        self._guard, self._low_v = tune.heat_guard, tune.battery_guard.fade_start_v
        battery = bike.battery
        self._ever_a, self._trip_v = battery.bms_discharge_a, battery.bms_trip_v
        self._peak_a = battery.bms_peak_a or battery.bms_discharge_a * 1.5
        self._peak_s = battery.bms_peak_s or LASTS_S
        self._over_s = 0.0

    def heat(self, winding_c: float, controller_c: float) -> float:
        """The share of the torque that both heat fades leave."""
        guard = self._guard
        return _left(winding_c, guard.motor_fade_start_c, guard.motor_fade_end_c) * _left(
            controller_c, guard.controller_fade_start_c, guard.controller_fade_end_c
        )

    def take(
        self, seconds: float, at_m: float, amps: float, pack_v: float, winding_c: float, controller_c: float, name: str
    ) -> None:
        """One step."""
        if name not in FREE:
            self.held_by[name] = self.held_by.get(name, 0.0) + seconds
        if winding_c > self._guard.motor_fade_start_c:
            self.fades["motor"] += seconds
        if controller_c > self._guard.controller_fade_start_c:
            self.fades["controller"] += seconds
        if amps > 0 and pack_v < self._low_v:
            self.fades["low_voltage"] += seconds
        self._over_s = self._over_s + seconds if amps > self._ever_a else 0.0
        if amps > self._peak_a or self._over_s > self._peak_s:
            self.trips.setdefault("current", at_m)
        if pack_v < self._trip_v:
            self.trips.setdefault("voltage", at_m)


def _left(value: float, start: float, end: float) -> float:
    if end - start < 1e-9:
        return 1.0 if value < end else 0.0
    return min(max((end - value) / (end - start), 0.0), 1.0)
