"""Which channels are shown together, and in which words."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.limit_along import LIMITS
from crisp_hornet.documents.channels import TABLE, short_name
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import Units

Rows = tuple[tuple[str, ...], ...]
"""From the top: what shares a row has one unit."""

WHOLE: Rows = (("wheel_speed_kmh",), ("pack_v",), ("battery_a",), ("phase_a",), ("throttle",), ("motor_c",), ("human_nm",),
               ("altitude_m",))  # fmt: skip
GROUPS: dict[str, Rows] = {
    "overview": WHOLE,
    "pull": (("wheel_speed_kmh",), ("throttle",), ("limit",), ("phase_a", "d_axis_a"), ("battery_a",), ("battery_w", "wheel_w"),
             ("phase_per_battery",)),
    "pack": (("pack_v", "rested_v"), ("battery_a",), ("battery_w", "predicted_w"), ("wh",), ("ah",)),
    "heat": (("motor_c", "controller_c"), ("phase_a",), ("battery_a",), ("wheel_speed_kmh",)),
    "rider": (("human_w",), ("human_nm",), ("cadence_rpm",), ("level",), ("human_share",), ("wheel_speed_kmh",)),
    "route": (("altitude_m",), ("grade",), ("wheel_speed_kmh", "gps_speed_kmh"), ("acceleration_mps2",), ("efficiency",)),
}  # fmt: skip
LIMIT_WORDS = {"none": "", "rider": "throttle", "low_voltage": "low voltage"}


def limit_word(code: float) -> str:
    """What held the motor back, in words; "" where nothing did."""
    name = LIMITS[int(code)]
    return LIMIT_WORDS.get(name, name)


def unit_of(channel: str, units: Units) -> str:
    """The unit a channel is shown in."""
    return "%" if channel == "throttle" else units.unit(TABLE[channel].unit)


def turned(channel: str, values: Array, units: Units) -> Array:
    """Values of a channel as they are shown."""
    if channel == "throttle":
        return 100 * values
    low, high = units.value(0.0, TABLE[channel].unit), units.value(1.0, TABLE[channel].unit)
    return values if (low, high) == (0.0, 1.0) else low + (high - low) * values


def told(channel: str, value: float) -> str:
    """``battery 30.0 A``; "" for a value that is missing."""
    if not np.isfinite(value):
        return ""
    if channel == "limit":
        word = limit_word(value)
        return f"limited by {word}" if word else "not driven"
    unit = TABLE[channel].unit
    number = (
        quantity(100 * value, "%", ".0f")
        if channel == "throttle"
        else quantity(value, unit, ".0f" if unit == "W" else ".1f")
    )
    return say("{channel} {value}", channel=short_name(channel), value=number)
