"""A ride on a road of a job, on the simulated bike itself or on a copy of it, in virtual time.

The rider is simple: full throttle (or a share, or a speed that is held), perhaps pedalling, perhaps a hand on the brake lever at some
speed. What is seen is what instruments beside the bike would see; the log has what the controller's sensors say.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.documents.job import JobRoad
from crisp_hornet.standin.workshop import Workshop

STEP_S, ROW_S, HAND_S = 0.004, 0.2, 0.04
WALKING_KMH, STANDING_KMH, HELD_UP_S = 5.0, 0.5, 12.0
STARTS_15_KMH = 15.0
PLACE = (47.2, 8.4)  # where the roads of practice lie on the map: nowhere in particular
M_PER_DEG = 111_320.0


@dataclass
class Seen:
    """What was seen on one ride. Times are s, inf where it never came to that."""

    top_kmh: float = 0.0
    end_kmh: float = 0.0
    metres: float = 0.0
    time_s: float = math.inf
    to_15_s: float = math.inf
    to_walking_s: float = math.inf
    after_fade_s: float = math.inf  # from the first low-voltage fade to the end, or to the BMS
    wh_per_km: float = math.inf
    stop_m: float = 0.0
    battery_a_max: float = 0.0
    battery_a_steady: float = 0.0  # mean over the last ten seconds
    winding_c_max: float = 0.0
    front_share_min: float = 1.0
    bms_opened: float = 0.0
    loops: float = 0.0
    ah: float = 0.0
    rows: list[dict[str, float]] = field(default_factory=list)

    def log(self, name: str) -> Ride:
        """The ride as a logger on the bike wrote it."""
        time_s = np.array([row["time_s"] for row in self.rows])
        names = [one for one in CHANNELS if self.rows and one in self.rows[0]]
        return Ride(name, time_s, {one: np.array([row[one] for row in self.rows]) for one in names})


class Cancelled(Exception):
    """The ride was ended by whoever asked for it."""


def ride(
    shop: Workshop,
    road: JobRoad,
    go_on: Callable[[float], bool] = lambda _share: True,
    rider_kg: float | None = None,
) -> Seen:
    """Ride a road. ``go_on`` is told the share that is done and answers whether to go on; else :class:`Cancelled`. ``rider_kg``: somebody
    else rides."""
    if rider_kg is not None:
        shop.bike.load(rider_kg)
    return _Rider(shop, road).ride(go_on)


class _Rider:
    """One ride."""

    def __init__(self, shop: Workshop, road: JobRoad) -> None:
        self._shop, self._road, self._seen = shop, road, Seen()
        self._at = [point.at_m for point in road.points]
        self._began_m = shop.bike.state.travelled_m
        self._began_ah = shop.bike.state.used_ah
        self._energy_wh, self._stood_s, self._fading_since, self._braked_at = 0.0, 0.0, math.inf, math.nan
        self._last: list[float] = []

    def ride(self, go_on: Callable[[float], bool]) -> Seen:
        """To the road's end, or until nothing moves any more."""
        shop, seen, road = self._shop, self._seen, self._road
        self._set_out()
        bms_before, loops_before = shop.bike.state.bms.openings, shop.bike.state.loops
        steps, time_s = 0, 0.0
        per_row, per_hand = round(ROW_S / STEP_S), round(HAND_S / STEP_S)
        while time_s < road.longest_s:
            metres = shop.bike.state.travelled_m - self._began_m
            if steps % per_row == 0:
                seen.rows.append(self._row(time_s, metres))
                if not go_on(min(metres / road.length_m, 1.0)):
                    raise Cancelled
            if steps % per_hand == 0 and not self._hold(time_s, metres):
                break
            shop.step(STEP_S)
            steps += 1
            time_s = steps * STEP_S
            self._see(time_s, metres)
        seen.bms_opened = float(shop.bike.state.bms.openings - bms_before)
        seen.loops = float(shop.bike.state.loops - loops_before)
        self._arrive(time_s)
        return seen

    def _set_out(self) -> None:
        hands, bike, road = self._shop.hands, self._shop.bike, self._road
        hands.wheel_up, hands.throttle, hands.brake, hands.charging = False, 0.0, 0.0, False
        hands.level, hands.gear, hands.mode, hands.ambient_c = road.level, road.gear, road.mode, road.ambient_c
        bike.state.speed_mps = bike.state.motor_rad = 0.0
        if road.charge is not None:
            bike.state.charge, bike.state.slow_v = road.charge, 0.0
            bike.state.bms.close()
        if road.winding_c is not None:
            bike.state.winding_c = bike.state.housing_c = road.winding_c
        bike.state.battery_cap = 1e9
        hands.grade = self._grade(0.0)

    def _grade(self, metres: float) -> float:
        points = self._road.points
        at = min(max(bisect.bisect_right(self._at, metres), 1), len(points) - 1)
        one, other = points[at - 1], points[at]
        return (other.altitude_m - one.altitude_m) / (other.at_m - one.at_m)

    def _altitude(self, metres: float) -> float:
        return float(np.interp(metres, self._at, [point.altitude_m for point in self._road.points]))

    def _hold(self, time_s: float, metres: float) -> bool:
        """The hands of this moment; False once there is nothing more to see."""
        shop, road, seen = self._shop, self._road, self._seen
        hands, kmh = shop.hands, shop.bike.state.speed_mps * 3.6
        hands.grade = self._grade(metres)
        hands.throttle = road.throttle
        if road.hold_kmh is not None:
            hands.throttle = min(1.0, max(0.0, 0.16 * (road.hold_kmh - kmh) + 0.12))
        pedals = road.cadence_rpm > 0
        hands.human_nm, hands.cadence_rpm = (road.human_nm, road.cadence_rpm) if pedals else (0.0, 0.0)
        if road.brake_at_kmh is not None and (kmh >= road.brake_at_kmh or not math.isnan(self._braked_at)):
            if math.isnan(self._braked_at):
                self._braked_at = metres
            hands.brake = road.brake
            seen.stop_m = metres - self._braked_at
            if kmh < STANDING_KMH:
                return False
        if metres >= road.length_m:
            seen.time_s = time_s
            return False
        state = shop.bike.state
        self._stood_s = self._stood_s + HAND_S if kmh < STANDING_KMH else 0.0
        return self._stood_s < HELD_UP_S and not state.bms_open and not state.looped

    def _see(self, time_s: float, metres: float) -> None:
        seen, state = self._seen, self._shop.bike.state
        kmh = state.speed_mps * 3.6
        seen.top_kmh = max(seen.top_kmh, kmh)
        if kmh >= STARTS_15_KMH and math.isinf(seen.to_15_s):
            seen.to_15_s = time_s
        settings = self._shop.controller.settings
        if math.isinf(self._fading_since) and 0 < state.pack_v < settings.low_start_v:
            self._fading_since = time_s
        if not math.isinf(self._fading_since) and kmh > WALKING_KMH:
            seen.after_fade_s = time_s - self._fading_since
        seen.battery_a_max = max(seen.battery_a_max, state.battery_a)
        seen.winding_c_max = max(seen.winding_c_max, state.winding_c)
        seen.front_share_min = min(seen.front_share_min, state.front_share)
        self._energy_wh += state.battery_a * state.pack_v * STEP_S / 3600
        self._last.append(state.battery_a)
        seen.metres = metres

    def _arrive(self, time_s: float) -> None:
        seen, state, hands = self._seen, self._shop.bike.state, self._shop.hands
        seen.end_kmh = state.speed_mps * 3.6
        seen.ah = state.used_ah - self._began_ah
        if seen.metres > 1:
            seen.wh_per_km = self._energy_wh / seen.metres * 1000
        last = self._last[-round(10 / STEP_S) :]
        seen.battery_a_steady = sum(last) / len(last) if last else 0.0
        hands.throttle, hands.human_nm, hands.cadence_rpm, hands.brake = 0.0, 0.0, 0.0, 0.0
        state.speed_mps = state.motor_rad = state.iq = state.i_d = 0.0

    def _row(self, time_s: float, metres: float) -> dict[str, float]:
        live = self._shop.controller.live()
        north = metres / M_PER_DEG
        known = {name: live[name] for name in CHANNELS if name in live}
        return known | {
            "time_s": round(time_s, 3),
            "gps_speed_kmh": round(self._shop.bike.state.speed_mps * 3.6, 2),
            "altitude_m": round(self._altitude(metres), 2),
            "lat_deg": PLACE[0] + north,
            "lon_deg": PLACE[1],
            "d_axis_a": round(self._shop.bike.state.i_d, 2),
        }
