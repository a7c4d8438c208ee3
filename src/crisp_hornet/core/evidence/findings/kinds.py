"""What a finding is, what it is drawn from, and the registry of its kinds."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.doubt_checks import Doubt
from crisp_hornet.core.evidence.estimate import REACH, Estimate
from crisp_hornet.core.evidence.findings.suggestion import Effect, Suggestion
from crisp_hornet.core.evidence.peaks import Peak
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.packaged import packaged
from crisp_hornet.documents.saying import Place, Quantity, joined, quantity, say, worded
from crisp_hornet.documents.tune import Tune

SAME_FLUX = 0.04  # share below which two figures of the flux linkage are one
ROOM = 1.4  # of 95 %: of a dozen figures of a sound bike none should warn by chance
ORDER = ("stop", "warn", "note", "settled")


@dataclass(frozen=True)
class Finding:
    """One finding. ``severity`` is "warn", "note" or "settled"; from when to when (s) it shows, None where it has no moment; the
    confidence is in ``reason``; ``effects``: what the suggested change would do, by prediction."""

    id: str
    severity: str
    text: str
    reason: str
    from_s: float | None = None
    to_s: float | None = None
    suggest: Suggestion | None = None
    effects: tuple[Effect, ...] = ()

    @property
    def at_s(self) -> float | None:
        """The moment to look at."""
        return self.from_s

    @property
    def effects_in_words(self) -> str:
        """What the change would do, "" where nothing of it can be predicted."""
        return (
            say("Predicted: {effects}.", effects=joined("; ", (effect.in_words for effect in self.effects)))
            if self.effects
            else ""
        )


_TOLD = packaged("crisp_hornet.core.evidence.findings", "findings.toml")


def tells(
    id_: str,
    *,
    span: tuple[float | None, float | None] = (None, None),
    suggest: Suggestion | None = None,
    severity: str | None = None,
    as_id: str = "",
    **places: Place,
) -> Finding:
    """The finding of an id, as ``findings.toml`` words it, with what stands in its places.

    ``span``: from when to when (s). ``severity`` overrides what is told there, ``as_id`` the finding's id, where several share a wording.
    Raises :class:`KeyError` for an id or a place that is not there.
    """
    told = _TOLD[id_]
    text, reason = worded((told["text"], told["reason"]), places)
    return Finding(as_id or id_, severity or told["severity"], text, reason, *span, suggest)


def differs(seen: Estimate, told: float, share: float) -> bool:
    """Whether the ride showed another figure than the document tells: by more than a share, and surely."""
    return seen.known and abs(seen.value / told - 1) >= share and not seen.low <= told <= seen.high


def how_sure(seen: Estimate, told: float, spread: float) -> str:
    """ "warn" where the ride differs from the document by more than both of them may be off by (``spread``: of the document, one standard
    deviation), with room for the many figures that are looked at; else "note": a figure to learn, no fault."""
    return "warn" if abs(seen.value - told) > ROOM * math.hypot(seen.half_width, REACH * spread) else "note"


def apart(seen: Estimate, told: float) -> Quantity:
    """By what share (%) they differ."""
    return quantity(100 * abs(seen.value / told - 1), "%", ".0f")


def beside(seen: Estimate, told: float, spec: str, times: float = 1.0) -> dict[str, Any]:
    """What was seen, its interval and what the document tells, as the places ``value``, ``low``, ``high`` and ``told``."""
    figures = {"value": seen.value, "low": seen.low, "high": seen.high, "told": told}
    fine = fine_enough(seen, spec, times)
    return {name: quantity(times * figure, "", fine) for name, figure in figures.items()}


def fine_enough(seen: Estimate, spec: str, times: float = 1.0) -> str:
    """A format with as many digits as it takes for both ends of an interval to differ: none is shown as a point."""
    digits, kind = int(spec[1:-1]), spec[-1]
    tried = [f".{more}{kind}" for more in range(digits, digits + 5)]
    return next((one for one in tried if format(times * seen.low, one) != format(times * seen.high, one)), tried[-1])


@dataclass(frozen=True)
class Evidence:
    """Everything findings are drawn from. ``log`` is the ride as it was recorded, ``smooth`` on an even clock, both without the channels
    that ``doubts`` name; ``curve`` the prediction for its start."""

    log: Ride
    smooth: Ride
    bike: Bike
    tune: Tune
    curve: PullCurve | None
    verdict: Verdict
    doubts: tuple[Doubt, ...] = ()

    @cached_property
    def peaks(self) -> dict[str, Peak]:
        """The peaks by channel."""
        return {peak.channel: peak for peak in self.verdict.peaks}

    def channel(self, name: str) -> Array:
        """A channel on the even clock (n,), NaN where it is not known."""
        return self.smooth.get(name)

    def has(self, *names: str) -> bool:
        """Whether the ride holds all of these channels."""
        return all(self.smooth.has(name) for name in names)

    @cached_property
    def battery_doubtful(self) -> bool:
        """Whether the battery current may read wrong: back-EMF differs from the document, and pull from motion does not say that it is the
        motor. Pack, winding and their cooling then only seem to differ."""
        seen, told = self.verdict.motor.flux_linkage_wb, self.bike.motor.flux_linkage_wb
        return differs(seen, told, SAME_FLUX) and not self.by_motion_it_is_the_motor

    @cached_property
    def by_motion_it_is_the_motor(self) -> bool:
        """Whether pull from motion goes with the flux linkage that back-EMF showed, and not with the document's."""
        seen, told = self.verdict.motor.flux_linkage_wb, self.bike.motor.flux_linkage_wb
        moved = self.verdict.motor.flux_by_motion_wb
        return moved.known and moved.low <= seen.value <= moved.high and not moved.low <= told <= moved.high

    def spread(self, path: str) -> float:
        """What a figure of the document may be off by, one standard deviation in its unit."""
        return relative_spread(self.bike, path) * abs(self.bike.figure(path))

    def longest(self, where: NDArray[np.bool_], least_s: float) -> tuple[float, float] | None:
        """(from, to) of the longest stretch in which something holds, if it lasts so long."""
        edges = np.flatnonzero(np.diff(np.concatenate(([0], where.astype(int), [0]))))
        if not edges.size:
            return None
        starts, ends = edges[::2], edges[1::2]
        at = int(np.argmax(ends - starts))
        if (ends[at] - starts[at]) * STEP_S < least_s:
            return None
        return float(self.smooth.time_s[starts[at]]), float(self.smooth.time_s[ends[at] - 1])


Kind = Callable[[Evidence], Finding | None]
KINDS: list[Kind] = []


def finding(kind: Kind) -> Kind:
    """Register a kind: one function that gives its finding, or None where the ride shows nothing of it."""
    KINDS.append(kind)
    return kind


def found_in(evidence: Evidence) -> Iterator[Finding]:
    """All findings, the most serious first."""
    found = [one for kind in KINDS if (one := kind(evidence)) is not None]
    yield from sorted(found, key=lambda one: ORDER.index(one.severity))
