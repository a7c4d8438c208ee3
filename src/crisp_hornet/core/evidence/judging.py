"""A ride judged: estimates and findings from one pass over its channels."""

from __future__ import annotations

from dataclasses import replace

from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.day import UNKNOWN, Day
from crisp_hornet.core.evidence.doubts import doubts_of, with_reasons, without
from crisp_hornet.core.evidence.effects import predicted_effects
from crisp_hornet.core.evidence.findings import Evidence, Finding, found_in
from crisp_hornet.core.evidence.verdict import Verdict, judge_ride
from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.core.ride.even import even
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


def judge(
    ride: Ride, bike: Bike, tune: Tune, curve: PullCurve | None, day: Day = UNKNOWN
) -> tuple[Verdict, list[Finding]]:
    """Estimates and findings of a ride that was ridden on ``tune``; ``curve`` is the prediction for its start, ``day`` what was written
    down besides. Sensors that contradict the others are named first, and nothing is concluded from them."""
    smooth = even(ride, CHANNELS)
    doubts = doubts_of(ride, smooth, bike, tune)
    trusted, smooth = without(ride, doubts), without(smooth, doubts)
    verdict = with_reasons(judge_ride(trusted, bike, tune, curve, smooth, day), doubts)
    found = found_in(Evidence(trusted, smooth, bike, tune, curve, verdict, doubts))
    return verdict, [_with_effects(one, bike, tune, curve) for one in found]


def _with_effects(finding: Finding, bike: Bike, tune: Tune, curve: PullCurve | None) -> Finding:
    """The finding with what its change would do, by prediction."""
    if finding.suggest is None or curve is None:
        return finding
    effects = predicted_effects(bike, tune, finding.suggest, curve.rested_v, curve.speed_kmh)
    return replace(finding, effects=effects)
