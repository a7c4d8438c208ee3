"""A ride judged: estimates and findings from one pass over its channels."""

from __future__ import annotations

from crisp_hornet.core.evidence.channels import CHANNELS, Ride
from crisp_hornet.core.evidence.even import even
from crisp_hornet.core.evidence.findings import Evidence, Finding, found_in
from crisp_hornet.core.evidence.verdict import Verdict, judge_ride
from crisp_hornet.core.pull import PullCurve
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


def judge(
    ride: Ride, bike: Bike, tune: Tune, curve: PullCurve | None, rested_v: tuple[float, float] | None = None
) -> tuple[Verdict, list[Finding]]:
    """Estimates and findings of a ride that was ridden on ``tune``; ``curve`` is the prediction for its start, ``rested_v`` the pack
    at rest before and after (V)."""
    smooth = even(ride, CHANNELS)
    verdict = judge_ride(ride, bike, tune, curve, smooth, rested_v)
    return verdict, list(found_in(Evidence(ride, smooth, bike, tune, curve, verdict)))
