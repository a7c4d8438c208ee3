"""Rules about speed, weakening, and what a limit is good for."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.drive.limits import Effective, effective_limits
from crisp_hornet.core.pack.nominal import called_v, names
from crisp_hornet.core.road.performance import steady_speed_kmh
from crisp_hornet.core.rules.kinds import Axis, Situation, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity

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
    return says(
        "faster-than-frame",
        top=quantity(top, "km/h", ".0f"),
        rated=quantity(rated, "km/h"),
        rated_2=quantity((top / rated) ** 2, "", ".1f"),
        value=rated,
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
    return says("speed-cap-unreachable", cap=quantity(cap, "km/h"), top=quantity(top, "km/h", ".0f"))


@rule
def speed_cut_is_a_step(s: Situation) -> Warning_ | None:
    """The speed limit cuts without a taper."""
    drive = s.draft.drive
    if drive.speed_kmh is None or drive.speed_taper_kmh >= 0.5:
        return None
    return says("speed-cut-is-a-step", at=quantity(2, "km/h"), value=2.0)


@rule
def taper_over_all_speeds(s: Situation) -> Warning_ | None:
    """The taper begins at standstill."""
    drive = s.draft.drive
    if drive.speed_kmh is None or drive.speed_taper_kmh < 0.8 * drive.speed_kmh:
        return None
    return says(
        "taper-over-all-speeds",
        speed_taper=quantity(drive.speed_taper_kmh, "km/h"),
        low=quantity(2, "km/h", bare=True),
        high=quantity(5, "km/h"),
        value=3.0,
    )


@rule
def nothing_pulls(s: Situation) -> Warning_ | None:
    """Some limit is closed: the bike does not move."""
    if s.curve is None or np.any(s.curve.wheel_force_n > 0):
        return None
    return says("nothing-pulls")


@rule
def too_weak_for_a_hill(s: Situation) -> Warning_ | None:
    """It cannot start on a usual hill by itself."""
    if s.curve is None or not np.any(s.curve.wheel_force_n > 0) or steady_speed_kmh(s.curve, HILL) > 3:
        return None
    return says("too-weak-for-hill", hill=quantity(100 * HILL, "%", ".0f"))


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
    return says("power-limit-idle", power=quantity(s.draft.drive.power_w, "W"))


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
    return says(
        "battery-limit-idle",
        battery_current=quantity(s.draft.drive.battery_current_a, "A"),
        most=quantity(most, "A", ".0f"),
    )


@rule
def weakening_large(s: Situation) -> Warning_ | None:
    """So much current against the magnets that little is left to pull with."""
    weakening, phase = s.draft.drive.field_weakening_a, effective_limits(s.bike, s.draft).phase_current_a.value or 0.0
    if weakening <= BIG_WEAKENING * phase or not weakening:
        return None
    return says(
        "weakening-large",
        weakening=quantity(weakening, "A"),
        phase=quantity(phase, "A"),
        phase_2=quantity(BIG_WEAKENING * phase, "A", ".0f"),
        value=float(int(BIG_WEAKENING * phase)),
    )


@rule
def weakening_from_nothing(s: Situation) -> Warning_ | None:
    """Field weakening is used for the first time."""
    if s.controller is None or s.controller.drive.field_weakening_a > 0 or not s.draft.drive.field_weakening_a:
        return None
    return says("weakening-first-time")


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
    set_to = _set_to(s)
    found = [(what, one) for what, one in own.items() if one.owner in links and not _raises(one, set_to[what])]
    if not found:
        return None
    what, one = found[0]
    return says("overruled", owner=one.owner, what=what, value_=quantity(one.value))


@rule
def device_raises(s: Situation) -> Warning_ | None:
    """A device that replaces what the tune says lets more through than the tune."""
    limits, set_to = effective_limits(s.bike, s.draft), _set_to(s)
    for what, key, unit in (
        ("phase current", "phase_current_a", "A"),
        ("battery current", "battery_current_a", "A"),
        ("power", "power_w", "W"),
        ("speed", "speed_kmh", "km/h"),
    ):
        one, drafted = getattr(limits, key), set_to[what]
        if drafted is not None and _raises(one, drafted):
            return says(
                "device-raises",
                owner=[link.name for link in s.bike.chain if key in link.replaces and getattr(link, key) is not None][
                    -1
                ],
                what=what,
                value_=quantity(one.value, unit),
                tuned=quantity(drafted, unit),
                amount=one.value,
            )
    return None


def _set_to(s: Situation) -> dict[str, float | None]:
    drive = s.draft.drive
    return {
        "phase current": drive.phase_current_a,
        "battery current": drive.battery_current_a,
        "power": drive.power_w,
        "speed": drive.speed_kmh,
    }


def _raises(effective: Effective, tuned: float | None) -> bool:
    return tuned is not None and effective.value is not None and effective.value > tuned


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
    return says(
        "wheel-differs",
        name=link.name,
        wheel_circumference=quantity(link.wheel_circumference_m, "m"),
        own=quantity(own, "m"),
    )


@rule
def nominal_differs_in_chain(s: Situation) -> Warning_ | None:
    """A device in the chain is set for another pack."""
    off = [link for link in s.bike.chain if link.nominal_v and not names(link.nominal_v, s.bike.battery)]
    if not off:
        return None
    link = off[0]
    return says(
        "nominal-differs",
        name=link.name,
        nominal=quantity(link.nominal_v, "V"),
        own=quantity(called_v(s.bike.battery), "V"),
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
    return says("many-changes", risen=len(risen))
