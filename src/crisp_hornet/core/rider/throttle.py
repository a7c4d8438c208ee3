"""The throttle: what a twist asks for, how fast it comes, and the launch that follows, step by step.

A throttle that asks for a share of the phase current asks for a share of the force at standstill; where battery or voltage limit
anyway, a part of the twist already gives all there is. Others ask for a share of the power, or of the speed. Between its points the
curve is Fritsch and Carlson's monotone cubic (*SIAM J. Numer. Anal.* 17, 1980): it never overshoots nor falls.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.limits import fade
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.road.performance import mass_along_kg, steady_speed_kmh
from crisp_hornet.core.road.vehicle import coasting_mass_kg, grip_force_n, lift_force_n, road_load_n
from crisp_hornet.documents.sensors import LEAST_SPAN_V, Sensors
from crisp_hornet.documents.throttle import TWISTS, Throttle

STEP_S = 0.01
USUAL_REST_V, USUAL_FULL_V = 0.85, 4.1  # of a Hall throttle fed with 5 V
LEAST_TAPER_KMH = 0.5
FAMILIES = ("linear", "gentle start", "gentle start, full end")


def signal_v(sensors: Sensors) -> tuple[float, float]:
    """The throttle's voltage at rest and fully open; what is usual, below or above the other one, where it was never calibrated."""
    rest, full = sensors.throttle_rest_v, sensors.throttle_full_v
    if rest is None:
        rest = USUAL_REST_V if full is None else min(USUAL_REST_V, full - LEAST_SPAN_V)
    return rest, max(USUAL_FULL_V, rest + LEAST_SPAN_V) if full is None else full


def throttle_share(throttle: Throttle, twist: ArrayLike, sensors: Sensors | None = None) -> Array:
    """The share (0 to 1, same shape) that a twist (0 to 1) asks for; a response map needs to know which voltages the twist makes."""
    if throttle.response is not None:
        rest, full = signal_v(sensors or Sensors())
        volts = rest + np.clip(np.asarray(twist, float), 0.0, 1.0) * (full - rest)
        at, given = [point.volts for point in throttle.response], [point.share for point in throttle.response]
        mapped: Array = np.interp(volts, at, given)
        return mapped
    left = np.clip((np.asarray(twist, float) - throttle.dead_band) / (1 - throttle.dead_band), 0.0, 1.0)
    twists, shares = (
        np.array((0.0, *TWISTS)),
        np.round((0.0, *throttle.shares), 9),
    )  # vanishing steps would overflow the harmonic mean
    if np.allclose(shares, twists * shares[-1], rtol=0, atol=1e-9):
        straight: Array = left * shares[-1]
        return straight
    from scipy.interpolate import PchipInterpolator  # here: its import would slow the start

    share: Array = PchipInterpolator(twists, shares)(left)
    return share


def standstill_share(throttle: Throttle, share: ArrayLike) -> Array:
    """The share of the force at standstill (0 to 1, same shape) that a share of what the throttle asks for is: of power or of speed
    any at all is all of it there, for neither limits at rest."""
    asked = np.asarray(share, float)
    of_force: Array = asked if throttle.asks == "phase current" else np.where(asked > 0, 1.0, 0.0)
    return of_force


def asked_force(
    curve: PullCurve, throttle: Throttle, taper_kmh: float, ends_kmh: float | None
) -> Callable[[float, float], float]:
    """From speed (km/h) and share (0 to 1) to the force (N) that the throttle asks for, full pull aside.

    Phase current: ``share·F(0)``. Power: ``share·max(F·v)/v``. Speed: all up to ``share`` of ``ends_kmh`` (without one, of what it reaches
    on the flat), fading over the taper before it, as a speed controller does.
    """
    at_rest, most = float(curve.wheel_force_n[0]), float(np.max(curve.wheel_force_n, initial=0.0))
    if throttle.asks == "power":
        most_w = float(np.max(curve.wheel_w, initial=0.0))
        return lambda kmh, share: share * most_w / max(kmh / 3.6, 1e-3)
    if throttle.asks == "speed":
        ends = ends_kmh if ends_kmh is not None else max(steady_speed_kmh(curve, 0.0), 1.0)
        taper = max(taper_kmh, LEAST_TAPER_KMH)
        return lambda kmh, share: most * min(max((share * ends - kmh) / taper, 0.0), 1.0)
    return lambda kmh, share: share * at_rest


def family_shares(family: str, maximum: float) -> tuple[float, float, float, float]:
    """The shares at :data:`TWISTS` of a family, up to ``maximum``: linear; gentle start (twist to the power 1.7); gentle start with a full
    end (cubic at first, then steeply up). Raises :class:`KeyError` for another name."""
    shapes = {
        "linear": TWISTS,
        "gentle start": tuple(twist**1.7 for twist in TWISTS),
        "gentle start, full end": (0.06, 0.22, 0.55, 1.0),
    }
    at = tuple(round(share * maximum, 3) for share in shapes[family])
    return at[0], at[1], at[2], at[3]


@dataclass(frozen=True, eq=False)
class TwistLaunch:
    """A launch with one twist held from the start; arrays (n,) over time."""

    twist: float
    time_s: Array
    force_n: Array
    speed_kmh: Array
    distance_m: Array
    front_keeps: float
    steepest_n_per_s: float
    rolled_back_m: float

    def seconds_to(self, kmh: float) -> float:
        """Time (s) to a speed; NaN if not reached."""
        reached = np.flatnonzero(self.speed_kmh >= kmh)
        if reached.size == 0:
            return math.nan
        at = int(reached[0])
        if at == 0:
            return 0.0
        return float(np.interp(kmh, self.speed_kmh[at - 1 : at + 1], self.time_s[at - 1 : at + 1]))


def twist_launch(
    curve: PullCurve,
    throttle: Throttle,
    twist: float,
    seconds: float = 6.0,
    grade: float = 0.0,
    rolling_kmh: float = 0.0,
    taper_kmh: float = 0.0,
    ends_kmh: float | None = None,
) -> TwistLaunch:
    """Twist at once and hold: ``m_eff·v' = min(F, grip) − F_road``, ``F`` the lesser of full pull and what is asked
    (:func:`asked_force`; ``ends_kmh``: where the drive ends), the share rising from 0 at 1/ramp_s. Heun's method. ``rolling_kmh``: the
    speed at the start, negative when rolling back, where ``rolling_back`` counts (half the current, or none until it stands).
    A speed limit of the throttle's own ends the force over ``taper_kmh``.
    """
    bike, wanted = curve.bike, float(throttle_share(throttle, twist, curve.bike.sensors))
    asked = asked_force(curve, throttle, taper_kmh, ends_kmh)
    grip, lift = grip_force_n(bike, grade), lift_force_n(bike, grade)
    full, load, mass, ending, step_kmh = _tables(curve, grade, throttle.speed_kmh, taper_kmh)
    back = {"drives": 1.0, "gently": 0.5, "waits": 0.0}[throttle.rolling_back]
    hold = float(road_load_n(bike, 0.0, grade))

    def force(kmh: float, share: float) -> float:
        if kmh < 0:
            return min(back * min(asked(0.0, share), full[0]), grip)
        place = kmh / step_kmh
        return min(_at(full, place), asked(kmh, share), grip) * _at(ending, place)

    def gain(kmh: float, share: float) -> float:
        drive = force(kmh, share)
        if kmh <= 0 and abs(drive - hold) < abs(hold) and drive <= hold and grade <= 0:
            return 0.0  # stands until the pull exceeds the rolling resistance
        if kmh < 0:
            return (drive - hold) / mass[0] * 3.6
        return (drive - _at(load, kmh / step_kmh)) / _at(mass, kmh / step_kmh) * 3.6

    count = round(seconds / STEP_S) + 1
    time = np.arange(count, dtype=np.float64) * STEP_S
    shares = (
        np.minimum(time / throttle.ramp_s, 1.0) * wanted if throttle.ramp_s > STEP_S / 100 else np.full(count, wanted)
    )
    shares[0] = 0.0
    speeds = [rolling_kmh]
    for now, then in zip(shares[:-1].tolist(), shares[1:].tolist(), strict=True):
        slope = gain(speeds[-1], now)
        ahead = gain(speeds[-1] + slope * STEP_S, then)
        speeds.append(speeds[-1] + (slope + ahead) / 2 * STEP_S)
    forces = np.array([force(kmh, share) for kmh, share in zip(speeds, shares.tolist(), strict=True)])
    speed = np.array(speeds)
    distance = np.append(0.0, np.cumsum((speed[1:] + speed[:-1]) / 7.2 * STEP_S))
    keeps = 1.0 if math.isinf(lift) else max(0.0, 1 - float(forces.max()) / lift)
    steepest = float(np.max(np.diff(forces), initial=0.0)) / STEP_S
    return TwistLaunch(twist, time, forces, speed, distance, keeps, steepest, max(0.0, -float(distance.min())))


def hill_start_back_m(curve: PullCurve, throttle: Throttle, grade: float, hesitate_s: float = 0.5) -> float:
    """Metres rolled back on a hill: the brake let go, ``hesitate_s`` (s) until the full twist; infinite if it keeps rolling."""
    bike = curve.bike
    downhill = float(road_load_n(bike, 0.0, grade)) - 2 * float(road_load_n(bike, 0.0, 0.0)) * math.cos(
        math.atan(grade)
    )
    if downhill <= 0:
        return 0.0
    slope = downhill / coasting_mass_kg(curve.bike_at(0.0))
    seconds = 2.5 + throttle.ramp_s
    started = twist_launch(curve, throttle, 1.0, seconds, grade, rolling_kmh=-3.6 * slope * hesitate_s)
    if started.speed_kmh[-1] < 0:
        return math.inf
    return slope * hesitate_s**2 / 2 + started.rolled_back_m


def _tables(
    curve: PullCurve, grade: float, ends_kmh: float | None, taper_kmh: float
) -> tuple[list[float], list[float], list[float], list[float], float]:
    """Full force, road load, the mass in the gear in use and the share that a limit of the throttle leaves, on even speeds from 0, and
    their spacing (km/h)."""
    speed = np.linspace(0.0, float(curve.speed_kmh[-1]), 801)
    full = np.interp(speed, curve.speed_kmh, curve.wheel_force_n)
    ending = np.ones_like(speed) if ends_kmh is None else fade(speed, max(ends_kmh - taper_kmh, 0.0), ends_kmh)
    load, mass = road_load_n(curve.bike, speed, grade), mass_along_kg(curve, speed)
    return full.tolist(), load.tolist(), mass.tolist(), ending.tolist(), float(speed[1])


def _at(table: list[float], place: float) -> float:
    low = min(int(place), len(table) - 2)
    return table[low] + (table[low + 1] - table[low]) * (place - low)
