"""Rules about the modes."""

from __future__ import annotations

from crisp_hornet.core.drive.modes import MODE_LIMITS, in_mode
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule
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
            return Warning_(
                "reverse-fast",
                Strength.WARN,
                say("Backwards, {name} {told}", name=mode.name, told=told),
                "A bike steers the other way round backwards and tips over.",
                "Walking pace",
                f"modes.{at}.speed_kmh",
                5.0,
            )
    return None


@rule
def reverse_at_start(s: Situation) -> Warning_ | None:
    """It is in reverse after power-on."""
    found = next((mode for mode in s.draft.modes if mode.reverse and mode.starts), None)
    if found is None:
        return None
    return Warning_(
        "reverse-at-start",
        Strength.STOP,
        say("After power-on it is in {name}: backwards", name=found.name),
        "The first twist after switching on drives it into whoever stands behind.",
        "Let another mode be on at start",
        f"modes.{s.draft.modes.index(found) + 1}.starts",
        0.0,
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
            return Warning_(
                "mode-changes-nothing",
                Strength.NOTE,
                say("{name} is the same as another mode", name=mode.name),
                "The switch moves and nothing changes.",
                "Give it a limit of its own, or take it out",
            )
        seen.append(what)
    return None


@rule
def mode_limit_idle(s: Situation) -> Warning_ | None:
    """A mode's limit above the tune's own never acts."""
    for at, mode in enumerate(s.draft.modes, start=1):
        for key in MODE_LIMITS:
            own, ours = getattr(mode, key), getattr(s.draft.drive, key)
            if own is not None and ours is not None and own > ours:
                return Warning_(
                    "mode-limit-idle",
                    Strength.NOTE,
                    say(
                        "{name} asks for {own}, the tune allows {ours}",
                        name=mode.name,
                        own=quantity(own),
                        ours=quantity(ours),
                    ),
                    "The least counts: a mode never gives more than the tune.",
                    f"{ours:g}",
                    f"modes.{at}.{key}",
                    ours,
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
    return Warning_(
        "first-ride-full-power",
        Strength.NOTE,
        "The first ride of this stronger tune starts at full power",
        "There is a gentler mode: begin there, then go up.",
        "Let the gentlest mode be on at start",
    )
