"""What a rule sees and what it says."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import Enum

from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.saying import Place, say, worded
from crisp_hornet.documents.tune import Tune


class Strength(Enum):
    """How strongly a rule speaks. A stop keeps a tune from being sent; nothing overrides it."""

    STOP = "stop"
    WARN = "warn"
    NOTE = "note"


@dataclass(frozen=True)
class Situation:
    """The draft on its bike, its predicted curve (if computable), what the controller holds (if known), and how each sensor did in its
    newest calibration ("passed", "doubtful", "failed", by kind). ``grade`` and ``corner`` say for which case it stands."""

    bike: Bike
    draft: Tune
    curve: PullCurve | None = None
    controller: Tune | None = None
    sensors: Mapping[str, str] = field(default_factory=dict)
    grade: float = 0.0
    corner: str = ""


@dataclass(frozen=True)
class Warning_:
    """One line of the watch list: what, why and how much, what to do, and the change that mends it."""

    id: str
    strength: Strength
    text: str
    reason: str
    mend: str
    setting: str | None = None
    mended_value: float | None = None
    corner: str = ""  # where it was found, if not as drawn
    amount: float = 0.0  # how bad, to find the worst corner: the larger the worse


_TOLD = packaged("crisp_hornet.core.rules", "rules.toml")


def says(
    id_: str,
    *,
    setting: str | None = None,
    value: float | None = None,
    amount: float = 0.0,
    strength: Strength | None = None,
    **places: Place,
) -> Warning_:
    """The warning of an id, as ``rules.toml`` words it, with what stands in its places. ``setting`` and ``strength`` override what is told
    there; ``value`` is what mends it. Raises :class:`KeyError` for an id or a place that is not there."""
    told = _TOLD[id_]
    text, reason, mend = worded((told["text"], told["reason"], told["mend"]), places)
    strength = strength or Strength(told["strength"])
    return Warning_(id_, strength, text, reason, mend, setting or told.get("setting"), value, amount=amount)


class Axis(Enum):
    """What may be worse than drawn: the pack's charge, its age and cold, heat, the load, the slope up and down."""

    CHARGE = "charge"
    PACK = "pack"
    HEAT = "heat"
    LOAD = "load"
    SLOPE = "slope"
    DESCENT = "descent"


Rule = Callable[[Situation], Warning_ | None]
RULES: list[Rule] = []
OVER: dict[Rule, tuple[Axis, ...]] = {}


def rule(function: Rule) -> Rule:
    """Register a rule."""
    RULES.append(function)
    return function


def rule_over(*axes: Axis) -> Callable[[Rule], Rule]:
    """Register a rule that is to be judged at the worst corner of some axes, not only as drawn."""

    def register(function: Rule) -> Rule:
        OVER[rule(function)] = axes
        return function

    return register


def on_its_device(bike: Bike, warning: Warning_) -> Warning_:
    """The warning as it is where a device in the chain replaces the figure that would mend it: what the tune sets has no effect then."""
    group, _, key = (warning.setting or "").partition(".")
    if group not in ("drive", "modes"):
        return warning
    key = key.rpartition(".")[2]
    owners = [link.name for link in bike.chain if key in link.replaces and getattr(link, key) is not None]
    if not owners:
        return warning
    return replace(warning, mend=say("Change it on {owner}", owner=owners[-1]), setting=None, mended_value=None)
