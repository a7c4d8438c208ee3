"""The tune document: what is set on a controller. SI units, the unit in each key."""

from __future__ import annotations

from typing import Any, Literal, Self

from pydantic import model_validator

from crisp_hornet.documents.base import NotNegative, Number, Part, Positive, Text

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
            raise ValueError("fade_end_v must not lie below fade_start_v: regen fades as the pack fills")
        return self


class BatteryGuard(Part):
    """Battery current fades from all at ``fade_start_v`` to none at ``fade_end_v`` (loaded voltage)."""

    fade_start_v: NotNegative
    fade_end_v: NotNegative

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.fade_end_v > self.fade_start_v:
            raise ValueError("fade_end_v must not lie above fade_start_v: the current fades as the voltage falls")
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
    """A whole tune (``crisp-hornet/tune``)."""

    format: Literal["crisp-hornet/tune"]
    version: Literal[1]
    name: Text
    drive: Drive
    regen: Regen
    battery_guard: BatteryGuard
    heat_guard: HeatGuard
    throttle: dict[str, Any] = {}
    assist: dict[str, Any] = {}
    modes: list[dict[str, Any]] = []

    def with_setting(self, path: str, value: float | None) -> Tune:
        """This tune with one setting changed, e.g. ``with_setting("drive.battery_current_a", 40)``.

        Raises :class:`pydantic.ValidationError` when the result is not a valid tune and
        :class:`KeyError` for a path that names no setting.
        """
        group, _, key = path.partition(".")
        data = self.model_dump(mode="json", by_alias=True)
        if not isinstance(data.get(group), dict) or key not in data[group]:
            raise KeyError(path)
        data[group][key] = value
        return Tune.model_validate(data)

    def setting(self, path: str) -> float | None:
        """The value at a dotted path. Raises :class:`KeyError` for a path that names no setting."""
        group, _, key = path.partition(".")
        part = getattr(self, group, None)
        if not isinstance(part, Part) or key not in SETTING_GROUPS[group].model_fields:
            raise KeyError(path)
        value: float | None = getattr(part, key)
        return value


SETTING_GROUPS: dict[str, type[Part]] = {
    "drive": Drive,
    "regen": Regen,
    "battery_guard": BatteryGuard,
    "heat_guard": HeatGuard,
}
SETTINGS = [f"{group}.{key}" for group, part in SETTING_GROUPS.items() for key in part.model_fields]
