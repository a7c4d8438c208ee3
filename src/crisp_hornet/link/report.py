"""How writing to a controller ended, in words that say no more than was seen."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import Enum


class Held(Enum):
    """What a register is known to hold."""

    OLD = "as before"
    NEW = "the new value"
    UNKNOWN = "not known"


class Outcome(Enum):
    """How an operation ended. ``PROVED``: what was asked for was seen to be so."""

    PROVED = "proved"
    REFUSED = "refused"
    NOT_PROVED = "not proved"
    STOPPED = "stopped"


class Kept(Enum):
    """By what it is known that values outlast power-off: not at all, the controller says so, it was seen to say otherwise before, or
    they were read again after a power cycle."""

    NO = "until power-off"
    SAID = "as far as it says"
    SEEN = "seen kept"
    POWER_CYCLED = "proved by a power cycle"


@dataclass
class Report:
    """How an operation ended, in plain words, and what each changed register holds. ``held_off``: the motor was left disabled."""

    outcome: Outcome
    message: str
    held: dict[str, Held] = field(default_factory=dict)
    kept: Kept = Kept.NO
    compared: int = 0
    held_off: bool = False


@dataclass
class Progress:
    """How far something is: ``done`` of ``total`` steps, and the step in words."""

    done: int
    total: int
    text: str


def refused(why: str) -> Report:
    """Nothing was written, and why."""
    return Report(Outcome.REFUSED, f"{why.rstrip('.')}. Nothing was written.")
