"""What can be wrong with a run, and what it shows, in words."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.programmes.run import CLOSED, FULL
from crisp_hornet.core.programmes.wordings import shows, spoils, spoilt
from crisp_hornet.core.ride.along import way_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived, summed
from crisp_hornet.core.ride.track import steps_m
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import joined, quantity, say

LEAST_HZ = 4.0
LEVEL_GRADE = 2.5
HOLE_S = 2.0
OPEN_SHARE = 0.93
PEDALS_NM, BRAKES_A = 8, -1.5


def speed(ride: Ride) -> np.ndarray:
    """The wheel's speed where it is known (k,)."""
    values = ride.get("wheel_speed_kmh")
    return values[np.isfinite(values)]


def sparse(ride: Ride, least_hz: float = LEAST_HZ) -> list[str]:
    """Too few readings a second, or a hole in them."""
    if len(ride) < 5:
        return [spoils("no-readings")]
    steps = np.diff(ride.time_s)
    usual_s, longest_s = float(np.median(steps)), float(steps.max())
    seen_hz = 1 / usual_s if usual_s > 0 else np.inf  # a clock that stood still
    return spoilt(seen_hz < least_hz, "sparse", seen=quantity(seen_hz, "", ".1f"), least=quantity(least_hz)) + spoilt(
        longest_s > HOLE_S, "hole", longest=quantity(longest_s, "s", ".1f")
    )


def not_level(ride: Ride, bike: Bike) -> list[str]:
    """Grades that are no level stretch; silent where no heights are known."""
    grade = derived(ride, bike).get("grade")
    if grade is None or not np.isfinite(grade).any():
        return []
    mean = float(np.nanmean(grade))
    return spoilt(abs(mean) > LEVEL_GRADE, "slope", mean=quantity(mean, "%", "+.1f"))


def throttle_open(ride: Ride) -> list[str]:
    """A throttle that was not fully open, or a brake that was pulled."""
    throttle = ride.get("throttle")
    share = float(np.mean(throttle[np.isfinite(throttle)] >= FULL)) if np.isfinite(throttle).any() else 0.0
    return spoilt(share < OPEN_SHARE, "throttle", share=quantity(100 * share, "%", ".0f")) + braked(ride)


def braked(ride: Ride) -> list[str]:
    """A brake lever that was pulled."""
    return spoilt(np.nanmax(ride.get("brake"), initial=0) > 0, "brake")


def driven(ride: Ride) -> list[str]:
    """Anything that pushes or holds while the bike is to roll freely."""
    amps = ride.get("battery_a")
    return (
        braked(ride)
        + spoilt(np.nanmax(ride.get("throttle"), initial=0) > 2 * CLOSED, "driven")
        + spoilt(np.nanmax(ride.get("human_nm"), initial=0) > PEDALS_NM, "pedalled")
        + spoilt(bool(np.isfinite(amps).any()) and np.nanmin(amps) < BRAKES_A, "regen")
    )


def too_short(ride: Ride, least_s: float) -> list[str]:
    """Less than so many seconds."""
    lasts = float(ride.time_s[-1]) if len(ride) else 0.0
    return spoilt(lasts < least_s, "short", lasts=quantity(lasts, "s", ".0f"), least=quantity(least_s, "s", ".0f"))


def uneven(ride: Ride, share: float) -> list[str]:
    """A speed that spreads by more than a share of its mean."""
    values = speed(ride)
    if not values.size or values.mean() <= 0:
        return [spoils("no-speed")]
    spread = float(values.std() / values.mean())
    return spoilt(
        spread > share,
        "uneven",
        spread=quantity(100 * spread, "%", ".0f"),
        most=quantity(100 * share, "%"),
    )


def from_to(ride: Ride) -> str:
    """``3 to 38 km/h in 7.2 s``."""
    values = speed(ride)
    if not values.size:
        return shows("no-speed")
    return shows(
        "from-to",
        first=quantity(values[0], "km/h", ".0f", bare=True),
        last=quantity(values[-1], "km/h", ".0f"),
        time=quantity(ride.time_s[-1], "s", ".1f"),
    )


def used(ride: Ride) -> str:
    """``7.4 km, 216 Wh, 29.1 Wh/km``, as far as it is known."""
    way = way_km(ride)
    words = [say("{way}", way=quantity(way[-1], "km", ".1f"))] if way is not None else []
    if ride.has("pack_v") and ride.has("battery_a"):
        wh = float(summed(ride.time_s, ride.get("pack_v") * ride.get("battery_a"))[-1] / 3600)
        words.append(say("{wh}", wh=quantity(wh, "Wh", ".0f")))
        if way is not None and way[-1] > 0.1:
            words.append(say("{way}", way=quantity(wh / way[-1], "Wh/km", ".1f")))
    return joined(", ", words)


def apart_m(ride: Ride) -> float:
    """Metres from the first position to the last; NaN without positions."""
    lat, lon = ride.get("lat_deg"), ride.get("lon_deg")
    good = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
    if good.size < 2:
        return float("nan")
    ends = good[[0, -1]]
    return float(steps_m(lat[ends], lon[ends])[0])


def heading_deg(ride: Ride) -> float:
    """The direction from the first position to the last (degrees from north); NaN without positions."""
    lat, lon = ride.get("lat_deg"), ride.get("lon_deg")
    good = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
    if good.size < 2 or apart_m(ride) < 5:
        return float("nan")
    first, last = good[0], good[-1]
    east = (lon[last] - lon[first]) * np.cos(np.radians(lat[first]))
    return float(np.degrees(np.arctan2(east, lat[last] - lat[first])) % 360)
