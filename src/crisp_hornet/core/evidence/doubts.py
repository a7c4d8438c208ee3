"""Sensors that contradict the others, found before anything is concluded from them.

What a doubt names is left out of the ride that is judged; estimates that would have rested on it are refused with that reason.
"""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from typing import Any

from crisp_hornet.core.evidence.doubt_checks import CHECKS, Doubt, Looked
from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.channels import long_name
from crisp_hornet.documents.saying import say
from crisp_hornet.documents.tune import Tune

LEAST_S = 30.0  # shorter rides tell nothing of their sensors


def doubts_of(log: Ride, smooth: Ride, bike: Bike, tune: Tune) -> tuple[Doubt, ...]:
    """All doubts about a ride as it was recorded and on the even clock, at most one a channel."""
    found: dict[str, Doubt] = {}
    if len(smooth) * STEP_S < LEAST_S:
        return ()
    for check in CHECKS:
        doubt = check(Looked(log, without(smooth, tuple(found.values())), bike, tune))
        if doubt is not None:
            found.setdefault(doubt.channel, doubt)
    return tuple(found.values())


def without(ride: Ride, doubts: tuple[Doubt, ...]) -> Ride:
    """The ride without the channels that are doubted, and those that come from the same sensor."""
    gone = {doubt.channel for doubt in doubts}
    gone |= {"d_axis_a"} if "phase_a" in gone else set()
    return (
        replace(ride, channels={name: values for name, values in ride.channels.items() if name not in gone})
        if gone
        else ride
    )


# which of a verdict's parts rest on which channels
RESTS_ON = {
    "resistance_ohm": ("pack_v", "battery_a"), "capacity_ah": ("pack_v", "battery_a"),
    "circumference_m": ("wheel_speed_kmh", "gps_speed_kmh"),
    "way": ("wheel_speed_kmh", "gps_speed_kmh", "altitude_m"),
    "road": ("wheel_speed_kmh", "altitude_m", "battery_a", "phase_a"), "energy": ("pack_v", "battery_a", "wheel_speed_kmh"),
    "heat": ("motor_c", "controller_c", "phase_a", "wheel_speed_kmh"), "hill": ("motor_c", "phase_a", "wheel_speed_kmh"),
    "levels": ("human_nm", "cadence_rpm", "battery_a"), "pull": ("wheel_speed_kmh", "phase_a", "battery_a", "throttle"),
    "range_km": ("pack_v", "battery_a", "wheel_speed_kmh"), "motor": ("wheel_speed_kmh", "pack_v", "battery_a", "phase_a", "motor_c"),
    "weakening": ("wheel_speed_kmh", "phase_a"),
}  # fmt: skip


def with_reasons(verdict: Verdict, doubts: tuple[Doubt, ...]) -> Verdict:
    """A verdict in which what could not be said, because a channel was left out, says so."""
    if not doubts:
        return verdict
    changed = {}
    for name, channels in RESTS_ON.items():
        doubt = next((one for one in doubts if one.channel in channels), None)
        if doubt is not None:
            changed[name] = _refusing(getattr(verdict, name), doubt)
    return replace(verdict, **changed)


def _refusing(part: Any, doubt: Doubt) -> Any:
    if isinstance(part, Estimate):
        why = say("{channel}: {why}", channel=long_name(doubt.channel), why=doubt.why)
        return part if part.known else refused(why, part.unit)
    if isinstance(part, tuple):
        return tuple(_refusing(one, doubt) for one in part)
    if is_dataclass(part) and not isinstance(part, type):
        return replace(part, **{one.name: _refusing(getattr(part, one.name), doubt) for one in fields(part)})
    return part
