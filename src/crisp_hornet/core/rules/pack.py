"""Rules that protect the pack, its protection board and its wiring."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.heat.guarding import COLD_CHARGE_SHARE
from crisp_hornet.core.road.performance import launch_time_s, steady_speed_kmh
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity, say

BATTERY_CURRENT = "drive.battery_current_a"
CLIMB = 0.10  # the hill that is asked how long it needs the current
TRIP_MARGIN_CELL_V = 0.1  # cells of one pack lie so far apart when it is nearly empty
COLD_HARMS = 0.5  # of what the board allows: above it even the short pulses of braking plate


@rule_over(Axis.CHARGE)
def battery_over_bms(s: Situation) -> Warning_ | None:
    """The effective battery current exceeds what the protection board lets through for ever. Where its peak is known, that peak is the
    limit, and how long it would be asked for is told."""
    battery, current = s.bike.battery, effective_limits(s.bike, s.draft).battery_current_a.value
    allowed, peak = battery.bms_discharge_a, max(battery.bms_peak_a or 0.0, battery.bms_discharge_a)
    if current is None or current <= allowed:
        return None
    if current > peak:
        return says(
            "battery-over-bms",
            current=quantity(current, "A"),
            allowed=quantity(peak, "A"),
            setting=BATTERY_CURRENT,
            value=peak,
        )
    asked_s = seconds_above(s, allowed)
    if asked_s is None:
        return None
    held = (
        ""
        if battery.bms_peak_s is None
        else say(" It bears it for {seconds}.", seconds=quantity(battery.bms_peak_s, "s"))
    )
    return says(
        "battery-over-continuous",
        current=quantity(current, "A"),
        allowed=quantity(allowed, "A"),
        peak=quantity(peak, "A"),
        asked=say("{seconds} of a launch", seconds=quantity(asked_s, "s", ".0f"))
        if math.isfinite(asked_s)
        else "the whole climb",
        held=held,
        setting=BATTERY_CURRENT,
        value=allowed,
        amount=min(asked_s, 1e6),
    )


def seconds_above(s: Situation, current_a: float) -> float | None:
    """For how long (s) full throttle asks the pack for more than a current: while it launches on the flat, or for as long as a 10 % climb
    lasts (infinite) if the speed that settles there still asks for it. None where nothing ever does."""
    if s.curve is None:
        return None
    above = s.curve.battery_current_a > current_a * (1 + 1e-6)
    if not np.any(above):
        return None
    settles = steady_speed_kmh(s.curve, CLIMB)
    if float(np.interp(settles, s.curve.speed_kmh, s.curve.battery_current_a)) > current_a * (1 + 1e-6):
        return math.inf
    reached = s.curve.speed_kmh[above]
    ends = min(float(reached[-1]), 0.98 * steady_speed_kmh(s.curve, 0.0))
    return max(launch_time_s(s.curve, ends) - launch_time_s(s.curve, float(reached[0])), 0.0)


@rule
def battery_over_wiring(s: Situation) -> Warning_ | None:
    """The effective battery current exceeds the fuse or the wiring."""
    battery, current = s.bike.battery, effective_limits(s.bike, s.draft).battery_current_a.value
    known = [(value, what) for value, what in ((battery.fuse_a, "fuse"), (battery.wiring_a, "wiring")) if value]
    if current is None or not known or current <= min(known)[0]:
        return None
    allowed, what = min(known)
    return says(
        "battery-over-wiring",
        current=quantity(current, "A"),
        what=what,
        allowed=quantity(allowed, "A"),
        setting=BATTERY_CURRENT,
        value=allowed,
    )


@rule
def fade_under_trip(s: Situation) -> Warning_ | None:
    """The low-voltage cutoff ends at or below the voltage at which the protection board trips, or too near above it: the board trips on its
    weakest cell."""
    battery, end = s.bike.battery, s.draft.battery_guard.fade_end_v
    trip, safe = battery.bms_trip_v, battery.bms_trip_v + TRIP_MARGIN_CELL_V * battery.series
    if end >= safe - 1e-9:
        return None
    if end <= trip:
        return says(
            "fade-under-trip",
            end=quantity(end, "V"),
            trip=quantity(trip, "V"),
            safe=quantity(safe, "V", ".1f"),
            value=safe,
        )
    return says(
        "fade-near-trip",
        above=quantity((end - trip) / battery.series, "V", ".2f"),
        trip=quantity(trip, "V"),
        safe=quantity(safe, "V", ".1f"),
        value=safe,
    )


@rule
def regen_over_charge_limit(s: Situation) -> Warning_ | None:
    """Regen may push more into the pack than its board accepts."""
    current, allowed = s.draft.regen.battery_current_a, s.bike.battery.bms_charge_a
    if current <= allowed:
        return None
    return says("regen-over-charge", current=quantity(current, "A"), allowed=quantity(allowed, "A"), value=allowed)


@rule
def regen_in_frost(s: Situation) -> Warning_ | None:
    """Regen charges a frozen pack faster than its cells bear: lithium plates, unseen and for good."""
    current, allowed = s.draft.regen.battery_current_a, COLD_CHARGE_SHARE * s.bike.battery.bms_charge_a
    if not s.draft.regen.phase_current_a or current <= allowed:
        return None
    return says(
        "regen-in-frost",
        strength=Strength.WARN if current > COLD_HARMS * s.bike.battery.bms_charge_a else Strength.NOTE,
        current=quantity(current, "A"),
        allowed=quantity(allowed, "A", ".1f"),
    )
