"""Shared ground of all documents: number kinds and the rules for unknown keys."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

# Strict: text or a boolean where a number belongs is an error, never a silent conversion.
MOST = 1e9  # beyond it nothing on a bike is measured: such figures only overflow
Number = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-MOST, le=MOST)]
Positive = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=MOST)]
NotNegative = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=MOST)]
Share = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=1e-3, le=1)]
Count = Annotated[int, Field(strict=True, ge=1, le=1_000_000_000)]
Text = Annotated[str, Field(strict=True, min_length=1, max_length=200)]


TITLES = {
    "fade_start_v": "cutoff start, V", "fade_end_v": "cutoff end, V", "motor_fade_start_c": "motor derating start, °C",
    "motor_fade_end_c": "motor derating end, °C", "controller_fade_start_c": "controller derating start, °C",
    "controller_fade_end_c": "controller derating end, °C", "bms_trip_v": "BMS cutoff, V", "bms_over_v": "BMS overvoltage, V",
    "bms_discharge_a": "BMS discharge limit, A", "bms_charge_a": "BMS charge limit, A", "rested_v_table": "voltage at rest by charge",
    "handover_rpm": "blend cadence, rpm", "development_m": "metres per crank turn", "ratio": "gear ratio",
    "max_winding_c": "max winding temperature, °C", "max_rpm": "max motor speed, rpm", "ld_h": "d-axis inductance, H",
    "lq_h": "q-axis inductance, H", "share_25": "current at 25 % throttle", "share_50": "current at 50 % throttle",
    "share_75": "current at 75 % throttle", "maximum": "max throttle current", "walk_kmh": "walk assist, km/h",
}  # fmt: skip
UNITS = {"a": "A", "v": "V", "w": "W", "ohm": "Ω", "h": "H", "wb": "Wb", "kg": "kg", "m": "m", "c": "°C", "kmh": "km/h", "rpm": "rpm",
         "nm": "N·m", "s": "s", "deg": "°", "ah": "Ah"}  # fmt: skip


def title_of(key: str) -> str:
    """A key of a document in the words of the field, as schemas show it."""
    if key in TITLES:
        return TITLES[key]
    words, _, unit = key.rpartition("_")
    return f"{words.replace('_', ' ')}, {UNITS[unit]}" if words and unit in UNITS else key.replace("_", " ")


class Part(BaseModel):
    """A piece of a document. Keys it does not know are kept, and listed by :func:`unknown_keys`."""

    # its validator is built when the first of its kind is made: most runs need few kinds
    model_config = ConfigDict(
        extra="allow", frozen=True, defer_build=True, field_title_generator=lambda key, _info: title_of(key)
    )


def unknown_keys(part: BaseModel, prefix: str = "") -> list[str]:
    """Dotted paths of all keys in ``part`` that this version does not know."""
    return list(_unknown(part, prefix))


def _unknown(part: BaseModel, prefix: str) -> Iterator[str]:
    yield from (prefix + key for key in (part.model_extra or {}))
    for name in type(part).model_fields:
        value: Any = getattr(part, name)
        items = value if isinstance(value, list) else [value]
        for index, item in enumerate(items):
            if isinstance(item, BaseModel):
                step = f"[{index}]" if isinstance(value, list) else ""
                yield from _unknown(item, f"{prefix}{name}{step}.")
