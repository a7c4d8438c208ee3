"""Rules about the modes."""

from __future__ import annotations

from crisp_hornet.core.drive.modes import MODE_LIMITS, in_mode
from crisp_hornet.core.rules.kinds import Situation, Warning_, rule, says
from crisp_hornet.documents.saying import quantity, say

WALKING_KMH = 6.0


@rule
def reverse_fast(s: Situation) -> Warning_ | None:
    """Backwards faster than one can look."""
    for at, mode in enumerate(s.draft.modes, start=1):
        if mode.reverse and (mode.speed_kmh is None or mode.speed_kmh > WALKING_KMH):
            told = (
                "has no speed limit"
                if mode.speed_kmh is None
                else say("may run at {speed}", speed=quantity(mode.speed_kmh, "km/h"))
            )
            return says("reverse-fast", name=mode.name, told=told, setting=f"modes.{at}.speed_kmh", value=5.0)
    return None


@rule
def reverse_at_start(s: Situation) -> Warning_ | None:
    """It is in reverse after power-on."""
    found = next((mode for mode in s.draft.modes if mode.reverse and mode.starts), None)
    if found is None:
        return None
    return says(
        "reverse-at-start", name=found.name, setting=f"modes.{s.draft.modes.index(found) + 1}.starts", value=0.0
    )


@rule
def mode_changes_nothing(s: Situation) -> Warning_ | None:
    """A mode that is the tune itself, or the same as another."""
    if len(s.draft.modes) < 2:
        return None
    seen: list[tuple[object, ...]] = []
    for mode in s.draft.modes:
        tune = in_mode(s.draft, mode)
        what = (tune.drive, tune.throttle, tune.assist, mode.reverse)
        if what in seen:
            return says("mode-changes-nothing", name=mode.name)
        seen.append(what)
    return None


@rule
def mode_limit_idle(s: Situation) -> Warning_ | None:
    """A mode's limit above the tune's own never acts."""
    for at, mode in enumerate(s.draft.modes, start=1):
        for key in MODE_LIMITS:
            own, ours = getattr(mode, key), getattr(s.draft.drive, key)
            if own is not None and ours is not None and own > ours:
                return says(
                    "mode-limit-idle",
                    name=mode.name,
                    own=quantity(own),
                    ours=quantity(ours),
                    mend=f"{ours:g}",
                    setting=f"modes.{at}.{key}",
                    value=ours,
                )
    return None


@rule
def first_ride_in_full_power(s: Situation) -> Warning_ | None:
    """A stronger tune that is on at full power right after power-on, although there is a gentler mode."""
    if s.controller is None or len(s.draft.modes) < 2:
        return None
    rises = s.draft.drive.phase_current_a > s.controller.drive.phase_current_a
    rises |= s.draft.drive.battery_current_a > s.controller.drive.battery_current_a
    phase = [in_mode(s.draft, mode).drive.phase_current_a for mode in s.draft.modes if not mode.reverse]
    start = next((in_mode(s.draft, mode).drive.phase_current_a for mode in s.draft.modes if mode.starts), None)
    if not rises or not phase or start is None or start <= min(phase) * 1.01 or start < max(phase):
        return None
    return says("first-ride-full-power")
