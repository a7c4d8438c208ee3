"""Modes: what a tune is while one of its modes is on."""

from __future__ import annotations

from crisp_hornet.documents.assist import FEWEST_LEVELS
from crisp_hornet.documents.mode import Mode
from crisp_hornet.documents.tune import Tune

MODE_LIMITS = ("phase_current_a", "battery_current_a", "power_w", "speed_kmh", "field_weakening_a")


def mode_of(tune: Tune, name: str) -> Mode:
    """The mode of a name. Raises :class:`LookupError` that lists the names there are."""
    found = next((mode for mode in tune.modes if mode.name == name), None)
    if found is None:
        there = ", ".join(mode.name for mode in tune.modes) or "it has none"
        raise LookupError(f"the tune has no mode {name!r}; modes: {there}")
    return found


def in_mode(tune: Tune, mode: Mode) -> Tune:
    """The tune while a mode is on: of each limit the least of both; the throttle no further than the mode's; its own levels, where it
    has any, and no higher one than it lets be chosen."""
    drive = {key: _least(getattr(tune.drive, key), getattr(mode, key)) for key in MODE_LIMITS}
    changed: dict[str, object] = {"drive": tune.drive.model_copy(update=drive), "name": f"{tune.name}, {mode.name}"}
    if mode.throttle_maximum is not None:
        keys = ("share_25", "share_50", "share_75", "maximum")
        cut: dict[str, object] = {key: min(getattr(tune.throttle, key), mode.throttle_maximum) for key in keys}
        if tune.throttle.response is not None:
            cut["response"] = [
                point.model_copy(update={"share": min(point.share, mode.throttle_maximum)})
                for point in tune.throttle.response
            ]
        changed["throttle"] = tune.throttle.model_copy(update=cut)
    levels = mode.levels or tune.assist.levels
    if mode.highest_level is not None and mode.highest_level < len(levels):
        kept = levels[: mode.highest_level]
        levels = kept + [kept[-1]] * (FEWEST_LEVELS - len(kept))
    if levels is not tune.assist.levels:
        changed["assist"] = tune.assist.model_copy(update={"levels": levels})
    return tune.model_copy(update=changed)


def at_start(tune: Tune) -> Tune:
    """The tune as it is after power-on: in the mode that starts, if one does."""
    mode = next((one for one in tune.modes if one.starts), None)
    return in_mode(tune, mode) if mode is not None else tune


def _least(one: float | None, other: float | None) -> float | None:
    given = [value for value in (one, other) if value is not None]
    return min(given) if given else None
