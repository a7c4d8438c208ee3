"""The description of a controller: what it holds where, what it can do, what its faults mean. TOML, see ``docs/formats.md``.

Another controller is another file; nothing about a controller is coded.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Self

from pydantic import ValidationError, model_validator

from crisp_hornet.documents.acts import Act, Command
from crisp_hornet.documents.described import Described, Fault, Lack
from crisp_hornet.documents.map_checks import check_map
from crisp_hornet.documents.register import Coded, Register, clean
from crisp_hornet.documents.settings import FURTHER
from crisp_hornet.documents.tune import SETTINGS, Tune

MAP_VERSION = 1
NOT_DESCRIBED = "Not on this controller: set it where the bike has it, and note it under who is in charge"


class ControllerMap(Described):
    """A whole description that is consistent in itself, and what it means."""

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        check_map(self)
        return self

    def lack(self, name: str) -> Lack | None:
        """Why the controller has no such setting, or ``None`` where it has it."""
        listed = next((lack for lack in self.lacks if lack.name == name), None)
        if listed is None and name in FURTHER and self.register(name) is None:
            return Lack(name=name, reason=NOT_DESCRIBED)
        return listed

    def as_run(self, tune: Tune) -> Tune:
        """What a tune comes to on this controller: where it lacks a limit or a guard, what it does instead. A tune that is none
        with that (a fade pair crossed) stays as it is."""
        instead = {lack.name: lack.value for lack in self.lacks if lack.name in SETTINGS}
        try:
            return tune.with_settings(instead) if instead else tune
        except ValidationError:
            return tune

    def as_held(self, tune: Tune) -> Tune:
        """A tune as this controller can hold it: each setting in steps of its register, rounded to the safe side. One that it cannot
        hold at all stays as it is."""
        own = {name: tune.setting(name) for name in SETTINGS if self.register(name) is not None and tune.holds(name)}
        try:
            asked = self.as_registers(own)
            held = {one.name: one.decode(one.encode(asked[one.name])) for one in self.register_list if one.name in own}
            return tune.with_settings(self.as_settings(held))
        except (ValueError, ValidationError):
            return tune

    def step(self, name: str) -> float | None:
        """The smallest difference of a setting that the controller can hold, in its unit; None where it has none, or holds a share."""
        register = self.register(name)
        return None if register is None or register.share_of is not None else register.step

    def command_of(self, act: Act) -> Command | None:
        """How the controller is asked for something; None where it cannot do it, or keeps what is written at once."""
        if act is Act.KEEP:
            return self.keep if self.keep is not None and not self.keep.at_once else None
        if act in (Act.HOLD_OFF, Act.ENABLE):
            return self.inhibit.command(act is Act.HOLD_OFF) if self.inhibit is not None else None
        if act is Act.ACTIVATE:
            return self.update.activate if self.update is not None else None
        found: Command | None = getattr(self.commands, act.value)
        return found

    @property
    def can_try(self) -> bool:
        """Whether something can run without being kept: else there is no trial."""
        return self.keep is not None and not self.keep.at_once

    @property
    def unkept(self) -> str | None:
        """The live value that says that something runs that is not kept."""
        return self.keep.unkept if self.keep is not None else None

    def fault_of(self, code: float) -> Fault | None:
        """The meaning of a fault code, if the description knows it."""
        return next((fault for fault in self.fault if fault.code == int(code)), None)

    def raw_of(self, words: Sequence[int]) -> int:
        """The raw number of one or two words."""
        if len(words) == 1:
            return words[0]
        high, low = words if self.line.word_order == "high_first" else (words[1], words[0])
        return high << 16 | low

    def words_of(self, coded: Coded, raw: int) -> list[int]:
        """The words that hold a raw number, in the controller's order."""
        if coded.words == 1:
            return [raw]
        pair = [raw >> 16, raw & 0xFFFF]
        return pair if self.line.word_order == "high_first" else pair[::-1]

    def values(self, raws: Mapping[str, int]) -> dict[str, float | None]:
        """The values of raw numbers by register name."""
        return {
            register.name: register.decode(raws[register.name])
            for register in self.register_list
            if register.name in raws
        }

    def as_settings(self, values: Mapping[str, float | None]) -> dict[str, float | None]:
        """What registers' values by name mean as settings of a tune: shares of another current as amperes."""
        found = dict(values)
        for register, whole_name in self._shares:
            share, whole = values.get(register.name), values.get(whole_name)
            if share is not None and whole is not None:
                found[register.name] = clean(share / 100 * whole)
        return found

    def as_registers(self, settings: Mapping[str, float | None]) -> dict[str, float | None]:
        """What settings of a tune by name are in their registers: some currents are shares of another, as that one can be held.
        Raises :class:`ValueError` where that one cannot."""
        found = dict(settings)
        for register, whole_name in self._shares:
            amps, whole_register = settings.get(register.name), self.register(whole_name)
            if amps is not None and whole_register is not None and whole_name in settings:
                whole = whole_register.decode(whole_register.encode(settings[whole_name]))
                found[register.name] = clean(100 * amps / whole) if whole else 0.0
        return found

    @property
    def _shares(self) -> list[tuple[Register, str]]:
        return [(register, register.share_of) for register in self.register_list if register.share_of is not None]
