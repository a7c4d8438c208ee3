"""Two rides' consumption compared, with what the road, the wind of going faster and the load did taken out.

For each ride the energy at the wheel that the bike document's road load asks for at its own speeds, heights and stops is computed; what the
pack gave beyond or below that is what the tune, the rider and the weather did. The difference of the two ratios, with its error, is
what can be shown. The error has what both estimates are unsure of, and what a day's wind and temperature do to a round that nobody
measured.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.derived import summed
from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.evidence.energy_seen import energy_used
from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.evidence.even import even
from crisp_hornet.core.evidence.wheel_seen import circumference
from crisp_hornet.core.vehicle import G_MPS2, effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike

DAY = 0.02  # one standard deviation of what wind and temperature do to a round, as a share
CHANNELS = ("wheel_speed_kmh", "altitude_m", "human_nm", "cadence_rpm")
LEAST_KM, SHOWN = 1.0, 0.95


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
            return f"The two cannot be compared: {one.reason}."
        reach = f"{abs(100 * one.value):.0f} ± {100 * one.half_width:.0f} %"
        if one.low <= 0 <= one.high:
            return f"No difference in consumption can be shown from these two: {100 * one.value:+.0f} ± {100 * one.half_width:.0f} %."
        return (
            f"{reach} {'less' if one.value < 0 else 'more'} per km than the other, on the same road at the same pace."
        )


def compare(first: Ride, second: Ride, bike: Bike, extra_kg: float = 0.0) -> Compared:
    """The first ride against the second on one bike; ``extra_kg``: by so much the first was heavier loaded."""
    used = [energy_used(ride, bike, circumference(ride, bike)) for ride in (first, second)]
    for ride, one in zip((first, second), used, strict=True):
        if not one.wh_per_km.known or one.distance_km.value < LEAST_KM:
            why = refused(f"{ride.name}: {one.wh_per_km.reason or f'less than {LEAST_KM:g} km'}")
            return Compared(why, why)
    plain = _quotient(used[0].wh_per_km, used[1].wh_per_km, DAY)
    asked = [_asked_wh(ride, bike, kg) for ride, kg in ((first, extra_kg), (second, 0.0))]
    if min(asked) <= 0:
        return Compared(plain, refused("the road asked for no energy: it went downhill all the way"))
    shares = [one.wh_net.times(1 / wh) for one, wh in zip(used, asked, strict=True)]
    return Compared(plain, _quotient(shares[0], shares[1], DAY))


def _quotient(first: Estimate, second: Estimate, day: float) -> Estimate:
    value = first.value / second.value
    parts = [one.half_width / 1.96 / abs(one.value) for one in (first, second)]
    error = value * float(np.sqrt(parts[0] ** 2 + parts[1] ** 2 + 2 * day**2))
    return around(value - 1, error, 30)


def _asked_wh(ride: Ride, bike: Bike, extra_kg: float) -> float:
    """What road, hills and starts asked of the motor (Wh): what is lost in the brakes counts, the rider's own watts do not."""
    loaded = bike.model_copy(
        update={"chassis": bike.chassis.model_copy(update={"cargo_kg": bike.chassis.cargo_kg + extra_kg})}
    )
    smooth = even(ride, CHANNELS, 1.0)
    time, speed = smooth.time_s, np.nan_to_num(smooth.get("wheel_speed_kmh")) / 3.6
    resists = summed(time, np.asarray(road_load_n(loaded, 3.6 * speed)) * speed)[-1]
    moving = 0.5 * effective_mass_kg(loaded) * speed**2
    height = smooth.get("altitude_m")
    known = np.isfinite(height)
    if known.sum() > 10:
        moving = moving + loaded.mass_kg * G_MPS2 * np.interp(time, time[known], height[known])
    braked = _given_away(moving, np.asarray(road_load_n(loaded, 3.6 * speed)) * speed, time)
    human = np.nan_to_num(smooth.get("human_nm") * smooth.get("cadence_rpm")) * 2 * np.pi / 60
    return float(resists + (moving[-1] - moving[0]) + braked - 0.95 * summed(time, human)[-1]) / 3600


def _given_away(energy_j: np.ndarray, resists_w: np.ndarray, time: np.ndarray) -> float:
    """Energy (J) that the brakes took: what speed and height gave up beyond what the road took meanwhile."""
    given = -np.diff(energy_j) - resists_w[1:] * np.diff(time)
    return float(np.sum(np.maximum(given, 0.0)))
