"""What would change on the controller, in the builder's words."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.described import Lack
from crisp_hornet.documents.register import Register
from crisp_hornet.documents.setting_words import in_words
from crisp_hornet.documents.settings import FURTHER, asks_nothing
from crisp_hornet.documents.tune import SETTINGS, Tune

GROUPS = {
    "drive": "the pull",
    "regen": "braking with the motor",
    "battery_guard": "the pack's guard",
    "heat_guard": "the heat guards",
    "throttle": "the throttle",
    "assist": "the assist",
    "modes": "the modes",
    "calibration": "sensors and motor",
}


@dataclass(frozen=True)
class Change:
    """One register that would change. ``after`` is what the register can hold; ``asked`` what was asked for; ``means``: ``after`` as the
    setting of a tune, where it is one. ``carries``: what is a share of it on this controller, and changes with it."""

    register: Register
    before: float | None
    after: float | None
    asked: float | None
    raw_before: int
    raw_after: int
    means: float | None = None
    carries: str = ""

    @property
    def rounded(self) -> bool:
        """Whether the register's step moved the value."""
        return self.asked is not None and self.after is not None and abs(self.asked - self.after) > 1e-9

    @property
    def eases(self) -> bool:
        """Whether the change asks less of the bike: these are written first."""
        before = float("inf") if self.before is None else self.before
        after = float("inf") if self.after is None else self.after
        return after < before if self.register.safe == "lower" else after > before

    def turn(self) -> int:
        """When it is written: a shorter list first, then what eases, then the rest; a longer list once its items are right."""
        if self.register.name.endswith(".count"):
            return 0 if self.eases else 3
        return 1 if self.eases else 2

    @property
    def group(self) -> str:
        """What it touches, in the builder's words."""
        return self.register.group or GROUPS.get(self.register.name.partition(".")[0], "other")

    def in_words(self) -> str:
        """For example ``battery current 30 A to 38 A``."""
        return f"{self.register.label} {said(self.register, self.before)} to {said(self.register, self.after)}"


@dataclass(frozen=True)
class LeftOut:
    """A setting of the tune that the controller does not have, and what it does instead."""

    lack: Lack
    asked: float | None


def shown(value: float | None, unit: str) -> str:
    """A value with its unit, or ``no limit``."""
    return "no limit" if value is None else f"{value:g} {unit}".strip()


def said(register: Register, value: float | None) -> str:
    """A register's value as it is told; a setting that chooses among words, or is a share, reads as that."""
    if register.name in FURTHER:
        return in_words(register.name, value)
    if register.choices and value is not None and value in range(len(register.choices)):
        return register.choices[int(value)]
    return shown(value, register.unit)


def difference(controller_map: ControllerMap, raws: Mapping[str, int], tune: Tune) -> list[Change]:
    """All registers that ``tune`` would change: what eases comes first.

    Raises :class:`ValueError` naming the setting when the controller cannot hold a value.
    """
    wanted = {path: tune.setting(path) for path in (*SETTINGS, *FURTHER) if tune.holds(path)}
    return changes_to(controller_map, raws, controller_map.as_registers(wanted))


def changes_to(
    controller_map: ControllerMap, raws: Mapping[str, int], wanted: Mapping[str, float | None]
) -> list[Change]:
    """All writable registers that would change for values by name. Raises :class:`ValueError` as :func:`difference`."""
    changes = []
    for register in controller_map.register_list:
        if register.name not in wanted or register.name not in raws or register.access == "r":
            continue
        asked, before = wanted[register.name], raws[register.name]
        if register.decode(before) == asked:
            continue  # the same value, however it is written
        raw = register.encode(asked)
        if raw != before:
            changes.append(Change(register, register.decode(before), register.decode(raw), asked, before, raw))
    means = controller_map.as_settings(
        controller_map.values(raws) | {change.register.name: change.after for change in changes}
    )
    carried: dict[str, str] = {
        one.share_of: one.label for one in controller_map.register_list if one.share_of and raws.get(one.name)
    }
    known = [
        replace(change, means=means[change.register.name], carries=carried.get(change.register.name, ""))
        for change in changes
    ]
    return sorted(known, key=Change.turn)


def left_out(controller_map: ControllerMap, tune: Tune) -> list[LeftOut]:
    """What ``tune`` asks for and the controller does not have."""
    found = [
        LeftOut(lack, tune.setting(lack.name))
        for lack in controller_map.lacks
        if tune.holds(lack.name) and tune.setting(lack.name) != lack.value
    ]
    listed = {lack.name for lack in controller_map.lacks}
    for path in FURTHER:
        lack = controller_map.lack(path) if path not in listed and tune.holds(path) else None
        if lack is not None and not asks_nothing(tune, path):
            found.append(LeftOut(lack, tune.setting(path)))
    return found
