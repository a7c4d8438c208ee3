"""A message that makes the controller do something is no other's: writing a setting must never act, nor an act set anything."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from crisp_hornet.documents.acts import Command
from crisp_hornet.documents.described import Described
from crisp_hornet.documents.map_checks.faulty import faulty

Target = TypeVar("Target", bound=Hashable)
ALONE = {"keep", "inhibit", "update"}  # where these stand, nothing else does


@dataclass(frozen=True)
class Asked:
    """One act: where in the description it stands, and how it is asked for."""

    place: tuple[str, ...]
    command: Command

    @property
    def name(self) -> str:
        """Its place in words."""
        return ".".join(self.place)


def acts_of(found: Described) -> list[Asked]:
    """All that the description can ask the controller to do."""
    acts = [Asked(("keep",), found.keep)] if found.keep is not None and not found.keep.at_once else []
    for name in ("clear_faults", "detect", "zero", "factory"):
        command: Command | None = getattr(found.commands, name)
        if command is not None:
            acts.append(Asked(("commands", name), command))
    if found.inhibit is not None:
        acts += [Asked(("inhibit",), found.inhibit.command(on)) for on in (True, False)]
    if found.update is not None:
        acts.append(Asked(("update", "activate"), found.update.activate))
    return acts


def check_acts(
    acts: list[Asked],
    target_of: Callable[[Command], tuple[Target, object]],
    in_words: Callable[[Target], str],
    settings: Mapping[Target, str],
    key: str,
) -> None:
    """``target_of``: where a command goes, and with what; ``settings``: where settings are. Raises what :func:`faulty` makes."""
    taken: dict[tuple[Target, object], Asked] = {}
    alone: dict[Target, Asked] = {}
    for one in acts:
        target, what = target_of(one.command)
        where = in_words(target)
        if target in settings:
            raise faulty(f"{one.name} stands at {where}, where {settings[target]} is", *one.place, key)
        if (target, what) in taken:
            other = taken[target, what]
            if other.place == one.place:
                raise faulty("inhibit.on and inhibit.off are the same word", *one.place, "off")
            raise faulty(f"{one.name} writes the same word to {where} as {other.name}", *one.place, key)
        taken[target, what] = one
        other = alone.setdefault(target, one)
        if other.place != one.place and {other.place[0], one.place[0]} & ALONE:
            raise faulty(f"{one.name} stands at {where}, as {other.name} does", *one.place, key)
