"""How the simulated controller turns twist and pedalling into phase current, by the settings its registers hold.

On its own: between the throttle's points it goes straight, levels are looked up, torque is averaged over a crank angle by a running mean.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field
from itertools import pairwise

from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.truth import Truth

Values = dict[str, float | None]
TORQUE, POWER, CADENCE = 0, 1, 2


@dataclass
class RiderSettings:
    """What the registers of throttle and assist mean; without registers a plain throttle and no assist."""

    points: tuple[float, ...] = (0.0, 1.0)
    dead_band: float = 0.0
    ramp_s: float = 0.4
    release_s: float = 1 / 6
    start: int = 0
    rolling_kmh: float = 3.0
    throttle_ends_kmh: float = math.inf
    taper_kmh: float = 0.0
    style: int = TORQUE
    handover_rpm: float = 60.0
    development_m: float = 4.5
    start_nm: float = 6.0
    smoothing_deg: float = 180.0
    assist_ramp_s: float = 0.3
    multipliers: list[float] = field(default_factory=list)
    power_shares: list[float] = field(default_factory=list)
    level_share: str | None = None
    start_delay_s: float = 0.0
    start_a: float = 0.0
    signal_v: tuple[float, float] = (0.85, 4.1)  # what the controller takes for rest and full
    response: tuple[tuple[float, float], ...] = ()
    asks: int = 0
    ends_kmh: float = 60.0
    cruise_s: float = math.inf
    cruise_least_kmh: float = 15.0
    cruise_ends: int = 1
    shift_cut_s: float = 0.0
    shift_share: float = 0.0

    @classmethod
    def of(cls, values: Values, level_share: str | None = None) -> RiderSettings:
        """From register values by name; ``level_share``: of what a level's share is one, by the description."""

        def take(name: str, otherwise: float) -> float:
            value = values.get(name)
            return otherwise if value is None else float(value)

        made = cls()
        if "throttle.maximum" in values:
            keys = ("share_25", "share_50", "share_75", "maximum")
            made.points = (0.0, *(take(f"throttle.{key}", 1.0) for key in keys))
            made.dead_band, made.ramp_s = take("throttle.dead_band", 0.0), take("throttle.ramp_s", 0.4)
            made.release_s, made.start = take("throttle.release_s", 0.15), int(take("throttle.start", 0))
            made.rolling_kmh = take("throttle.rolling_kmh", 3.0)
            made.throttle_ends_kmh = take("throttle.speed_kmh", math.inf)
            made.taper_kmh = take("drive.speed_taper_kmh", 0.0)
        made.asks, made.ends_kmh = int(take("throttle.asks", 0)), take("drive.speed_kmh", 60.0)
        made.cruise_s, made.cruise_least_kmh = (
            take("throttle.cruise_s", math.inf),
            take("throttle.cruise_least_kmh", 15.0),
        )
        made.cruise_ends = int(take("throttle.cruise_ends", 1))
        points = int(take("throttle.response.count", 0))
        made.response = tuple(
            (take(f"throttle.response.{at}.volts", 0.0), take(f"throttle.response.{at}.share", 0.0))
            for at in range(1, points + 1)
        )
        made.signal_v = (take("calibration.throttle_rest_v", 0.85), take("calibration.throttle_full_v", 4.1))
        made.shift_cut_s, made.shift_share = take("assist.shift_cut_s", 0.0), take("assist.shift_share", 0.0)
        count = int(take("assist.levels.count", 0))
        made.multipliers = [take(f"assist.levels.{at}.multiplier", 1.0) for at in range(1, count + 1)]
        made.power_shares = [take(f"assist.levels.{at}.power_share", 1.0) for at in range(1, count + 1)]
        made.style, made.handover_rpm = int(take("assist.style", 0)), take("assist.handover_rpm", 60.0)
        made.development_m, made.start_nm = take("assist.development_m", 4.5), take("assist.start_nm", 6.0)
        made.smoothing_deg, made.assist_ramp_s = take("assist.smoothing_deg", 180.0), take("assist.ramp_s", 0.3)
        made.level_share = level_share
        made.start_delay_s, made.start_a = take("assist.start_delay_s", 0.0), take("assist.start_current_a", 0.0)
        return made


class Rider:
    """The state of ramps and of the averaged torque."""

    def __init__(self) -> None:
        self.throttle = 0.0
        self.assist_a = 0.0
        self._torque: deque[tuple[float, float]] = deque()
        self._window_s = self._sum = self._waited_s = 0.0
        self.cruising: float | None = None  # the share that is held
        self._still = (0.0, 0.0)  # where the hand rests, and for how long
        self._gear, self._cut_s = 1, 0.0

    def step(
        self,
        dt: float,
        hands: Hands,
        c: RiderSettings,
        truth: Truth,
        speed_mps: float,
        most_a: float,
        pack_w: float,
        ratio: float,
    ) -> float:
        """The phase current asked for (A); ``pack_w``: the pack's volts times the battery current limit; ``ratio`` of the gear."""
        wanted = self._cruised(dt, hands, c, speed_mps, self._twisted(hands, c, speed_mps))
        self._ramp_throttle(dt, wanted, c)
        asked = min(self._assist(dt, hands, c, truth, speed_mps, most_a, ratio), most_a)
        if asked > 0:
            asked = min(asked, self._of_level(hands, c, truth, speed_mps * ratio, most_a, pack_w))
        self._waited_s = self._waited_s + dt if asked > 0 else 0.0
        if self._waited_s < c.start_delay_s:
            asked = 0.0
        elif asked > 0:
            self.assist_a = max(self.assist_a, min(c.start_a, asked))
        rise = most_a * dt / max(c.assist_ramp_s, 0.02)
        self.assist_a += max(-4 * most_a * dt, min(rise, asked - self.assist_a))
        by_hand = self._by_throttle(c, truth, speed_mps, most_a, pack_w, ratio)
        return self._shifted(dt, hands, c, max(by_hand, self.assist_a))

    def stop(self) -> None:
        """The lever cuts at once, and ends cruise."""
        self.throttle = self.assist_a = 0.0
        self.cruising, self._still = None, (0.0, 0.0)

    def _cruised(self, dt: float, hands: Hands, c: RiderSettings, speed_mps: float, wanted: float) -> float:
        """What is asked for when a throttle that was held still goes on by itself."""
        place, since_s = self._still
        moved = abs(hands.throttle - place) > 0.03
        self._still = (hands.throttle, 0.0) if moved else (place, since_s + dt)
        if self.cruising is not None:
            taken_again = hands.throttle > c.dead_band and moved
            if (c.cruise_ends == 1 and taken_again) or wanted > self.cruising:
                self.cruising = None
        elif wanted > 0 and self._still[1] >= c.cruise_s and speed_mps * 3.6 >= c.cruise_least_kmh:
            self.cruising = wanted
        return wanted if self.cruising is None else max(wanted, self.cruising)

    def _by_throttle(
        self, c: RiderSettings, truth: Truth, speed_mps: float, most_a: float, pack_w: float, ratio: float
    ) -> float:
        """The phase current (A) that the throttle's share asks for: of it, of the pack's power, or of the speed."""
        if c.asks == 1:
            return (
                min(self._of_power(self.throttle * pack_w, truth, speed_mps * ratio), most_a) if self.throttle else 0.0
            )
        if c.asks == 2:
            left = (self.throttle * c.ends_kmh - speed_mps * 3.6) / max(c.taper_kmh, 0.5)
            return most_a * min(max(left, 0.0), 1.0)
        return self.throttle * most_a

    def _shifted(self, dt: float, hands: Hands, c: RiderSettings, asked_a: float) -> float:
        """Less for a moment while gears change."""
        if hands.gear != self._gear:
            self._gear, self._cut_s = hands.gear, c.shift_cut_s
        self._cut_s = max(0.0, self._cut_s - dt)
        return asked_a * c.shift_share if self._cut_s > 0 else asked_a

    def _twisted(self, hands: Hands, c: RiderSettings, speed_mps: float) -> float:
        if (c.start == 1 and hands.cadence_rpm <= 0) or (c.start == 2 and speed_mps * 3.6 < c.rolling_kmh):
            return 0.0
        left_of_limit = (c.throttle_ends_kmh - speed_mps * 3.6) / max(c.taper_kmh, 0.1)
        share = _mapped(c, hands.throttle) if c.response else _along(c, hands.throttle)
        return share * min(max(left_of_limit, 0.0), 1.0)

    def _ramp_throttle(self, dt: float, wanted: float, c: RiderSettings) -> None:
        up, down = dt / max(c.ramp_s, 0.02), dt / max(c.release_s, 0.02)
        self.throttle += max(-down, min(up, wanted - self.throttle))

    def _assist(
        self, dt: float, hands: Hands, c: RiderSettings, truth: Truth, speed_mps: float, most_a: float, ratio: float
    ) -> float:
        if not 1 <= hands.level <= len(c.multipliers) or hands.cadence_rpm <= 0:
            self._torque.clear()
            self._window_s = self._sum = 0.0
            return 0.0
        if c.style == CADENCE:
            return most_a
        torque = self._averaged(dt, hands.human_nm, c.smoothing_deg / 360 * 60 / hands.cadence_rpm)
        if torque < c.start_nm:
            return 0.0
        by_torque = torque * 2 * math.pi / c.development_m
        by_power = torque * hands.cadence_rpm * math.pi / 30 / max(speed_mps, 0.14)
        share = {TORQUE: 0.0, POWER: 1.0}.get(c.style)
        if share is None:
            share = min(max(hands.cadence_rpm / c.handover_rpm - 0.5, 0.0), 1.0)
        force = c.multipliers[hands.level - 1] * ((1 - share) * by_torque + share * by_power)
        per_a = (
            1.5 * truth.pole_pairs * truth.flux_wb * ratio * truth.drive_efficiency / (truth.rolled_m / (2 * math.pi))
        )
        return force / per_a

    def _of_level(
        self, hands: Hands, c: RiderSettings, truth: Truth, motor_mps: float, most_a: float, pack_w: float
    ) -> float:
        """The phase current that the level's share leaves: of the phase current, or of what the pack may give; ``motor_mps``: the road
        speed times the gear's ratio."""
        share = c.power_shares[hands.level - 1]
        if c.level_share in ("phase_current", "torque"):
            return share * most_a
        return self._of_power(share * pack_w, truth, motor_mps)

    def _of_power(self, watts: float, truth: Truth, motor_mps: float) -> float:
        """The phase current that a power from the pack makes."""
        emf = motor_mps * 2 * math.pi / truth.rolled_m * truth.pole_pairs * truth.flux_wb
        spare, ohm = max(watts - truth.idle_w, 0.0) / 1.5, truth.winding_ohm + truth.stage_ohm
        return 2 * spare / max(emf + math.sqrt(emf**2 + 4 * ohm * spare), 1e-9)

    def _averaged(self, dt: float, torque: float, window_s: float) -> float:
        """The running mean over a time; what was before the first push counts as nothing."""
        self._torque.append((dt, torque))
        self._window_s += dt
        self._sum += dt * torque
        while self._window_s > window_s + dt and len(self._torque) > 1:
            for_s, gone = self._torque.popleft()
            self._window_s -= for_s
            self._sum -= for_s * gone
        return self._sum / max(window_s, dt)


def _along(c: RiderSettings, throttle: float) -> float:
    """The share of a twist on the points of the curve, straight between them."""
    left = max(0.0, (throttle - c.dead_band) / (1 - c.dead_band)) * (len(c.points) - 1)
    low = min(int(left), len(c.points) - 2)
    return c.points[low] + (c.points[low + 1] - c.points[low]) * (left - low)


def _mapped(c: RiderSettings, throttle: float) -> float:
    """The share of a twist on the response map, by the voltage it makes."""
    rest, full = c.signal_v
    volts = rest + throttle * (full - rest)
    if volts <= c.response[0][0]:
        return c.response[0][1]
    for (low_v, low), (high_v, high) in pairwise(c.response):
        if volts <= high_v:
            return low + (high - low) * (volts - low_v) / max(high_v - low_v, 1e-9)
    return c.response[-1][1]
