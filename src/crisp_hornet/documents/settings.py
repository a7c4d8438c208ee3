"""Settings of a tune as numbers at dotted paths, the form in which rulers, registers and undo handle them.

Words and yes/no are numbers there: the place of the word among its choices, 1 and 0. Items of lists are counted from 1:
``assist.levels.3.multiplier``, ``modes.1.speed_kmh``; ``assist.levels.count`` and ``modes.count`` are their lengths.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args

from crisp_hornet.documents.assist import MOST_LEVELS, Assist, Level
from crisp_hornet.documents.base import Part
from crisp_hornet.documents.braking import Braking
from crisp_hornet.documents.mode import MOST_MODES, Mode
from crisp_hornet.documents.throttle import Throttle

LISTS: dict[str, type[Part]] = {"assist.levels": Level, "modes": Mode}
_WORDS = (
    "name",
    "selected_by",
    "off_road",
    "levels",
)  # told in words, a list, or of no concern to a controller: no number
FEEL = [f"throttle.{key}" for key in Throttle.model_fields]
ASSIST = [f"assist.{key}" for key in Assist.model_fields if key not in _WORDS]
LEVELS = ["assist.levels.count"] + [
    f"assist.levels.{at}.{key}" for at in range(1, MOST_LEVELS + 1) for key in Level.model_fields
]
MODES = ["modes.count"] + [
    f"modes.{at}.{key}" for at in range(1, MOST_MODES + 1) for key in Mode.model_fields if key not in _WORDS
]
BRAKING = [f"braking.{key}" for key in Braking.model_fields]
FURTHER = [*FEEL, *ASSIST, *LEVELS, *MODES, *BRAKING]
"""Settings that a tune may leave out and a controller need not have."""


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
    where, at, key = _steps(path)
    if key == "count":
        return float(len(_items(tune, where)))
    part = getattr(tune, where, None)
    if at:
        items = _items(tune, where)
        if at > len(items):
            raise KeyError(path)
        part = items[at - 1]
    return as_number(path, getattr(part, key))


def _items(tune: Any, where: str) -> Any:
    return tune.modes if where == "modes" else tune.assist.levels


def put_all(data: dict[str, Any], values: Mapping[str, float | None]) -> None:
    """Set several numbers, counts first; items beyond their list's count mean nothing and are passed over."""
    for path in sorted(values, key=lambda one: not one.endswith(".count")):
        where, at, _ = _steps(path)
        if not at or at <= len(_rows(data, where)):
            put(data, path, values[path])


def put(data: dict[str, Any], path: str, value: float | None) -> None:
    """Set the number at a path of a tune's JSON object. A list grows by its last item, or shrinks, to a new count."""
    where, at, key = _steps(path)
    if key == "count":
        rows = _rows(data, where)
        wanted = int(value or 0)
        fresh = {"multiplier": 1.0} if where == "assist.levels" else {"name": "mode"}
        while len(rows) < wanted:
            rows.append(dict(rows[-1]) if rows and where == "assist.levels" else dict(fresh, **_named(where, rows)))
        del rows[wanted:]
    elif at:
        rows = _rows(data, where)
        if at > len(rows):
            raise KeyError(path)
        rows[at - 1][key] = from_number(path, value)
    else:
        data.setdefault(where, {})[key] = from_number(path, value)


def _named(where: str, rows: list[dict[str, Any]]) -> dict[str, str]:
    return {"name": f"Mode {len(rows) + 1}"} if where == "modes" else {}


def _rows(data: Mapping[str, Any], where: str) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = data["modes"] if where == "modes" else data["assist"]["levels"]
    return rows


def _steps(path: str) -> tuple[str, int, str]:
    """(list or group, place in the list from 1 or 0, key)."""
    where, _, key = path.rpartition(".")
    group, _, place = where.rpartition(".")
    return (group, int(place), key) if group in LISTS and place.isdecimal() else (where, 0, key)


def kind_of(path: str) -> type[Part]:
    """The part of the document that holds the setting at a path of :data:`FURTHER`."""
    where, _, _ = _steps(path)
    kinds: dict[str, type[Part]] = {**LISTS, "throttle": Throttle, "assist": Assist, "braking": Braking}
    return kinds.get(where, Part)
