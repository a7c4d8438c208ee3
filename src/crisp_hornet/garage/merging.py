"""Two stories of one bike brought together, by what happened on each side since both were last the same; no clock is asked.

A three-way merge over rows (see e.g. Khanna, Kunal and Pierce, *A Formal Investigation of Diff3*, 2007): what one side changed stands, what
both changed alike stands, what both changed otherwise is a conflict that a person decides. The documents of a bike and of a customer are
merged figure by figure.
A tune is one thing: of two halves nobody ever rode the whole, so it is never mixed.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

Key = tuple[str, str]  # a table, and which row of it; the bike itself is BIKE
Row = Mapping[str, Any]
Rows = Mapping[Key, Row]
Side = Literal["mine", "theirs"]
BIKE: Key = ("bike", "")
CUSTOMERS = "customers"  # a table of its own; merged figure by figure, as a bike
ELSEWHERE, HERE = "from elsewhere", "as it was here"  # behind the name of a tune that was set aside
NOUNS = {
    "tunes": "tune", "backups": "backup", "rides": "ride", "logbook": "line", "jobs": "job sheet", "calibrations": "calibration",
    CUSTOMERS: "customer",
}  # fmt: skip


@dataclass(frozen=True)
class Conflict:
    """What both sides changed, each otherwise; None where a side let it go. ``paths``: of a bike, which figures."""

    key: Key
    mine: Row | None
    theirs: Row | None
    paths: tuple[str, ...] = ()


@dataclass(frozen=True)
class Merged:
    """``changes``: what mine is to become, by row, None for a row to let go. ``agreed``: what both have in common from now on.
    ``decided``: what was changed on both sides and decided, by whose counts."""

    changes: dict[Key, Row | None] = field(default_factory=dict)
    conflicts: list[Conflict] = field(default_factory=list)
    agreed: dict[Key, Row] = field(default_factory=dict)
    decided: dict[Key, Side] = field(default_factory=dict)


def merged(mine: Rows, theirs: Rows, base: Rows, decided: Mapping[Key, Side] | None = None) -> Merged:
    """Bring ``theirs`` into ``mine``; ``base`` is what both were when they last met (empty: never). ``decided``: whose counts where they
    differ; without a decision mine stays as it is, and it is asked again."""
    found, decided = Merged(), decided or {}
    for key in _in_order(mine, theirs, base):
        own, other, was = mine.get(key), theirs.get(key), base.get(key)
        new, fights = _both(key, own, other, was, None)
        side = decided.get(key) if fights is not None else None
        if side is not None:
            found.decided[key] = side
            new, fights = _both(key, own, other, was, side)
        if fights is not None:
            found.conflicts.append(Conflict(key, own, other, fights))
            if was is not None:
                found.agreed[key] = was
        elif other is not None:
            found.agreed[key] = other
        if new != own:
            found.changes[key] = new
    return found


def _in_order(*sides: Rows) -> Iterable[Key]:
    return dict.fromkeys(key for side in sides for key in side)


def _both(
    key: Key, own: Row | None, other: Row | None, was: Row | None, side: Side | None
) -> tuple[Row | None, tuple[str, ...] | None]:
    """What comes of both, and, where they fight, of what."""
    if (key == BIKE or key[0] == CUSTOMERS) and own is not None and other is not None:
        return _document(own, other, was or {}, side)
    return _whole(own, other, was, side)


def _whole(
    own: Row | None, other: Row | None, was: Row | None, side: Side | None
) -> tuple[Row | None, tuple[str, ...] | None]:
    if other in (own, was):
        return own, None
    if own == was:
        return other, None
    if side is None:
        return own, ()
    return (own if side == "mine" else other), None


def _document(own: Row, other: Row, was: Row, side: Side | None) -> tuple[Row, tuple[str, ...] | None]:
    fights: list[str] = []
    new = _mixed(own, other, was, side, "", fights)
    return new, tuple(fights) if fights else None


_GONE = object()


def _mixed(own: Row, other: Row, was: Row, side: Side | None, path: str, fights: list[str]) -> dict[str, Any]:
    """A document of both; ``fights`` gets the paths that both changed otherwise, where nobody decided."""
    made: dict[str, Any] = {}
    for name in dict.fromkeys([*own, *other]):
        a, b, c = (one.get(name, _GONE) for one in (own, other, was))
        here = f"{path}{name}"
        value: Any
        if isinstance(a, Mapping) and isinstance(b, Mapping):
            value = _mixed(a, b, c if isinstance(c, Mapping) else {}, side, f"{here}.", fights)
        elif b in (a, c):
            value = a
        elif a == c:
            value = b
        elif side is None:
            fights.append(here)
            value = a
        else:
            value = a if side == "mine" else b
        if value is not _GONE:
            made[name] = value
    return made
