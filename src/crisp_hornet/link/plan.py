"""What is to be written, for how long, and what that asks for: whether it may be a trial, whether the motor must be held off."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.documents.settings import choices
from crisp_hornet.link.difference import Change, said

SENSORS = ("throttle", "torque", "position", "direction")
THROTTLE_VOLTS = frozenset({"calibration.throttle_rest_v", "calibration.throttle_full_v"})


@dataclass(frozen=True)
class Plan:
    """What to send: the changes in the order to write them, how long they are to last, and what was confirmed for sensors.
    Without changes and with ``keep`` what runs is kept."""

    changes: list[Change]
    keep: bool
    wheel_up: bool = False

    @property
    def cures_throttle(self) -> bool:
        """Whether it does nothing but set where the throttle rests and ends: what mends a throttle that reads open at rest."""
        return bool(self.changes) and all(change.register.name in THROTTLE_VOLTS for change in self.changes)


def trial_refusal(changes: list[Change], can_try: bool = True) -> str:
    """Why these changes cannot be tried until power-off, or "".

    A brown-out while riding throws a trial back to the kept values. That must be harmless at speed: the kept ones may only ask
    for less, and nothing may fall back that steers sensors, weakening or braking.
    """
    if not can_try:
        return "this controller stores what is written at once"
    for change in changes:
        name, label = change.register.name, change.register.label
        if change.register.is_calibration:
            return f"{label} is a sensor setting: permanent only"
        if name == "drive.field_weakening_a":
            return "losing field weakening at speed brakes hard: permanent only"
        if change.carries:
            return f"{change.carries} is a share of {label} and changes with it: permanent only"
        if name.startswith("regen."):
            return f"{label}: braking must not change while riding: permanent only"
        if choices(name) or name.startswith(("modes.", "throttle.response.")) or name.endswith(".count"):
            return f"{label}: throttle and assist must not change while riding: permanent only"
        if change.register.needs_power_cycle:
            return f"{label} is only active after a power cycle: permanent only"
        if change.eases:
            return f"a brown-out mid-ride would restore the higher {label}, {said(change.register, change.before)}"
    return ""


def needs_inhibit(changes: list[Change]) -> bool:
    """Whether a change could make the bike jump: throttle, torque or position sensor, direction."""
    return any(
        change.register.name.startswith("throttle.")
        or (change.register.is_calibration and any(word in change.register.name for word in SENSORS))
        for change in changes
    )
