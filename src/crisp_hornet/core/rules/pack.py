"""Rules that protect the pack, its protection board and its wiring."""

from __future__ import annotations

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.rules.kinds import Situation, Warning_, rule, says
from crisp_hornet.documents.saying import quantity

BATTERY_CURRENT = "drive.battery_current_a"


@rule
def battery_over_bms(s: Situation) -> Warning_ | None:
    """The effective battery current exceeds what the protection board lets through."""
    current, allowed = effective_limits(s.bike, s.draft).battery_current_a.value, s.bike.battery.bms_discharge_a
    if current is None or current <= allowed:
        return None
    return says(
        "battery-over-bms",
        current=quantity(current, "A"),
        allowed=quantity(allowed, "A"),
        setting=BATTERY_CURRENT,
        value=allowed,
    )


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
    """The low-voltage fade ends below the voltage at which the protection board trips."""
    end, trip = s.draft.battery_guard.fade_end_v, s.bike.battery.bms_trip_v
    if end >= trip:
        return None
    return says("fade-under-trip", end=quantity(trip - end, "V", ".1f"), trip=quantity(trip, "V"), value=trip)


@rule
def regen_over_charge_limit(s: Situation) -> Warning_ | None:
    """Regen may push more into the pack than its board accepts."""
    current, allowed = s.draft.regen.battery_current_a, s.bike.battery.bms_charge_a
    if current <= allowed:
        return None
    return says("regen-over-charge", current=quantity(current, "A"), allowed=quantity(allowed, "A"), value=allowed)
