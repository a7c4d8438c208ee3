"""A bike under way: its state, what it pulls in it, and what each second takes of charge, energy and heat."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.pack.cells import rested_v
from crisp_hornet.core.road.vehicle import coasting_mass_kg
from crisp_hornet.core.virtual_ride.bounds_seen import Seen
from crisp_hornet.core.virtual_ride.full_pull import FullPull, Row
from crisp_hornet.core.virtual_ride.machine import Machine
from crisp_hornet.core.virtual_ride.warmth import Warmth
from crisp_hornet.core.virtual_ride.wishes import Wish
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

VOLT_NODES, FORGETS = 2000, 0.7
NARROWINGS, NEAR_W = 16, 0.05


@dataclass
class Now:
    """Where the ride is, and how fast."""

    charge: float
    time_s: float = 0.0
    at_m: float = 0.0
    v: float = 0.0
    wh: float = 0.0
    lasted_s: float = 1.0
    warmed_k: float = 0.0
    warms_k_per_s: float = 0.0  # of late: a fade that comes and goes is not to be stepped over
    sank_v: float = 0.0
    rows: list[tuple[float, ...]] = field(default_factory=list)
    limit: list[str] = field(default_factory=list)


class Underway:
    """A bike on a tune, ridden with a wish."""

    def __init__(self, bike: Bike, tune: Tune, wish: Wish, charge: float, ambient_c: float) -> None:
        self.bike = bike
        self.pull = FullPull(bike, tune, wish)
        self.now = Now(
            float(charge)
        )  # plain numbers: a single array's would turn all that follows from them into slow ones
        self.warmth = Warmth(bike, float(ambient_c))
        self.seen = Seen(bike, tune)
        self._volts = rested_v(bike.battery, np.linspace(0.0, 1.0, VOLT_NODES + 1)).tolist()
        most_a = max(tune.drive.phase_current_a, tune.regen.phase_current_a, 1.0)
        self.machines = [Machine(one, one.drivetrain.ratio, most_a) for one in bike.in_each_gear()]
        self._legs = wish.legs_n(self.pull.speed_kmh).tolist()
        self._pedals = any(self._legs)
        self._freewheel = bike.drivetrain.freewheel
        self._braked = tune.braking.command != "none" and not self._freewheel
        self._coasts_kg = coasting_mass_kg(bike)
        self._row: Row
        self._mark()

    def _drive(self, v: float, most: float) -> tuple[float, float, str]:
        """(motor N, rider N, what sets it: a limit's name, "asked", or "" where tyre or front wheel do) at a speed."""
        row = self._row
        low, part = row.place(v)
        force = row.force_n[low] + part * (row.force_n[low + 1] - row.force_n[low])
        name = row.limit[low if part < 0.5 else low + 1]
        if v > self.pull.taper_starts:
            force, name = self._tapered(v, force, name)
        asked = row.asked_n[low] + part * (row.asked_n[low + 1] - row.asked_n[low])
        if asked < force:
            force, name = asked, "asked"
        if force < 0 and self._freewheel:
            force = 0.0
        rider = self._legs[low] + part * (self._legs[low + 1] - self._legs[low]) if self._pedals else 0.0
        if force + rider > most:
            return max(most - rider, 0.0), min(rider, most), ""
        return force, rider, name

    def _tapered(self, v: float, force: float, name: str) -> tuple[float, str]:
        row = self._taper_row(v)
        low, part = row.place(v)
        tapered = row.force_n[low] + part * (row.force_n[low + 1] - row.force_n[low])
        return (tapered, "speed") if tapered < force else (force, name)

    def _taper_row(self, v: float) -> Row:
        return self._row_now(self.pull.share(self._heat(), v))

    def _mass(self, v: float, motor: float) -> float:
        if motor <= 0 and self._freewheel:
            return self._coasts_kg
        low, part = self._row.place(v)
        return self._row.mass_kg[low] + part * (self._row.mass_kg[low + 1] - self._row.mass_kg[low])

    def _heat(self) -> float:
        return self.seen.heat(self.warmth.winding_c + self.now.warmed_k / 2, self.warmth.controller_c)

    def _rested(self) -> float:
        place = min(max(self.now.charge, 0.0), 1.0) * VOLT_NODES
        low = min(int(place), VOLT_NODES - 1)
        return float(self._volts[low] + (place - low) * (self._volts[low + 1] - self._volts[low]))

    def _row_now(self, share: float | None = None) -> Row:
        """The pull in the middle of the coming step, which is taken to change as much as the one before."""
        now = self.now
        return self.pull.row(
            self._rested() - now.sank_v / 2, self.warmth.winding_c + now.warmed_k / 2, self._heat() if share is None else share
        )  # fmt: skip

    def _powers(self, v: float, most: float, held_down: str) -> tuple[float, float, float, str]:
        """(force N, power from the pack W, phase current A, what set it) with all there is at a speed."""
        motor, _, name = self._drive(v, most)
        if name in ("", "asked"):
            force, watts, phase = self._at_force(v, motor)
            return force, watts, phase, name or held_down
        row = self._taper_row(v) if name == "speed" else self._row
        low, part = row.place(v)
        phase = row.phase_a[low] + part * (row.phase_a[low + 1] - row.phase_a[low])
        if motor <= 0 and self._freewheel:
            return 0.0, self.bike.controller.idle_w, 0.0, name
        ratio = row.ratio[low if part < 0.5 else low + 1]
        machine = min(self.machines, key=lambda one: abs(one.ratio - ratio))
        return motor, machine.driving_w(v, motor, phase, self.warmth.winding_c), phase, name

    def _tapered_to(self, v: float, force: float) -> tuple[float, float, float]:
        """As :meth:`_at_force`, in the gear that the taper leaves."""
        if force <= (0.0 if self._freewheel else -self.machines[0].drag_n(v)):
            return self._at_force(v, max(force, -self.machines[0].drag_n(v)))
        row = self._taper_row(v)
        ratio = row.ratio[row.place(v)[0]]
        machine = min(self.machines, key=lambda one: abs(one.ratio - ratio))
        watts, phase = machine.point(v, force, self._rested(), self.warmth.winding_c)
        return (force, watts, phase) if math.isfinite(watts) else self._at_force(v, force)

    def _at_force(self, v: float, force: float) -> tuple[float, float, float]:
        """(motor N, power from the pack W, phase current A) where a force is asked for; the brakes do what motor and regen do not."""
        rests = 0.0 if self._freewheel else -self.machines[0].drag_n(v)
        undriven = rests, self.bike.controller.idle_w, 0.0
        if force < rests or (force <= 0 and self._freewheel):
            if not self._braked:
                return undriven
            most = self.pull.braking_n(v, self._rested(), self.warmth.winding_c, self._heat())
            force = self._charges(v, max(force, most), rests)
            if force >= rests:
                return undriven
        watts, phase = self._point(v, force)
        return (force, watts, phase) if math.isfinite(watts) else undriven

    def _point(self, v: float, force: float, rested_v: float | None = None) -> tuple[float, float]:
        rested, winding_c = self._rested() if rested_v is None else rested_v, self.warmth.winding_c
        if len(self.machines) == 1:
            return self.machines[0].point(v, force, rested, winding_c)
        return min((one.point(v, force, rested, winding_c) for one in self.machines), key=_thrift)

    def _charges(self, v: float, force: float, rests: float) -> float:
        """The braking force (N) nearest to one asked for whose power the pack may take; by the regula falsi (Illinois)."""
        rested = self._rested()
        floor = self.pull.charge_floor_w(rested)
        if force >= rests:
            return force
        low, high = force, rests
        under, over = self._point(v, low, rested)[0] - floor, self._point(v, high, rested)[0] - floor
        if not under < 0 or not over > 0:
            return force if not under < 0 else high
        for _ in range(NARROWINGS):
            middle = (low * over - high * under) / (over - under)
            left = self._point(v, middle, rested)[0] - floor
            if abs(left) < NEAR_W:
                return middle
            if left < 0:
                low, under, over = middle, left, over / 2
            else:
                high, over, under = middle, left, under / 2
        return high

    def _spend(self, seconds: float, watts: float, phase_a: float, v: float, force: float, name: str) -> None:
        """Charge, energy and heat of so many seconds."""
        now, battery, warmth = self.now, self.bike.battery, self.warmth
        rested, ohm = self._rested(), battery.resistance_ohm
        amps = (
            (rested - math.sqrt(max(rested * rested - 4 * ohm * watts, 0.0))) / (2 * ohm) if ohm > 0 else watts / rested
        )
        now.charge -= amps * seconds / 3600 / battery.capacity_ah
        now.wh += rested * amps * seconds / 3600
        now.sank_v = rested - self._rested()
        before = warmth.winding_c
        turns = v > 0 and (phase_a > 0 or not self._freewheel)
        warmth.hold(seconds, phase_a, self.machines[0].turns_w(v) if turns else 0.0, v)
        now.warmed_k, now.lasted_s = warmth.winding_c - before, max(seconds, 1e-3)
        now.warms_k_per_s = max(abs(now.warmed_k) / now.lasted_s, FORGETS * now.warms_k_per_s)
        now.time_s += seconds
        self.seen.take(seconds, now.at_m, amps, rested - ohm * amps, warmth.winding_c, warmth.controller_c, name)
        self._mark(force, amps, rested - ohm * amps, phase_a, name)

    def _mark(
        self,
        force: float = 0.0,
        amps: float = 0.0,
        pack_v: float | None = None,
        phase_a: float = 0.0,
        name: str = "stop",
    ) -> None:
        now, warmth = self.now, self.warmth
        now.rows.append((
            now.time_s, now.at_m, 3.6 * now.v, force, amps, self._rested() if pack_v is None else pack_v, phase_a,
            warmth.winding_c, warmth.housing_c, warmth.controller_c, now.charge,
        ))  # fmt: skip
        now.limit.append(name)


def _thrift(point: tuple[float, float]) -> float:
    return point[0] if math.isfinite(point[0]) else math.inf
