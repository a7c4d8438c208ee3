"""What would change on the controller if a tune were sent, in the builder's words."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.documents.controller_map import ControllerMap, Register
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True)
class Change:
    """One register that would change. ``after`` is what the register can hold; ``asked`` what the tune says."""

    register: Register
    before: float | None
    after: float | None
    asked: float | None
    word_before: int
    word_after: int

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

    def in_words(self) -> str:
        """For example ``battery current 30 A to 38 A``."""
        return (
            f"{self.register.label} {shown(self.before, self.register.unit)} to {shown(self.after, self.register.unit)}"
        )


def shown(value: float | None, unit: str) -> str:
    """A value with its unit, or ``no limit``."""
    return "no limit" if value is None else f"{value:g} {unit}".strip()


def difference(controller_map: ControllerMap, words: dict[int, int], tune: Tune) -> list[Change]:
    """All registers that ``tune`` would change, in the order they are to be written: what eases comes first.

    Raises :class:`ValueError` naming the setting when the controller cannot hold a value, or lacks a setting that
    the tune uses.
    """
    changes = []
    for register in controller_map.register_list:
        asked = tune.setting(register.name)
        word = register.encode(asked)
        before = words[register.address]
        if word != before:
            changes.append(Change(register, register.decode(before), register.decode(word), asked, before, word))
    return sorted(changes, key=lambda change: not change.eases)
