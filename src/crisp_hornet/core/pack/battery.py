"""The pack as a rested voltage behind a resistance, and the guard that fades its current.

Loaded voltage: ``V = E − ib·Rb`` with ``V·ib = P``, the root with the higher V (maximum power transfer
theorem: no root above ``E²/4Rb``).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from crisp_hornet.core.arrays import Array, Figure


def loaded_voltage(rested_v: Figure, resistance_ohm: float, power_w: ArrayLike) -> Array:
    """Pack voltage (V) while giving ``power_w`` (W), same shape; NaN where the pack cannot give it."""
    power = np.asarray(power_w, float)
    inside = rested_v**2 - 4 * power * resistance_ohm
    return (rested_v + np.sqrt(np.where(inside >= 0, inside, np.nan))) / 2


HAIR = 1e-9


@dataclass(frozen=True)
class PowerCap:
    """The most the pack may give (W), and which limit says so."""

    power_w: float
    limit: str


def power_cap(
    rested_v: float,
    resistance_ohm: float,
    battery_current_a: float,
    fade_start_v: float,
    fade_end_v: float,
    power_w: float | None,
) -> PowerCap:
    """The greatest pack power (W) that current limit, low-voltage fade and power limit leave.

    The fade acts on the loaded voltage, which itself sags with the current. Both being linear in the
    current, the fixed point ``ib = B·(E − ib·Rb − end)/(start − end)`` is solved exactly:
    ``ib = B·(E − end)/(start − end + B·Rb)``.
    """
    room = fade_start_v - fade_end_v + battery_current_a * resistance_ohm
    above = rested_v - fade_end_v
    step = battery_current_a if above > 0 else 0.0  # a fade of no width on a pack of no resistance
    faded = battery_current_a * above / room if room > 0 else step
    current = min(max(faded, 0.0), battery_current_a)
    limit = "low_voltage" if faded < battery_current_a else "battery"
    if resistance_ohm > 0 and current > rested_v / (2 * resistance_ohm):
        current, limit = rested_v / (2 * resistance_ohm), "voltage"
    # a hair inside: on the very edge of a step fade rounding alone decides between all and nothing
    cap = current * (rested_v - current * resistance_ohm) * (1 - HAIR)
    if power_w is not None and power_w < cap:
        return PowerCap(power_w, "power")
    return PowerCap(cap, limit)


def most_power_w(rested_v: float, resistance_ohm: float) -> float:
    """The greatest power (W) a pack can give at all, ``E²/4Rb``; infinite without resistance."""
    return rested_v**2 / (4 * resistance_ohm) if resistance_ohm > 0 else math.inf


def charge_floor_w(
    rested_v: float, resistance_ohm: float, charge_current_a: float, fade_start_v: float, fade_end_v: float
) -> float:
    """The pack power (W, not above 0) that regen must not fall below: the greatest charging, faded as the pack fills.

    The same fixed point as :func:`power_cap`, mirrored: ``x = B·(end − E − x·Rb)/(end − start)`` gives
    ``x = B·(end − E)/(end − start + B·Rb)``.
    """
    room = fade_end_v - fade_start_v + charge_current_a * resistance_ohm
    below = fade_end_v - rested_v
    step = charge_current_a if below > 0 else 0.0
    faded = charge_current_a * below / room if room > 0 else step
    current = min(max(faded, 0.0), charge_current_a)
    return -current * (rested_v + current * resistance_ohm)
