"""Sheets: the settings of a device that is set by hand, as its display calls and shows them. A sheet is a description without a line.

Rows are what somebody says of the display; each makes a setting of the description, and can be had back from it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from crisp_hornet.documents import wire
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.kinds import HAND
from crisp_hornet.documents.register import Register, clean
from crisp_hornet.documents.setting_words import label_of, unit_of
from crisp_hornet.documents.settings import choices
from crisp_hornet.documents.store import document_error

FIGURE, PERCENT, PER_CELL, LEVELS, CHOICE = "figure", "percent", "per cell", "levels", "choice"
WAYS = (FIGURE, PERCENT, PER_CELL, LEVELS)
GENTLER_HIGHER = (
    *("battery_guard.fade_start_v", "battery_guard.fade_end_v", "drive.speed_taper_kmh", "throttle.ramp_s"),
    *("throttle.dead_band", "assist.start_nm", "assist.start_deg", "assist.ramp_s", "assist.start_delay_s"),
)
MOST_DIGITS = 4
BY_HAND = "by hand"  # the maker of what no line tells


@dataclass(frozen=True)
class SheetRow:
    """One line of a display. ``way``: how it shows the setting: as its ``figure``; as a ``percent`` of ``whole``; ``per cell`` of
    ``whole`` cells; as one of ``levels`` (numbered from 1, each worth a figure); as a ``choice`` of words. ``step``, ``least`` and
    ``most`` are as the display shows them; ``off`` is what it shows for no limit."""

    setting: str
    label: str
    menu: str = ""
    way: str = FIGURE
    step: float = 1.0
    least: float = 0.0
    most: float = 100.0
    whole: float = 1.0
    levels: tuple[float, ...] = ()
    off: float | None = None


def usual_row(setting: str, value: float | None, cells: int) -> SheetRow:
    """A row to begin with, for a setting that now has this value."""
    if choices(setting):
        return SheetRow(setting, label_of(setting), way=CHOICE)
    unit = unit_of(setting)
    step = {"V": 0.1, "A": 1.0, "W": 10.0, "s": 0.1}.get(unit, 1.0)
    shown = (value or 0.0) * (100 if unit == "%" else 1)
    most = 100.0 if unit == "%" else max(_round_up(2 * shown), 10.0)
    return SheetRow(
        setting,
        label_of(setting),
        step=step,
        most=most,
        whole=float(cells) if unit == "V" else max(_round_up(shown), 1.0),
    )


def register_of(row: SheetRow) -> dict[str, object]:
    """A row as a setting of a description. Raises :class:`ValueError` where that makes no sense."""
    if not row.label.strip():
        raise ValueError(f"{label_of(row.setting)}: write what the display calls it")
    unit = unit_of(row.setting)
    found: dict[str, object] = {"name": row.setting, "label": row.label.strip(), "type": "i32"}
    if unit and unit != "%":
        found["unit"] = unit
    if row.setting in GENTLER_HIGHER:
        found["safe"] = "higher"
    words = choices(row.setting)
    if words:
        return found | {"min": 0, "max": len(words) - 1, "choices": list(words), "shown": _menu(row)}
    if row.way == LEVELS:
        if len(row.levels) < 2:
            raise ValueError(f"{row.label}: write what each level is worth, at least two")
        ends = {"min": min(row.levels), "max": max(row.levels)}
        return (
            found
            | ends
            | {"type": "u8", "table": list(row.levels), "shown": {"offset": 1, "unit": "level"} | _menu(row)}
        )
    if not (row.step > 0 and row.most > row.least):
        raise ValueError(f"{row.label}: the step is above 0, and the greatest above the least")
    if row.way != FIGURE and row.whole <= 0:
        raise ValueError(f"{row.label}: write what {'100 %' if row.way == PERCENT else 'the number of cells'} is")
    one = {PERCENT: row.whole / 100, PER_CELL: row.whole}.get(row.way, 0.01 if unit == "%" else 1.0)
    shown_unit = {PERCENT: "%", PER_CELL: "V per cell"}.get(row.way, unit)
    shown = {"scale": row.step, "digits": _digits(row.step), "unit": shown_unit} | _menu(row)
    found |= {
        "scale": clean(row.step * one),
        "min": clean(row.least * one),
        "max": clean(row.most * one),
        "shown": shown,
    }
    if row.off is not None:
        found["none_raw"] = round(row.off / row.step) & 0xFFFF_FFFF
    return found


def row_of(register: Register) -> SheetRow:
    """The row that a setting of a sheet came from."""
    shown, unit = register.shown, unit_of(register.name)
    menu = shown.menu or "" if shown is not None else ""
    if register.choices:
        return SheetRow(register.name, register.label, menu, CHOICE)
    if register.table:
        return SheetRow(register.name, register.label, menu, LEVELS, levels=tuple(register.table))
    step = shown.scale if shown is not None else register.scale
    one = register.scale / step
    way = {"V per cell": PER_CELL, "%": FIGURE if unit == "%" else PERCENT}.get(
        shown.unit if shown is not None else "", FIGURE
    )
    whole = {PERCENT: 100 * one, PER_CELL: one}.get(way, 1.0)
    signed = None if register.none_raw is None else register.none_raw - (1 << 32 if register.none_raw >> 31 else 0)
    off = None if signed is None else clean(signed * step)
    ends = (clean(register.min / one), clean(register.max / one))
    return SheetRow(register.name, register.label, menu, way, step, *ends, clean(whole), off=off)


def sheet_of(name: str, rows: Sequence[SheetRow], caution: str = "") -> ControllerMap:
    """A sheet of that name. Raises :class:`~crisp_hornet.documents.errors.DocumentError` that says which row makes no sense."""
    try:
        data: dict[str, object] = {
            "format": "crisp-hornet/controller-map",
            "version": 1,
            "name": name.strip(),
            "identity": {"vendor": BY_HAND, "product": name.strip()},
            "line": {"kind": HAND},
            "register": [register_of(row) for row in rows],
        }
        if caution.strip():
            data["sheet"] = {"caution": caution.strip()}
        return ControllerMap.model_validate(data)
    except ValidationError as error:
        raise DocumentError("The sheet", "", document_error(error, "the sheet").reason, "Correct that row.") from None
    except ValueError as error:
        raise DocumentError("The sheet", "", str(error), "Correct that row.") from None


def write_sheet(path: Path, sheet: ControllerMap) -> None:
    """Write any description as TOML. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    wire.write_text(path, as_toml(sheet))


def as_toml(described: ControllerMap) -> str:
    """A description as the text of its file."""
    import tomli_w

    data = described.model_dump(mode="json", by_alias=True, exclude_defaults=True, exclude_none=True)
    head = {"format": described.format, "version": described.version}
    return tomli_w.dumps(head | data)


def _menu(row: SheetRow) -> dict[str, object]:
    return {"menu": row.menu.strip()} if row.menu.strip() else {}


def _digits(step: float) -> int:
    for digits in range(MOST_DIGITS):
        if abs(round(step, digits) - step) < 1e-9:
            return digits
    return MOST_DIGITS


def _round_up(value: float) -> float:
    """The next figure that a person would choose as an end."""
    for size in (1, 10, 100, 1000, 10_000):
        for one in (1, 2, 5):
            if value <= one * size:
                return float(one * size)
    return value
