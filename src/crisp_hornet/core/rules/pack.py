"""Rules that protect the pack, its protection board and its wiring."""

from __future__ import annotations

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule
from crisp_hornet.documents.saying import quantity, say

BATTERY_CURRENT = "drive.battery_current_a"


@rule
def battery_over_bms(s: Situation) -> Warning_ | None:
    """The effective battery current exceeds what the protection board lets through."""
    current, allowed = effective_limits(s.bike, s.draft).battery_current_a.value, s.bike.battery.bms_discharge_a
    if current is None or current <= allowed:
        return None
    return Warning_(
        "battery-over-bms",
        Strength.STOP,
        say("{current} is over what the pack allows", current=quantity(current, "A")),
        say(
            "Its protection board trips at {allowed}: the bike would go dead, most likely in a hard pull.",
            allowed=quantity(allowed, "A"),
        ),
        say("Lower to {allowed}", allowed=quantity(allowed, "A")),
        BATTERY_CURRENT,
        allowed,
    )


@rule
def battery_over_wiring(s: Situation) -> Warning_ | None:
    """The effective battery current exceeds the fuse or the wiring."""
    battery, current = s.bike.battery, effective_limits(s.bike, s.draft).battery_current_a.value
    known = [(value, what) for value, what in ((battery.fuse_a, "fuse"), (battery.wiring_a, "wiring")) if value]
    if current is None or not known or current <= min(known)[0]:
        return None
    allowed, what = min(known)
    return Warning_(
        "battery-over-wiring",
        Strength.STOP,
        say("{current} is over what the {what} carries", current=quantity(current, "A"), what=what),
        say(
            "The {what} is rated {allowed}: it would open, or run hot where nobody looks.",
            what=what,
            allowed=quantity(allowed, "A"),
        ),
        say("Lower to {allowed}", allowed=quantity(allowed, "A")),
        BATTERY_CURRENT,
        allowed,
    )


@rule
def fade_under_trip(s: Situation) -> Warning_ | None:
    """The low-voltage fade ends below the voltage at which the protection board trips."""
    end, trip = s.draft.battery_guard.fade_end_v, s.bike.battery.bms_trip_v
    if end >= trip:
        return None
    return Warning_(
        "fade-under-trip",
        Strength.WARN,
        say("The fade ends {end} under the pack's trip", end=quantity(trip - end, "V", ".1f")),
        say(
            "The pack switches off at {trip} while the controller still asks for current: the rider "
            "is dropped without warning.",
            trip=quantity(trip, "V"),
        ),
        say("End the fade at {trip} or above", trip=quantity(trip, "V")),
        "battery_guard.fade_end_v",
        trip,
    )


@rule
def regen_over_charge_limit(s: Situation) -> Warning_ | None:
    """Regen may push more into the pack than its board accepts."""
    current, allowed = s.draft.regen.battery_current_a, s.bike.battery.bms_charge_a
    if current <= allowed:
        return None
    return Warning_(
        "regen-over-charge",
        Strength.STOP,
        say("Regen {current} is over the pack's charge limit", current=quantity(current, "A")),
        say(
            "Its board accepts {allowed}; more harms cells, or trips the board and the brake with it.",
            allowed=quantity(allowed, "A"),
        ),
        say("Lower to {allowed}", allowed=quantity(allowed, "A")),
        "regen.battery_current_a",
        allowed,
    )
