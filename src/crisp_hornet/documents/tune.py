"""The tune document: what is set on a controller. SI units, the unit in each key."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self, get_args

from pydantic import Field, ValidationError, model_validator

from crisp_hornet.documents import settings
from crisp_hornet.documents.assist import Assist
from crisp_hornet.documents.base import NotNegative, Number, Part, Positive, Text
from crisp_hornet.documents.braking import Braking
from crisp_hornet.documents.mode import MOST_MODES, Mode
from crisp_hornet.documents.throttle import Throttle

TUNE_VERSION = 1


class Drive(Part):
    """Limits when driving. ``None`` means no limit of that kind."""

    phase_current_a: NotNegative
    battery_current_a: NotNegative
    power_w: NotNegative | None
    field_weakening_a: NotNegative
    motor_rpm: NotNegative
    speed_kmh: NotNegative | None
    speed_taper_kmh: NotNegative


class Regen(Part):
    """Limits when braking with the motor; the fade runs upwards as the pack fills."""

    phase_current_a: NotNegative
    battery_current_a: NotNegative
    fade_start_v: Positive
    fade_end_v: Positive

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.fade_end_v < self.fade_start_v:
            raise ValueError("fade_end_v must not lie below fade_start_v: regen cutoffs as the pack fills")
        return self


class BatteryGuard(Part):
    """Battery current fades from all at ``fade_start_v`` to none at ``fade_end_v`` (loaded voltage)."""

    fade_start_v: NotNegative
    fade_end_v: NotNegative

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.fade_end_v > self.fade_start_v:
            raise ValueError("fade_end_v must not lie above fade_start_v: the current is reduced as the voltage falls")
        return self


class HeatGuard(Part):
    """Torque fades from all at the start temperature to none at the end temperature."""

    motor_fade_start_c: Number
    motor_fade_end_c: Number
    controller_fade_start_c: Number
    controller_fade_end_c: Number

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.motor_fade_end_c < self.motor_fade_start_c:
            raise ValueError("motor_fade_end_c must not lie below motor_fade_start_c")
        if self.controller_fade_end_c < self.controller_fade_start_c:
            raise ValueError("controller_fade_end_c must not lie below controller_fade_start_c")
        return self


class Tune(Part):
    """A whole tune (``crisp-hornet/tune``). ``unknown``: paths of settings that nobody knows, of a tune of which a rider entered a few
    figures."""

    format: Literal["crisp-hornet/tune"]
    version: Literal[1]
    name: Text
    notes: Annotated[str, Field(strict=True, max_length=4000)] = ""
    drive: Drive
    regen: Regen
    battery_guard: BatteryGuard
    heat_guard: HeatGuard
    throttle: Throttle = Throttle()
    assist: Assist = Assist()
    modes: Annotated[list[Mode], Field(max_length=MOST_MODES)] = []
    braking: Braking = Braking()
    unknown: Annotated[list[Text], Field(max_length=60)] = []

    @model_validator(mode="after")
    def _one_mode_at_start(self) -> Self:
        if sum(mode.starts for mode in self.modes) > 1:
            raise ValueError("modes: only one may be the one that is on after power-on (starts)")
        if len({mode.name for mode in self.modes}) < len(self.modes):
            raise ValueError("modes: two have the same name")
        return self

    def holds(self, path: str) -> bool:
        """Whether the tune says anything about a setting: throttle, assist and modes may be left out, wholly or in part."""
        group, _, key = path.partition(".")
        if group in SETTING_GROUPS:
            return True
        if group == "modes":
            return group in self.model_fields_set and self._has(path)
        return key.partition(".")[0] in getattr(self, group).model_fields_set and self._has(path)

    def _has(self, path: str) -> bool:
        try:
            settings.read(self, path)
        except KeyError:
            return False
        return True

    def with_setting(self, path: str, value: float | None) -> Tune:
        """This tune with one setting changed, e.g. ``with_setting("drive.battery_current_a", 40)``; see
        :mod:`~crisp_hornet.documents.settings` for paths.

        Raises :class:`pydantic.ValidationError` when the result is not a valid tune and
        :class:`KeyError` for a path that names no setting.
        """
        return self.with_settings({path: value})

    def with_settings(self, values: Mapping[str, float | None]) -> Tune:
        """This tune with several settings changed at once; raises as :meth:`with_setting`."""
        for path in values:
            if path not in KNOWN:
                raise KeyError(path)
        groups = {path.partition(".")[0] for path in values}
        if "modes" not in groups:  # a drag's step: the other groups are valid as they are
            try:
                return self._with_groups(groups, values)
            except ValidationError:
                pass  # said of the whole document, below
        data = self.model_dump(mode="json", by_alias=True, exclude_unset=True)
        data |= {group: self._dumped(group) for group in groups}
        settings.put_all(data, values)
        return Tune.model_validate(data)

    def _with_groups(self, groups: set[str], values: Mapping[str, float | None]) -> Tune:
        data = {group: self._dumped(group) for group in groups}
        settings.put_all(data, values)
        changed = {group: type(getattr(self, group)).model_validate(part) for group, part in data.items()}
        return self.model_copy(update=changed)

    def _dumped(self, group: str) -> Any:
        """A group as JSON: as it was written, or whole where a part of it was left out and is set now."""
        own = group in SETTING_GROUPS
        part = getattr(self, group)
        if group == "modes":
            return [mode.model_dump(mode="json", by_alias=True) for mode in part]
        return part.model_dump(mode="json", by_alias=True, exclude_unset=own)

    def setting(self, path: str) -> float | None:
        """The number at a dotted path; a default where the tune leaves the setting out. Raises :class:`KeyError` for a path that
        names no setting, or an item its lists do not have."""
        if path not in KNOWN:
            raise KeyError(path)
        group, _, key = path.partition(".")
        if group in SETTING_GROUPS:
            value: float | None = getattr(getattr(self, group), key)
            return value
        return settings.read(self, path)

    def differing(self, other: Tune) -> list[str]:
        """The settings in which two tunes differ, as far as both say anything about them; an item that only one has differs."""
        found = [path for path in SETTINGS if self.setting(path) != other.setting(path)]
        groups = [group for group in FURTHER_GROUPS if getattr(self, group) != getattr(other, group)]
        for path in settings.FURTHER if groups else ():
            if path.partition(".")[0] in groups and self._says(path) and other._says(path):
                here, there = self._has(path), other._has(path)
                if here and there:
                    differs = self.setting(path) != other.setting(path)
                else:  # an item that only one has: what it sets, not what it leaves alone
                    differs = here != there and bool((self if here else other).setting(path))
                if differs:
                    found.append(path)
        return found

    def _says(self, path: str) -> bool:
        group, key = path.split(".")[:2]
        return group in self.model_fields_set and (group == "modes" or key in getattr(self, group).model_fields_set)

    def completed_from(self, other: Tune) -> Tune:
        """This tune, with what it leaves out and what a controller cannot hold (the modes' names) taken from another."""
        taken: dict[str, Any] = {}
        for group in ("throttle", "assist", "braking"):
            theirs, own = getattr(other, group), getattr(self, group)
            if theirs.model_fields_set - own.model_fields_set:
                both = theirs.model_dump(exclude_unset=True) | own.model_dump(exclude_unset=True)
                taken[group] = type(own).model_validate(both)
        if "modes" not in self.model_fields_set:
            taken |= {"modes": other.modes} if "modes" in other.model_fields_set else {}
        elif self.modes and other.modes:
            keys = ("name", "selected_by", "off_road")
            words = [{key: getattr(mode, key) for key in keys} for mode in other.modes[: len(self.modes)]]
            named = [mode.model_copy(update=told) for mode, told in zip(self.modes, words, strict=False)]
            taken["modes"] = [*named, *self.modes[len(named) :]]
        return self.model_copy(update=taken) if taken else self


FURTHER_GROUPS = ("throttle", "assist", "modes", "braking")
SETTING_GROUPS: dict[str, type[Part]] = {
    "drive": Drive,
    "regen": Regen,
    "battery_guard": BatteryGuard,
    "heat_guard": HeatGuard,
}
SETTINGS = [f"{group}.{key}" for group, part in SETTING_GROUPS.items() for key in part.model_fields]
KNOWN = frozenset([*SETTINGS, *settings.FURTHER])


def may_be_unlimited(path: str) -> bool:
    """Whether the setting at a path of :data:`KNOWN` can be ``None``: no limit."""
    group, _, key = path.rpartition(".")
    field = (SETTING_GROUPS.get(group) or settings.kind_of(path)).model_fields.get(key)
    return field is not None and type(None) in get_args(field.annotation)
