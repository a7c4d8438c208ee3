"""An answer to an ask, as JSON and lines of text."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from crisp_hornet.core.goal.parts import Instead
from crisp_hornet.core.goal.reached import Reached
from crisp_hornet.core.goal.seek import Answer
from crisp_hornet.core.goal.words import PARTS, reached_of, title_of, wanted_of
from crisp_hornet.core.virtual_ride.band import Ends
from crisp_hornet.documents.goals import Goals
from crisp_hornet.documents.setting_words import label_of


def as_json(answer: Answer, parts: Sequence[Instead], goals: Goals) -> dict[str, Any]:
    """``crisp-hornet/answer``."""
    settings = {path: _usable(answer.tune.setting(path) or 0.0) for path in goals.free}
    return {
        "format": "crisp-hornet/answer",
        "version": 1,
        "found": answer.found,
        "settings": settings if answer.found else {},
        "strain": _usable(answer.strain),
        "goals": [_goal(one) for one in answer.goals],
        "conflict": answer.conflict,
        "nearest": {} if answer.found else settings,
        "against": answer.against,
        "proved": answer.proved,
        "instead": [
            {"path": one.path, "from": _usable(one.from_), "to": _usable(one.to), "meets": one.meets, "kg": _usable(one.kg),
             "settings": {path: _usable(one.tune.setting(path) or 0.0) for path in goals.free}}
            for one in parts
        ],
    }  # fmt: skip


def _goal(one: Reached) -> dict[str, Any]:
    told: dict[str, Any] = {"what": one.goal.what, "wanted": one.wanted, "reached": _ends(one.reached), "met": one.met}
    if one.parts:
        told["figure"] = one.name
        told["figures"] = [
            {"what": part.name, "wanted": part.wanted, "reached": _ends(part.reached), "met": part.met}
            for part in one.parts
        ]
    return told


def _ends(ends: Ends) -> dict[str, float | None]:
    return {"value": _usable(ends.value), "low": _usable(ends.low), "high": _usable(ends.high)}


def _usable(value: float) -> float | None:
    return float(f"{value:.8g}") if math.isfinite(value) else None


def as_lines(answer: Answer, parts: Sequence[Instead], goals: Goals) -> list[str]:
    """What was found or fights, the wishes one by one, and parts that would do."""
    amps = ", ".join(f"{label_of(path)} {answer.tune.setting(path):.4g} A" for path in goals.free)
    none = "no settings meet every wish" if answer.proved else "no settings found that meet every wish"
    first = f"found: {amps}" if answer.found else f"{none}; nearest: {amps}"
    lines = [first]
    for at, one in enumerate(answer.goals):
        fights = " (one of those that fight)" if at in answer.conflict else ""
        told = f"{title_of(one.goal)}, {wanted_of(one.goal)}: {reached_of(one)}"
        lines.append(f"{at + 1}. {told}: {one.met}{fights}")
    if answer.against:
        lines.append(f"the watch list stops every setting: {', '.join(answer.against)}")
    for part in parts:
        meets = ", ".join(str(at + 1) for at in part.meets)
        weighs = f", {part.kg:.1f} kg more" if part.kg else ""
        lines.append(f"instead: {PARTS[part.path]} {part.from_:.4g} to {part.to:.4g}{weighs}: meets {meets}")
    return lines
