"""Two rides' consumption compared, with what the road, the wind of going faster and the load did taken out.

For each ride the energy at the wheel that the bike document's road load asks for at its own speeds, heights and stops is computed; what the
pack gave beyond or below that is what the tune and the rider did. The difference of the two ratios, with its error, is what can be shown.
Air, wind and load are taken from the rides' cards (:mod:`~crisp_hornet.core.evidence.day`). The error has what both estimates are unsure
of, what a day does to a round where nobody wrote it down, and half of each correction that was made. The charge at the start is not
corrected for: energy is counted at the pack's terminals, where a lower voltage asks for more current and for the same watts.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.evidence.day import CORRECTED, UNKNOWN, Day, loaded, resistance_n
from crisp_hornet.core.evidence.energy_seen import energy_used
from crisp_hornet.core.evidence.estimate import REACH, Estimate, around, refused
from crisp_hornet.core.evidence.wheel_seen import circumference
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import summed
from crisp_hornet.core.ride.even import even
from crisp_hornet.core.ride.predicted import HUMAN_SHARE
from crisp_hornet.core.road.vehicle import G_MPS2, effective_mass_kg
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Symbol, quantity, say

CHANNELS = ("wheel_speed_kmh", "altitude_m", "human_nm", "cadence_rpm")
LEAST_KM = 1.0


@dataclass(frozen=True)
class Compared:
    """``plain``: how much less (negative) or more the first used per km, as it was ridden; ``same_road``: with each ride's speeds, climbs,
    stops and the rider's own watts taken out. Shares: −0.11 is 11 % less."""

    plain: Estimate
    same_road: Estimate

    @property
    def sentence(self) -> str:
        """What can be said."""
        one = self.same_road
        if not one.known:
            return say("The two cannot be compared: {reason}.", reason=one.reason)
        reach = say(
            "{value} ± {half_width}",
            value=quantity(abs(100 * one.value), "", ".0f"),
            half_width=quantity(100 * one.half_width, "%", ".0f"),
        )
        if one.low <= 0 <= one.high:
            return say(
                "No difference in consumption can be shown from these two: {value} ± {half_width}.",
                value=quantity(100 * one.value, "", "+.0f"),
                half_width=quantity(100 * one.half_width, "%", ".0f"),
            )
        return say(
            "{reach} {value} per {unit} than the other, on the same road at the same pace.",
            reach=reach,
            value="less" if one.value < 0 else "more",
            unit=Symbol("km"),
        )


def compare(first: Ride, second: Ride, bike: Bike, days: tuple[Day, Day] = (UNKNOWN, UNKNOWN)) -> Compared:
    """The first ride against the second on one bike, each with its day."""
    days = days[0].beside(days[1]), days[1].beside(days[0])
    used = [
        energy_used(ride, bike, circumference(ride, bike), day.rested_v)
        for ride, day in zip((first, second), days, strict=True)
    ]
    for ride, one in zip((first, second), used, strict=True):
        if not one.wh_per_km.known or one.distance_km.value < LEAST_KM:
            short = say("less than {least}", least=quantity(LEAST_KM, "km"))
            why = refused(say("{ride}: {reason}", ride=ride.name, reason=one.wh_per_km.reason or short))
            return Compared(why, why)
    plain = _quotient(used[0].wh_per_km, used[1].wh_per_km, [UNKNOWN.doubt] * 2)
    asked = [_asked_wh(ride, bike, day) for ride, day in zip((first, second), days, strict=True)]
    if min(asked) <= 0:
        return Compared(plain, refused("the road asked for no energy: it went downhill all the way"))
    shares = [one.wh_net.times(1 / wh) for one, wh in zip(used, asked, strict=True)]
    doubts = []
    for ride, day, wh in zip((first, second), days, asked, strict=True):
        moved = wh / _asked_wh(ride, bike, Day(load_kg=day.load_kg)) - 1
        doubts.append(float(np.hypot(day.doubt, CORRECTED * moved)))
    return Compared(plain, _quotient(shares[0], shares[1], doubts))


def _quotient(first: Estimate, second: Estimate, doubts: list[float]) -> Estimate:
    """What the sensors are off by is the same on both rides of one bike and falls out."""
    value = first.value / second.value
    parts = [one.own_half_width / REACH / abs(one.value) for one in (first, second)]
    error = value * float(np.sqrt(parts[0] ** 2 + parts[1] ** 2 + doubts[0] ** 2 + doubts[1] ** 2))
    return around(value - 1, error, 30)


def _asked_wh(ride: Ride, bike: Bike, day: Day) -> float:
    """What road, hills, starts and the air asked of the motor (Wh): what is lost in the brakes counts, the rider's own watts do not."""
    heavy = loaded(bike, day)
    smooth = even(ride, CHANNELS, 1.0)
    time, speed = smooth.time_s, np.nan_to_num(smooth.get("wheel_speed_kmh")) / 3.6
    road_w = resistance_n(heavy, speed, day) * speed
    moving = 0.5 * effective_mass_kg(heavy) * speed**2
    height = smooth.get("altitude_m")
    known = np.isfinite(height)
    if known.sum() > 10:
        moving = moving + heavy.mass_kg * G_MPS2 * np.interp(time, time[known], height[known])
    braked = _given_away(moving, road_w, time)
    human = np.nan_to_num(smooth.get("human_nm") * smooth.get("cadence_rpm")) * 2 * np.pi / 60
    asked_j = summed(time, road_w)[-1] + (moving[-1] - moving[0]) + braked - HUMAN_SHARE * summed(time, human)[-1]
    return float(asked_j) / 3600


def _given_away(energy_j: np.ndarray, resists_w: np.ndarray, time: np.ndarray) -> float:
    """Energy (J) that the brakes took: what speed and height gave up beyond what the road took meanwhile."""
    given = -np.diff(energy_j) - resists_w[1:] * np.diff(time)
    return float(np.sum(np.maximum(given, 0.0)))
