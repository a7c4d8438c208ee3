"""The pull curve at whatever state a ride has come to: computed at a grid of states, and blended between them.

Open-circuit voltage and winding temperature change the pull smoothly: a curve every volt or so and every 20 K is blended, four times as
many volts where the low-voltage fade acts. Where heat or the speed taper leave a share of the torque, tenths are blended too.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.motor import wheel_radius_m
from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curves, regen_curve
from crisp_hornet.core.pack.battery import charge_floor_w
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.core.road.performance import mass_along_kg
from crisp_hornet.core.virtual_ride.wishes import Held, Wish
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import HeatGuard, Tune

SPEEDS, VOLTS, HEAT_C, WHOLE = 121, 1 / 4800, 2.0, 100  # how finely states are told apart; volts of a full pack
VOLT_STEP, FADING_STEP, HEAT_STEP, SHARE_STEP = 80, 20, 10, 10  # so many of these lie between two curves
COARSER = 8  # steps that are one where no voltage fades anything
AHEAD = 3  # curves of each kind that are found with one
NEVER_C, EVERYTHING = 1e9, 1e5
COARSE_V, COARSE_C, FADES, BRAKING_SPEEDS = 4.0, 50.0, 10, 16  # of braking, which hardly changes


@dataclass(frozen=True, eq=False)
class Row:
    """Pull over an even row of speeds, at one state: force (N, negative where the motor drags), phase current (A), what is asked of the
    motor (N); motor turns per wheel turn, the mass to be moved (kg), and what limits."""

    per_mps: float
    force_n: list[float]
    phase_a: list[float]
    asked_n: list[float]
    ratio: list[float]
    mass_kg: list[float]
    limit: list[str]

    def place(self, v: float) -> tuple[int, float]:
        """Where a speed (m/s) stands in the row: the index below it, and the share of the step beyond."""
        place = v * self.per_mps
        low = min(int(place), len(self.force_n) - 2)
        return low, min(place - low, 1.0)


@dataclass(frozen=True, eq=False)
class _Node:
    """What a row is blended from; all (n,) over the speeds."""

    figures: Array
    ratio: Array
    limit: NDArray[np.str_]

    @property
    def asked_n(self) -> Array:
        """What is asked of the motor (N)."""
        asked: Array = self.figures[2]
        return asked


class FullPull:
    """All that a bike pulls on a tune, for what is wished."""

    def __init__(self, bike: Bike, tune: Tune, wish: Wish) -> None:
        self._bike, self._tune, self._wish = bike, tune, wish
        hold = wish.kmh if isinstance(wish, Held) else 0.0
        self.speed_kmh = np.linspace(0.0, max(fastest_kmh(bike), hold) * 1.02, SPEEDS)
        self._volt_step = full_v(bike.battery) * VOLTS
        limit = effective_limits(bike, tune).speed_kmh.value
        self.taper_ends = math.inf if limit is None else limit / 3.6
        self.taper_starts = math.inf if limit is None else max(limit - tune.drive.speed_taper_kmh, 0.0) / 3.6
        # heat and taper come as a share of their own: the curve is drawn without a speed limit, its share by the controller's temperature
        guard = HeatGuard.model_construct(
            motor_fade_start_c=NEVER_C, motor_fade_end_c=2 * NEVER_C, controller_fade_start_c=0.0, controller_fade_end_c=1.0
        )  # fmt: skip
        self._unfaded = tune.model_copy(
            update={"heat_guard": guard, "drive": tune.drive.model_copy(update={"speed_kmh": None})}
        )
        chain = [link.model_copy(update={"speed_kmh": None}) for link in bike.chain]
        self._unlimited = bike.model_copy(update={"chain": chain})
        amps = effective_limits(bike, tune).battery_current_a.value or 0.0
        self.fade_end_v = tune.battery_guard.fade_end_v
        self.fades_v = tune.battery_guard.fade_start_v + amps * bike.battery.resistance_ohm
        self._nodes: dict[tuple[int, int, int], _Node] = {}
        self._braking = lru_cache(maxsize=512)(self._make_braking)
        self._row = lru_cache(maxsize=4096)(self._make_row)
        regen = tune.regen.model_copy(
            update={"battery_current_a": EVERYTHING, "fade_start_v": EVERYTHING, "fade_end_v": 2 * EVERYTHING}
        )
        self._all_charged = self._unfaded.model_copy(update={"regen": regen})

    def row(self, rested_v: float, winding_c: float, share: float) -> Row:
        """The pull at an open-circuit voltage, a winding temperature (°C) and a share of the torque."""
        volts = round(rested_v / self._volt_step)
        if not self._fading(volts):
            volts = COARSER * round(volts / COARSER)
        return self._row(volts, round(winding_c / HEAT_C), round(share * WHOLE))

    def _fading(self, volts: int) -> bool:
        return (volts - VOLT_STEP) * self._volt_step < self.fades_v

    def share(self, heat: float, v: float) -> float:
        """The share of the torque that heat and the speed taper leave at a speed (m/s)."""
        if v <= self.taper_starts:
            return heat
        if v >= self.taper_ends:
            return 0.0
        return heat * (self.taper_ends - v) / (self.taper_ends - self.taper_starts)

    def braking_n(self, v: float, rested_v: float, winding_c: float, heat: float) -> float:
        """The most that the motor brakes (N, ≤ 0) at a speed (m/s), whatever the pack may take: that hardly depends on voltage and heat."""
        row = self._braking(round(rested_v / COARSE_V), round(winding_c / COARSE_C), round(heat * FADES))
        place = v * 3.6 / float(self.speed_kmh[-1]) * (len(row) - 1)
        low = min(int(place), len(row) - 2)
        return row[low] + min(place - low, 1.0) * (row[low + 1] - row[low])

    def charge_floor_w(self, rested_v: float) -> float:
        """The power (W, ≤ 0) below which the tune lets nothing into the pack."""
        regen = self._tune.regen
        return charge_floor_w(
            rested_v, self._bike.battery.resistance_ohm, regen.battery_current_a, regen.fade_start_v, regen.fade_end_v
        )

    def _make_row(self, volts: int, winding: int, share: int) -> Row:
        figures: Array | float = 0.0
        weight, limit = 0.0, None
        apart = FADING_STEP if self._fading(volts) else VOLT_STEP
        for at, part in _around(volts, apart):
            for warm, more in _around(winding, HEAT_STEP):
                for faded, most in _around(share, SHARE_STEP):
                    node = self._node(at, warm, faded, apart)
                    figures = figures + part * more * most * node.figures
                    if limit is None or (part * more * most > weight and faded > 0):
                        weight, limit, ratio = part * more * most, node.limit, node.ratio
        assert isinstance(figures, np.ndarray) and limit is not None
        force, phase, asked, mass = figures.tolist()
        per_mps = (len(self.speed_kmh) - 1) * 3.6 / float(self.speed_kmh[-1])
        return Row(per_mps, force, phase, asked, ratio.tolist(), mass, limit.tolist())

    def _node(self, volts: int, winding: int, share: int, apart: int) -> _Node:
        """What is known at a state; where nothing is yet, those that a ride comes to next are found with it, for many cost little more."""
        key = volts, winding, share
        if key not in self._nodes:
            if share == WHOLE:
                near = [
                    (volts - apart * down, winding + HEAT_STEP * up, WHOLE)
                    for down in range(AHEAD)
                    for up in range(AHEAD)
                ]
            else:
                near = [(volts, winding, part) for part in range(0, WHOLE + 1, SHARE_STEP)]
            self._find([key, *(one for one in near if one not in self._nodes and one != key and one[0] > 0)])
        return self._nodes[key]

    def _find(self, keys: list[tuple[int, int, int]]) -> None:
        states = [
            Conditions(volts * self._volt_step, winding * HEAT_C, 1 - share / WHOLE) for volts, winding, share in keys
        ]
        curves = dict(zip(keys, pull_curves(self._unlimited, self._unfaded, self.speed_kmh, states), strict=True))
        for key, curve in sorted(curves.items(), key=lambda item: -item[0][2]):
            volts, winding, share = key
            whole = curve if share == WHOLE else curves.get((volts, winding, WHOLE))
            asked = self._nodes[volts, winding, WHOLE].asked_n if whole is None else self._asked_n(whole)
            ratio = np.broadcast_to(curve.motor_turns, asked.shape)
            if (
                curve.ratio is not None and share == 0
            ):  # no gear is best there: it stays in the one that is with a little more
                ratio = self._nodes[volts, winding, SHARE_STEP].ratio
            mass = mass_along_kg(curve, self.speed_kmh)
            figures = np.array([_signed_n(curve, ratio), curve.phase_current_a, asked, mass])
            self._nodes[key] = _Node(figures, ratio, curve.limit)

    def _asked_n(self, curve: PullCurve) -> Array:
        bike = self._bike.rated_at(curve.rested_v)
        return np.minimum(self._wish.asked_n(replace(curve, bike=bike), self._tune), EVERYTHING)

    def _make_braking(self, volts: int, winding: int, share: int) -> list[float]:
        conditions = Conditions(volts * COARSE_V, winding * COARSE_C, 1 - share / FADES)
        speeds = np.linspace(0.0, self.speed_kmh[-1], BRAKING_SPEEDS)
        force: list[float] = regen_curve(self._bike, self._all_charged, speeds, conditions).wheel_force_n.tolist()
        return force


def _around(place: int, apart: int) -> list[tuple[int, float]]:
    """The two multiples of ``apart`` around a place, with their weights; the place alone where it is one."""
    low, beyond = divmod(place, apart)
    return [(place, 1.0)] if not beyond else [(low * apart, 1 - beyond / apart), ((low + 1) * apart, beyond / apart)]


def _signed_n(curve: PullCurve, turns: Array) -> Array:
    """Force at the road (N): where the motor makes less than its own drag, or nothing, what is left of that drag; behind a freewheel it
    does not reach the road, but curves are blended straight through."""
    drivetrain = curve.bike.drivetrain
    drag = curve.motor.drag_nm(curve.bike.motor.pole_pairs * curve.shaft_speed / curve.motor_turns * turns)
    shaft = np.where(curve.running & (curve.phase_current_a > 0), curve.shaft_torque_nm, -drag)
    gain = turns / wheel_radius_m(curve.bike)
    signed: Array = np.where(shaft > 0, shaft * gain * drivetrain.efficiency, shaft * gain / drivetrain.efficiency)
    return signed
