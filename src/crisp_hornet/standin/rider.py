"""A rider for the simulated bike: follows a route and records what the controller's sensors say."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass

from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike


@dataclass(frozen=True)
class Leg:
    """A stretch of road: length (m), grade (rise over run), speed wanted (km/h; None: full throttle), and a
    stop at its end (s)."""

    length_m: float
    grade: float
    wanted_kmh: float | None
    stop_s: float = 0.0


# A bakery's round in Tarnholm: along the lake, up Quarry Lane, down to the mill, through the town.
BAKERY_ROUND = [
    Leg(260, 0.0, 18, 8),
    Leg(420, 0.005, 27),
    Leg(300, 0.0, None, 20),
    Leg(520, 0.01, 30),
    Leg(250, -0.005, 24, 14),
    Leg(160, 0.03, None),
    Leg(520, 0.105, None, 25),
    Leg(380, 0.07, 20),
    Leg(450, -0.04, 32),
    Leg(480, -0.07, 30, 10),
    Leg(200, 0.0, None, 30),
    Leg(350, 0.01, 22, 18),
    Leg(280, 0.0, None, 12),
    Leg(600, 0.015, 31),
    Leg(260, -0.01, 20, 22),
    Leg(420, 0.045, None),
    Leg(300, -0.045, 30),
    Leg(820, 0.0, None, 9),
    Leg(330, 0.0, 22, 25),
    Leg(400, -0.01, 27, 8),
]
# A loop by the lake and over the quarry's rim, on a light bike.
LAKE_LOOP = [
    Leg(300, 0.0, 22, 6),
    Leg(420, 0.01, None),
    Leg(350, 0.02, 28),
    Leg(330, 0.11, None),
    Leg(240, 0.08, 22, 8),
    Leg(520, -0.07, 38),
    Leg(200, 0.0, None, 6),
    Leg(380, 0.005, 30),
    Leg(260, 0.06, None),
    Leg(420, -0.045, 34, 8),
    Leg(380, 0.0, None, 5),
    Leg(300, 0.0, 24, 6),
]
SHIFT_RPM = 4100.0  # a rider shifts up when the motor sounds like this
BRAKING_MPS2 = 1.6
STEP_S = 0.001


class _Rider:
    """Turns a route into throttle, brake and pedalling."""

    def __init__(self, route: list[Leg], hands: Hands, seed: int) -> None:
        self._route, self._hands = list(route), hands
        self._chance = random.Random(seed)
        self._leg_end_m = route[0].length_m
        self._stopped_until: float | None = None
        self._braking = False

    def act(self, time_s: float, at_m: float, speed_mps: float) -> bool:
        """Set the hands for this moment; False once the route is done."""
        hands = self._hands
        leg = self._route[0]
        hands.grade = leg.grade
        if self._stopped_until is not None:
            hands.throttle, hands.brake, hands.human_nm, hands.cadence_rpm = 0.0, True, 0.0, 0.0
            if time_s >= self._stopped_until:
                self._stopped_until, self._braking = None, False
                hands.brake = False
                return self._next_leg()
            return True
        left = self._leg_end_m - at_m
        self._braking = leg.stop_s > 0 and (self._braking or left < speed_mps**2 / (2 * BRAKING_MPS2) or left <= 0)
        if self._braking:  # once begun to the end, or lever and throttle would take turns
            hands.throttle, hands.brake = 0.0, True
            hands.human_nm = hands.cadence_rpm = 0.0
            if speed_mps < 0.1:
                self._stopped_until = time_s + leg.stop_s
            return True
        if left <= 0:
            return self._next_leg()
        self._ride(leg, speed_mps)
        return True

    def _next_leg(self) -> bool:
        self._route.pop(0)
        if not self._route:
            return False
        self._leg_end_m += self._route[0].length_m
        return True

    def _ride(self, leg: Leg, speed_mps: float) -> None:
        hands, kmh = self._hands, speed_mps * 3.6
        hands.brake = leg.wanted_kmh is not None and kmh > leg.wanted_kmh + 2.5
        pedalling = 1.2 < kmh < 31 and leg.grade > -0.03
        hands.cadence_rpm = min(78.0, 25 + 2.2 * kmh) if pedalling else 0.0
        hands.human_nm = max(0.0, 17 + 60 * leg.grade + self._chance.gauss(0, 1.5)) if pedalling else 0.0
        if leg.wanted_kmh is None:
            hands.throttle = 1.0
        else:
            hands.throttle = 0.0 if hands.brake else min(1.0, max(0.0, 0.16 * (leg.wanted_kmh - kmh) + 0.12))


def record(
    bike: SimulatedBike,
    controller: SimulatedController,
    hands: Hands,
    route: list[Leg],
    *,
    seed: int = 5,
    every_s: float = 0.2,
    longest_s: float = 3600,
) -> Iterator[dict[str, float]]:
    """Ride a route; yields one row of exchange-form channels each ``every_s`` seconds."""
    chance = random.Random(seed)
    rider = _Rider(route, hands, seed)
    hands.wheel_up = False
    altitude, gps_mps, steps = 412.0, 0.0, 0
    per_row = round(every_s / STEP_S)
    time_s, going = 0.0, True
    while going and time_s < longest_s:
        if steps % 50 == 0:
            going = rider.act(time_s, bike.state.travelled_m, bike.state.speed_mps)
            hands.gear = _gear(bike)
        if steps % per_row == 0:
            gps_mps += (bike.state.speed_mps - gps_mps) * min(1.0, every_s / 0.9)
            yield _row(time_s, controller, altitude, max(0.0, gps_mps * 3.6 + chance.gauss(0, 0.25)))
        bike.step(STEP_S, hands, controller.settings)
        altitude += bike.state.speed_mps * STEP_S * hands.grade
        steps += 1
        time_s = steps * STEP_S


def _gear(bike: SimulatedBike) -> int:
    """The lowest gear in which the motor does not yet sound too fast; the highest where all do."""
    wheel_rpm = bike.state.speed_mps / bike.truth.rolled_m * 60
    gears = bike.truth.gears
    return next((at + 1 for at, ratio in enumerate(gears) if wheel_rpm * ratio < SHIFT_RPM), max(len(gears), 1))


def _row(time_s: float, controller: SimulatedController, altitude_m: float, gps_kmh: float) -> dict[str, float]:
    live = controller.live()
    rounded = {
        "wheel_speed_kmh": 2,
        "motor_rpm": 0,
        "pack_v": 2,
        "battery_a": 2,
        "phase_a": 1,
        "throttle": 3,
        "human_nm": 1,
        "cadence_rpm": 1,
        "motor_c": 1,
        "controller_c": 1,
        "brake": 0,
        "fault": 0,
    }
    row = {"time_s": round(time_s, 3), "gps_speed_kmh": round(gps_kmh, 1), "altitude_m": round(altitude_m, 1)}
    return row | {name: round(live[name], digits) for name, digits in rounded.items()}
