"""Settings of a tune as numbers at dotted paths, the form in which rulers, registers and undo handle them.

Words and yes/no are numbers there: the place of the word among its choices, 1 and 0. Items of lists are counted from 1:
``assist.levels.3.multiplier``, ``modes.1.speed_kmh``, ``modes.1.levels.2.multiplier``, ``throttle.response.1.volts``; a list's
``count`` is its length, 0 where it may be left out and is.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, get_args

from crisp_hornet.documents.assist import FEWEST_LEVELS, MOST_LEVELS, Assist, Level
from crisp_hornet.documents.base import Part
from crisp_hornet.documents.braking import Braking
from crisp_hornet.documents.mode import MOST_MODES, Mode
from crisp_hornet.documents.throttle import FEWEST_POINTS, MOST_POINTS, ResponsePoint, Throttle

_KINDS: dict[str, type[Part]] = {  # by path, items as *
    "throttle": Throttle,
    "throttle.response.*": ResponsePoint,
    "assist": Assist,
    "assist.levels.*": Level,
    "modes.*": Mode,
    "modes.*.levels.*": Level,
    "braking": Braking,
}
_FEWEST = {"throttle.response": FEWEST_POINTS, "modes.*.levels": FEWEST_LEVELS}  # lists that may be left out
# told in words, a list, or of no concern to a controller: no number
_NO_NUMBERS = ("name", "selected_by", "off_road", "levels", "response")


def _each(where: str, kind: type[Part], most: int = 0) -> list[str]:
    """The paths of a part's numbers; of a list's, its length first."""
    keys = [key for key in kind.model_fields if key not in _NO_NUMBERS]
    if not most:
        return [f"{where}.{key}" for key in keys]
    return [f"{where}.count"] + [f"{where}.{at}.{key}" for at in range(1, most + 1) for key in keys]


FEEL = [*_each("throttle", Throttle), *_each("throttle.response", ResponsePoint, MOST_POINTS)]
ASSIST = _each("assist", Assist)
LEVELS = _each("assist.levels", Level, MOST_LEVELS)
MODES = _each("modes", Mode, MOST_MODES)
MODE_LEVELS = [path for at in range(1, MOST_MODES + 1) for path in _each(f"modes.{at}.levels", Level, MOST_LEVELS)]
BRAKING = _each("braking", Braking)
LEVEL_KEYS = tuple(Level.model_fields)
FURTHER = [*FEEL, *ASSIST, *LEVELS, *MODES, *MODE_LEVELS, *BRAKING]
"""Settings that a tune may leave out and a controller need not have."""
# what counts only while another setting is not "none"
_BELONGS = {
    "throttle.cruise_least_kmh": "throttle.cruise_s",
    "throttle.cruise_ends": "throttle.cruise_s",
    "assist.shift_share": "assist.shift_cut_s",
}


def choices(path: str) -> tuple[str, ...]:
    """The words a setting chooses from; empty for a number."""
    field = kind_of(path).model_fields.get(path.rpartition(".")[2])
    if field is None:
        return ()
    return (
        ("no", "yes")
        if field.annotation is bool
        else tuple(w for w in get_args(field.annotation) if isinstance(w, str))
    )


def asks_nothing(tune: Any, path: str) -> bool:
    """Whether a tune wants nothing there: no limit, a list that is left out, or what belongs to something that is off."""
    if path in _BELONGS:
        return read(tune, _BELONGS[path]) is None
    value = read(tune, path)
    return value is None or (value == 0 and path.endswith(".count"))


def as_number(path: str, value: Any) -> float | None:
    """A document's value as a number."""
    return float(choices(path).index(value)) if isinstance(value, str) else None if value is None else float(value)


def from_number(path: str, value: float | None) -> Any:
    """A number as what the document holds there. Raises :class:`KeyError` where no choice has that number."""
    words = choices(path)
    if not words or value is None:
        return int(value) if value is not None and path.endswith(".highest_level") else value
    if value not in range(len(words)):
        raise KeyError(path)
    return bool(value) if words == ("no", "yes") else words[int(value)]


def read(tune: Any, path: str) -> float | None:
    """The number at a path of a tune. Raises :class:`KeyError` for an item its lists do not have."""
    *steps, key = path.split(".")
    part = tune
    for step in steps:
        if not step.isdecimal():
            part = getattr(part, step)
        elif part is not None and 1 <= int(step) <= len(part):
            part = part[int(step) - 1]
        else:
            raise KeyError(path)
    return float(len(part or ())) if key == "count" else as_number(path, getattr(part, key))


def put_all(data: dict[str, Any], values: Mapping[str, float | None]) -> None:
    """Set several numbers, counts first, outer ones before inner; items beyond their list's count mean nothing and are passed over."""
    for path in sorted(values, key=lambda one: (not one.endswith(".count"), one.count("."))):
        if _holder(data, path) is not None:
            put(data, path, values[path])


def put(data: dict[str, Any], path: str, value: float | None) -> None:
    """Set the number at a path of a tune's JSON object. A list grows by its last item, or shrinks, to a new count; one that may be
    left out goes below its fewest. Raises :class:`KeyError` for an item its lists do not have."""
    holder = _holder(data, path)
    if holder is None:
        raise KeyError(path)
    key = path.rpartition(".")[2]
    if key == "count":
        where = path.removesuffix(".count")
        _resize(holder, where, int(value or 0))
    else:
        holder[key] = from_number(path, value)


def _holder(data: dict[str, Any], path: str) -> dict[str, Any] | None:
    """The object that holds a path's key, or its list; None where an item on the way is not there."""
    steps = path.split(".")[:-1]
    if path.endswith(".count"):
        steps = steps[:-1]
    part: Any = data
    for step in steps:
        if step.isdecimal():
            if not part or not 1 <= int(step) <= len(part):
                return None
            part = part[int(step) - 1]
        else:
            part = part.setdefault(step, {}) if step in ("throttle", "assist", "braking") else part.get(step)
    return part if isinstance(part, dict) else None


def _resize(holder: dict[str, Any], where: str, wanted: int) -> None:
    key = where.rpartition(".")[2]
    if wanted < _FEWEST.get(_pattern(where), 0):
        holder[key] = None
        return
    rows = holder[key] = list(holder.get(key) or [])
    while len(rows) < wanted:
        rows.append(_next_row(where, rows))
    del rows[wanted:]


def _next_row(where: str, rows: list[dict[str, Any]]) -> dict[str, Any]:
    if where == "modes":
        return {"name": f"Mode {len(rows) + 1}"}
    if where == "throttle.response":
        last = rows[-1] if rows else {"volts": 0.8, "share": 0.0}
        return {"volts": round(last["volts"] + 0.4, 3) if rows else last["volts"], "share": last["share"]}
    return dict(rows[-1]) if rows else {"multiplier": 1.0}


def kind_of(path: str) -> type[Part]:
    """The part of the document that holds the setting at a path of :data:`FURTHER`."""
    return _KINDS.get(_pattern(path.rpartition(".")[0]), Part)


def _pattern(where: str) -> str:
    return re.sub(r"\d+", "*", where)
