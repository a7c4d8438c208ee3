"""A ride judged: estimates and findings from one pass over its channels."""

from __future__ import annotations

from dataclasses import replace

from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.day import UNKNOWN, Day
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
    down besides."""
    smooth = even(ride, CHANNELS)
    verdict = judge_ride(ride, bike, tune, curve, smooth, day)
    found = found_in(Evidence(ride, smooth, bike, tune, curve, verdict))
    return verdict, [_with_effects(one, bike, tune, curve) for one in found]


def _with_effects(finding: Finding, bike: Bike, tune: Tune, curve: PullCurve | None) -> Finding:
    """The finding with what its change would do, by prediction."""
    if finding.suggest is None or curve is None:
        return finding
    effects = predicted_effects(bike, tune, finding.suggest, curve.rested_v, curve.speed_kmh)
    return replace(finding, effects=effects)
