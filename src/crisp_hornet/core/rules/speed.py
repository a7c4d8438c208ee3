"""Rules about speed, weakening, and what a limit is good for."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule, rule_over
from crisp_hornet.documents.saying import quantity, say

HILL = 0.10
BIG_WEAKENING = 0.6


@rule_over(Axis.CHARGE)
def faster_than_the_frame(s: Situation) -> Warning_ | None:
    """The bike gets faster on the flat than brakes, tyres and frame were made for."""
    rated = s.bike.chassis.rated_speed_kmh
    if rated is None or s.curve is None:
        return None
    top = steady_speed_kmh(s.curve, 0.0)
    if top <= 1.05 * rated:  # nobody brakes differently for a twentieth
        return None
    return Warning_(
        "faster-than-frame",
        Strength.WARN,
        say(
            "It reaches {top}; brakes, tyres and frame are for {rated}",
            top=quantity(top, "km/h", ".0f"),
            rated=quantity(rated, "km/h"),
        ),
        say(
            "From {top} it takes {rated} times the braking.",
            top=quantity(top, "km/h", ".0f"),
            rated=quantity((top / rated) ** 2, "", ".1f"),
        ),
        say("Limit the speed to {rated}", rated=quantity(rated, "km/h")),
        "drive.speed_kmh",
        rated,
        amount=top,
    )


@rule
def speed_cap_unreachable(s: Situation) -> Warning_ | None:
    """A speed limit that is never reached on the flat."""
    cap = s.draft.drive.speed_kmh
    if cap is None or s.curve is None:
        return None
    top = steady_speed_kmh(s.curve, 0.0)
    if top >= cap - 4 or top >= float(s.curve.speed_kmh[-1]) - 0.5:
        return None
    return Warning_(
        "speed-cap-unreachable",
        Strength.NOTE,
        say("The limit of {cap} is never reached", cap=quantity(cap, "km/h")),
        say("On the flat it ends at {top}; the limit only acts downhill.", top=quantity(top, "km/h", ".0f")),
        "Take it as it is, or lower it",
    )


@rule
def speed_cut_is_a_step(s: Situation) -> Warning_ | None:
    """The speed limit cuts without a taper."""
    drive = s.draft.drive
    if drive.speed_kmh is None or drive.speed_taper_kmh >= 0.5:
        return None
    return Warning_(
        "speed-cut-is-a-step",
        Strength.NOTE,
        "The speed limit cuts without a taper",
        "At the limit the pull comes and goes several times a second.",
        say("A taper of {at}", at=quantity(2, "km/h")),
        "drive.speed_taper_kmh",
        2.0,
    )


@rule
def taper_over_all_speeds(s: Situation) -> Warning_ | None:
    """The taper begins at standstill."""
    drive = s.draft.drive
    if drive.speed_kmh is None or drive.speed_taper_kmh < 0.8 * drive.speed_kmh:
        return None
    return Warning_(
        "taper-over-all-speeds",
        Strength.WARN,
        say(
            "The taper of {speed_taper} begins almost at standstill",
            speed_taper=quantity(drive.speed_taper_kmh, "km/h"),
        ),
        "The pull fades from the first turn of the wheel on.",
        say("A taper of {low} to {high}", low=quantity(2, "km/h", bare=True), high=quantity(5, "km/h")),
        "drive.speed_taper_kmh",
        3.0,
    )


@rule
def nothing_pulls(s: Situation) -> Warning_ | None:
    """Some limit is closed: the bike does not move."""
    if s.curve is None or np.any(s.curve.wheel_force_n > 0):
        return None
    return Warning_(
        "nothing-pulls",
        Strength.STOP,
        "With this draft the motor does not pull at all",
        "A limit is 0, or a fade is closed at this charge.",
        "Look at the limit named under the chart",
    )


@rule
def too_weak_for_a_hill(s: Situation) -> Warning_ | None:
    """It cannot start on a usual hill by itself."""
    if s.curve is None or not np.any(s.curve.wheel_force_n > 0) or steady_speed_kmh(s.curve, HILL) > 3:
        return None
    return Warning_(
        "too-weak-for-hill",
        Strength.NOTE,
        say("Without pedalling it does not climb {hill}", hill=quantity(100 * HILL, "%", ".0f")),
        "Held there with the throttle open, a motor that stands heats fastest.",
        "More phase current, or pedal along",
    )


def _never_sets(s: Situation, *names: str) -> bool:
    return s.curve is not None and not np.any(np.isin(s.curve.limit[s.curve.wheel_force_n > 0], names))


@rule
def power_limit_idle(s: Situation) -> Warning_ | None:
    """A power limit that sets nothing at any speed."""
    if (
        s.draft.drive.power_w is None
        or not np.any(s.curve is not None and s.curve.wheel_force_n > 0)
        or not _never_sets(s, "power")
    ):
        return None
    return Warning_(
        "power-limit-idle",
        Strength.NOTE,
        say("The power limit of {power} sets nothing at this charge", power=quantity(s.draft.drive.power_w, "W")),
        "Another limit is always lower.",
        "Leave it as a guard, or take it out",
    )


@rule
def battery_limit_idle(s: Situation) -> Warning_ | None:
    """A battery current that is never reached: the pack would give more."""
    if (
        s.curve is None
        or not np.any(s.curve.wheel_force_n > 0)
        or not _never_sets(s, "battery", "low_voltage", "power")
    ):
        return None
    most = float(np.max(s.curve.battery_current_a))
    if most > 0.75 * s.draft.drive.battery_current_a:
        return None
    return Warning_(
        "battery-limit-idle",
        Strength.NOTE,
        say(
            "{battery_current} of battery current are never reached",
            battery_current=quantity(s.draft.drive.battery_current_a, "A"),
        ),
        say(
            "At full pull it takes {most}; the phase current or the voltage ends it first.",
            most=quantity(most, "A", ".0f"),
        ),
        "Nothing to do, but raising it changes nothing",
    )


@rule
def weakening_large(s: Situation) -> Warning_ | None:
    """So much current against the magnets that little is left to pull with."""
    weakening, phase = s.draft.drive.field_weakening_a, effective_limits(s.bike, s.draft).phase_current_a.value or 0.0
    if weakening <= BIG_WEAKENING * phase or not weakening:
        return None
    return Warning_(
        "weakening-large",
        Strength.WARN,
        say(
            "{weakening} of weakening out of {phase} of phase current",
            weakening=quantity(weakening, "A"),
            phase=quantity(phase, "A"),
        ),
        "Near top speed most of the current only heats the winding.",
        say("At most {phase}", phase=quantity(BIG_WEAKENING * phase, "A", ".0f")),
        "drive.field_weakening_a",
        float(int(BIG_WEAKENING * phase)),
    )


@rule
def weakening_from_nothing(s: Situation) -> Warning_ | None:
    """Field weakening is used for the first time."""
    if s.controller is None or s.controller.drive.field_weakening_a > 0 or not s.draft.drive.field_weakening_a:
        return None
    return Warning_(
        "weakening-first-time",
        Strength.NOTE,
        "Field weakening is new on this bike",
        "Lost at speed (a brown-out, a fault) it brakes hard. Try it on the stand first, then in small steps.",
        "Begin with a few amperes",
    )


@rule
def overruled(s: Situation) -> Warning_ | None:
    """Something else in the chain limits lower than the tune: what is set has no effect."""
    limits = effective_limits(s.bike, s.draft)
    own = {
        "phase current": limits.phase_current_a,
        "battery current": limits.battery_current_a,
        "power": limits.power_w,
        "speed": limits.speed_kmh,
    }
    links = {link.name for link in s.bike.chain}
    found = [(what, one) for what, one in own.items() if one.owner in links]
    if not found:
        return None
    what, one = found[0]
    return Warning_(
        "overruled",
        Strength.NOTE,
        say("{owner} sets the {what}: {value}", owner=one.owner, what=what, value=quantity(one.value)),
        "What the draft asks for above that has no effect.",
        say("Change it on the {owner}, or take it as it is", owner=one.owner),
    )


@rule
def wheel_differs_in_chain(s: Situation) -> Warning_ | None:
    """A device in the chain believes another wheel."""
    own = s.bike.drivetrain.wheel_circumference_m
    off = [
        link for link in s.bike.chain if link.wheel_circumference_m and abs(link.wheel_circumference_m / own - 1) > 0.02
    ]
    if not off:
        return None
    link = off[0]
    return Warning_(
        "wheel-differs",
        Strength.WARN,
        say(
            "{name} believes a wheel of {wheel_circumference}, the bike says {own}",
            name=link.name,
            wheel_circumference=quantity(link.wheel_circumference_m, "m"),
            own=quantity(own, "m"),
        ),
        "Its speed, and any speed limit it sets, is off by as much.",
        say("Set {own} on the {name}", own=quantity(own, "m"), name=link.name),
    )


@rule
def nominal_differs_in_chain(s: Situation) -> Warning_ | None:
    """A device in the chain is set for another pack."""
    per_cell = {"lfp": 3.2}.get(s.bike.battery.chemistry, 3.65)
    own = per_cell * s.bike.battery.series
    off = [link for link in s.bike.chain if link.nominal_v and abs(link.nominal_v / own - 1) > 0.12]
    if not off:
        return None
    link = off[0]
    return Warning_(
        "nominal-differs",
        Strength.WARN,
        say(
            "{name} is set for a {nominal} pack, this one is about {own}",
            name=link.name,
            nominal=quantity(link.nominal_v, "V"),
            own=quantity(own, "V", ".0f"),
        ),
        "Its gauge lies, and a cutoff of its own may come far too early or too late.",
        say("Set it for {own}", own=quantity(own, "V", ".0f")),
    )


@rule
def many_changes(s: Situation) -> Warning_ | None:
    """Many limits rise at once: what did what will not be told."""
    if s.controller is None:
        return None
    watched = ("phase_current_a", "battery_current_a", "field_weakening_a", "motor_rpm")
    risen = [name for name in watched if getattr(s.draft.drive, name) > getattr(s.controller.drive, name) * 1.05 + 1e-9]
    if len(risen) < 3:
        return None
    return Warning_(
        "many-changes",
        Strength.NOTE,
        say("{risen} limits rise at once", risen=len(risen)),
        "Afterwards nobody can tell which of them did what.",
        "Change one or two, ride, look at the verdict",
    )
